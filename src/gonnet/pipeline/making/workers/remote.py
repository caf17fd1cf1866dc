"""What a worker of a cluster does: it makes batches of packages, with what it was given, and sends what it made."""

from __future__ import annotations

import hashlib
import pickle
import platform
import threading
import time
import zlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import metadata
from pathlib import Path

import gonnet
from gonnet.errors import SealError
from gonnet.ledger import FolderStore
from gonnet.pipeline.making.kits import RunKit
from gonnet.pipeline.making.orders import Order
from gonnet.pipeline.making.produce import Made, worker_for

_LIBRARIES = ("reportlab", "xlsxwriter", "pypdfium2", "fonttools", "babel", "jinja2", "markdown-it-py", "uharfbuzz")
_ALONE = threading.Lock()  # PDFium is not made for several threads of one process


class DiffersError(Exception):
    """A worker has another version of something that shapes documents; its text says of what."""


class NotSharedError(Exception):
    """A worker does not see files of the workspace that it needs."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What every batch of a run needs.

    Attributes:
        name: What tells its run from others.
        kit: What is the same for every package, pickled.
        made_with: What shapes documents where the run is prepared.
        seen: A file in its store: who sees it keeps what it makes there. Where it is empty, nobody does.
        needs_files: Whether packages have files of the workspace in them.
    """

    name: str
    kit: bytes
    made_with: Mapping[str, str]
    seen: str
    needs_files: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Brought:
    """What a worker made.

    Attributes:
        made: The packages, in order.
        files: SHA-256 → the bytes of files that are not in the store of the run.
        seconds: How long it took.
        by: The address of the worker.
    """

    made: Sequence[Made]
    files: Mapping[str, bytes]
    seconds: float
    by: str


@lru_cache(maxsize=1)
def made_with() -> dict[str, str]:
    """What shapes documents on this machine: Python, libraries, and Gonnet itself to the letter."""
    sources = hashlib.sha256()
    for path in sorted(Path(gonnet.__file__).parent.rglob("*.py")):
        sources.update(path.read_bytes())
    found = {"Python": ".".join(platform.python_version_tuple()[:2]), "zlib": zlib.ZLIB_RUNTIME_VERSION}
    for name in _LIBRARIES:
        try:
            found[name] = metadata.version(name)
        except metadata.PackageNotFoundError:
            found[name] = "none"
    return {**found, "Gonnet": sources.hexdigest()[:12]}


def differences(here: Mapping[str, str], there: Mapping[str, str]) -> str:
    """What differs, in words; empty where nothing does."""
    return ", ".join(
        f"{name} {there.get(name, 'none')}, here {version}"
        for name, version in here.items()
        if there.get(name) != version
    )


class Carried:
    """Files that travel back to the store of the run."""

    def __init__(self, known: Mapping[str, bytes]) -> None:
        self._known, self._new = dict(known), dict[str, bytes]()

    def put(self, data: bytes) -> str:
        """Keep `data`; returns its SHA-256."""
        digest = hashlib.sha256(data).hexdigest()
        self._new.setdefault(digest, data)
        return digest

    def get(self, digest: str) -> bytes:
        """The bytes under `digest`.

        Raises:
            SealError: they are not here.
        """
        for files in (self._new, self._known):
            if digest in files:
                return files[digest]
        raise SealError(f"the file {digest[:12]}… is not here")

    def has(self, digest: str) -> bool:
        """Whether they are here."""
        return digest in self._new or digest in self._known

    def digests(self) -> Iterator[tuple[str, int, float]]:
        """Nothing is kept here."""
        return iter(())

    def remove(self, digest: str, since: float | None = None) -> None:
        """Forget a file that was put."""
        if since is None:
            self._new.pop(digest, None)

    def make_room(self, packages: int) -> None:
        """The store of the run is."""

    def together(self) -> AbstractContextManager[None]:
        """All of it travels together anyway."""
        return nullcontext()

    def flush(self) -> None:
        """The store of the run does that."""

    def taken(self) -> dict[str, bytes]:
        """What was put since this was asked for the last time."""
        found, self._new = self._new, {}
        return found


def given(asked: Asked) -> Asked:
    """What a run asks of every worker, as it is: a worker that joins late gets it from here."""
    return asked


def produce_there(asked: Asked, orders: Sequence[Order]) -> Brought:
    """Make every package of a batch, in order.

    Raises:
        DiffersError: something that shapes documents is another version here.
        NotSharedError: packages need files that are not seen here.
        StorageError: a file cannot be kept.
    """
    if what := differences(asked.made_with, made_with()):
        raise DiffersError(f"a worker is not like the machine that prepares the run: {what}")
    is_shared = _is_seen(asked.seen)
    if not is_shared and (asked.needs_files or any(order.own_files for order in orders)):
        raise NotSharedError
    from distributed import get_worker

    with _ALONE:
        began = time.monotonic()
        worker = worker_for(f"{asked.name} {is_shared}", lambda: _kit(asked, is_shared=is_shared))
        made = tuple(worker.make(order) for order in orders)
        store = worker.kit.store
        files = store.taken() if isinstance(store, Carried) else {}
        return Brought(made=made, files=files, seconds=time.monotonic() - began, by=get_worker().address)


def _is_seen(place: str) -> bool:
    try:
        return bool(place) and Path(place).exists()
    except OSError:  # it is there, and not for this user
        return False


def _kit(asked: Asked, *, is_shared: bool) -> RunKit:
    kit = pickle.loads(asked.kit)
    assert isinstance(kit, RunKit)
    if is_shared:
        return replace(kit, store=FolderStore(Path(asked.seen).parent))
    known = {hashlib.sha256(part.data).hexdigest(): part.data for part in kit.enclosures.values()}
    return replace(kit, store=Carried(known))
