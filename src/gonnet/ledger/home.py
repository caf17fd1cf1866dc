"""Whether a ledger is the one that was last written here: a restored backup or a copy does not know what left since.

The ledger knows where it is at home and how many sends it began. The same number is kept outside the workspace, in the
user's folder for states of programs (XDG Base Directory Specification), so that an older ledger can be told.
"""

from __future__ import annotations

import contextlib
import json
import os
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, select, update

from gonnet import private
from gonnet.ledger import schema
from gonnet.ledger.failures import explained


class Home:
    """Where a ledger is at home.

    Args:
        engine: Its database.
        place: Where it is, for messages.
        file: The file that it is; None on a server, which is no machine's home.
    """

    def __init__(self, engine: Engine, place: str, file: Path | None) -> None:
        self._engine, self.place, self._file = engine, place, file

    @property
    @explained
    def noted_event(self) -> tuple[int, str] | None:
        """Number and digest of the event of this ledger that was noted here last, outside of it."""
        with self._engine.connect() as work:
            found = _known(work.execute(select(schema.about.c.identity)).scalar_one())
        return (int(found["event"]), str(found["head"])) if {"event", "head"} <= found.keys() else None

    def note_events(self) -> None:
        """Note the last event, unless the one that was noted is no longer there."""
        event, noted = schema.events.c, self.noted_event
        with self._engine.connect() as work:
            if noted is not None and work.scalar(select(event.digest).where(event.id == noted[0])) != noted[1]:
                return
            last = work.execute(select(event.id, event.digest).order_by(event.id.desc()).limit(1)).first()
            identity = work.execute(select(schema.about.c.identity)).scalar_one()
        if last is not None and (noted is None or last.id > noted[0]):
            _note(identity, event=last.id, head=last.digest)

    @explained
    def trouble(self) -> str | None:
        """Why this may not be the ledger that knows what was sent last; None where nothing speaks against it."""
        with self._engine.connect() as work:
            row = work.execute(select(schema.about)).one()
        known = _noted(row.identity)
        if known > row.sends:
            many = f"{known - row.sends} send{'s' if known - row.sends > 1 else ''}"
            return f"the ledger is older than what happened here: it does not know the last {many} (a restored backup?)"
        if self._file is None or not row.home or row.home == self._here():
            return None
        machine, _, folder = row.home.partition("|")
        if machine != _machine() and machine and _machine():
            return f"this workspace was used on another machine, in {folder}: what was sent there since is not known"
        if Path(folder) != self._file.parent and _identity(Path(folder) / self._file.name) == row.identity:
            return f"this workspace is a copy of that in {folder}: what was sent there since is not known"
        return None  # it was moved

    @explained
    def note_send(self) -> None:
        """A send begins, here: from now on this is the place where the ledger is at home."""
        with self._engine.begin() as work:
            work.execute(update(schema.about).values(sends=schema.about.c.sends + 1, home=self._here()))
            row = work.execute(select(schema.about)).one()
        _note(row.identity, sends=row.sends)

    @explained
    def adopt(self) -> None:
        """Somebody says that this ledger is to count, although it may not know everything."""
        with self._engine.begin() as work:
            row = work.execute(select(schema.about)).one()
            sends = max(row.sends, _noted(row.identity))
            work.execute(update(schema.about).values(sends=sends, home=self._here()))

    @property
    def seal_key(self) -> Path:
        """Where the key is that this ledger's packages are sealed with: outside of its folder."""
        with self._engine.connect() as work:
            row = work.execute(select(schema.about)).one()
        return _notes() / f"{row.identity}.key"

    def _here(self) -> str:
        return f"{_machine()}|{self._file.parent.resolve()}" if self._file is not None else ""


def _machine() -> str:
    """What tells this machine from others; empty where nothing does."""
    with contextlib.suppress(OSError):
        return Path("/etc/machine-id").read_text("ascii").strip()
    return ""


def _identity(place: Path) -> str | None:
    if not place.is_file():
        return None
    with contextlib.suppress(sqlite3.Error), closing(sqlite3.connect(f"file:{place}?mode=ro", uri=True)) as link:
        return str(link.execute("select identity from about").fetchone()[0])
    return None


def _notes() -> Path:
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local/state") / "gonnet"


def _noted(identity: str) -> int:
    with contextlib.suppress(ValueError, TypeError):
        return int(_known(identity).get("sends", 0))
    return 0


def _known(identity: str) -> dict[str, Any]:
    """What is noted of a ledger."""
    with contextlib.suppress(OSError, ValueError):
        found = json.loads((_notes() / identity).read_text("utf-8"))
        return found if isinstance(found, dict) else {}
    return {}


def _note(identity: str, **values: int | str) -> None:
    """Keep something of a ledger; where nothing can be written, a restored backup cannot be told."""
    with contextlib.suppress(OSError):
        private.folder(_notes())
        new = _notes() / f".{identity}-{os.getpid()}"
        private.write(new, json.dumps({**_known(identity), **values}).encode("ascii"))
        new.replace(_notes() / identity)
