"""Until when nothing can be due, and what must not change for that: so that most rounds cost next to nothing.

A round that found nothing to do notes it. The next one looks at the clock and at the files that decide it (the
workspace, its jobs, the ledger), and opens none of them. The note holds for an hour at most.
"""

from __future__ import annotations

import datetime as dt
import json
import os
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet import __version__, private
from gonnet.glimpse import Glimpse

if TYPE_CHECKING:
    from gonnet.pipeline.due.calendars import Calendars

_NOTE = "rest.json"
_LONGEST = dt.timedelta(hours=1)


def is_at_rest(folder: Path, now: dt.datetime) -> bool:
    """Whether the last round of the workspace at or above a folder found that nothing can be due yet."""
    place = Glimpse.near(folder)
    if place is None:
        return False
    try:
        note = json.loads((place.kept / _NOTE).read_text("utf-8"))
        in_time = note["from"] <= now.timestamp() < note["until"]
        return bool(in_time and note["version"] == __version__ and note["seen"] == _seen(place))
    except (OSError, ValueError, KeyError, TypeError):  # whatever is wrong with the note: then the round is made
        return False


def note_rest(folder: Path, now: dt.datetime, until: dt.datetime | None) -> None:
    """Note that nothing can be due before a moment unless something changes; the ledger must be closed.

    Args:
        folder: That of the workspace.
        now: When that was found.
        until: The moment; None where every round has to look.
    """
    place = Glimpse(folder)
    with suppress(OSError):  # it only saves work
        if until is None:
            (place.kept / _NOTE).unlink(missing_ok=True)
            return
        note = {"from": now.timestamp(), "until": until.timestamp(), "version": __version__, "seen": _seen(place)}
        private.write(place.kept / _NOTE, json.dumps(note).encode())


def _seen(place: Glimpse) -> dict[str, list[int]]:
    """What decides what is due, as it is now: size, time of the last change and number of each file."""
    ledger = place.kept / "ledger.db"
    files = [place.folder / "gonnet.yaml", place.folder / ".env", Path("/etc/localtime"), ledger]
    files += [ledger.with_name("ledger.db-wal"), *sorted((place.folder / "jobs").glob("*.yaml"))]
    found = {"TZ": list(os.environ.get("TZ", "").encode())}
    for file in files:
        with suppress(FileNotFoundError):
            stat = file.stat()
            found[str(file)] = [stat.st_size, stat.st_mtime_ns, stat.st_ino]
    return found


def nothing_before(calendars: Calendars) -> dt.datetime | None:
    """Until when a round would find nothing to do unless something changes; None where each has to look.

    Each has to look where something is open and may be run, or unheard; where an entry waits for data that come at any
    time; and where the ledger is on a server, which no file tells of.
    """
    from gonnet.pipeline.due.calendars import house_of

    tools = calendars.tools
    now, spec = tools.clock(), tools.workspace.file.summary
    entries = [line.entry for one in calendars.all() for line in one.lines]
    digest = [spec.digest] if spec is not None and spec.digest is not None else []
    tries = [one.next_try for one in tools.ledger.occurrences.open()]
    looks = tools.workspace.file.ledger.database is not None or not all(entry.is_dated for entry in entries)
    if looks or None in tries or tools.ledger.notices.untold():
        return None
    moments = (*calendars.coming((*entries, *digest), house_of(tools)), *(one for one in tries if one is not None))
    return min((now + _LONGEST, *moments))
