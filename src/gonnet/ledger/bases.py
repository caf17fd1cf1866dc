"""Where a ledger is: a file of its own, or a database on a server that several machines share."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path
from typing import Protocol

from sqlalchemy import Connection, Engine

from gonnet.ledger.opening import open_ledger
from gonnet.locks import held, is_held


class Share(Protocol):
    """The part of one process in the sending of a run.

    Attributes:
        is_sole: Whether no other process can have a part in it.
    """

    @property
    def is_sole(self) -> bool:
        """See above."""

    def claim(self, numbers: Collection[int]) -> Collection[int]:
        """Those of some packages that are now this process's alone, until it gives them back or ends."""

    def give_back(self, numbers: Collection[int]) -> None:
        """Let others claim packages again."""

    def if_alone(self) -> AbstractContextManager[bool]:
        """Whether no other process has a part in it now; if so none gets one while this lasts."""

    def outstays(self) -> bool:
        """Whether no other process has a part in it any longer; if so none gets one before this one ends.

        Where others have, its own ends with this: so one of them alone is the last.
        """


class Base(Protocol):
    """Where a ledger is, and what depends on that.

    Attributes:
        engine: Its database.
        place: Where it is, for messages.
        file: The file that it is; None on a server.
        is_writable: Whether it can be written.
        login: As whom the server knows the user; empty for a file.
    """

    engine: Engine
    place: str
    file: Path | None
    is_writable: bool
    login: str

    def lock(self, name: str, *, keep: bool = True) -> AbstractContextManager[None]:
        """Hold a lock that ends with the process, whatever becomes of it; `keep` says that others may wait for it.

        Raises:
            HeldError: another process holds it, on whatever machine.
        """

    def is_locked(self, name: str) -> bool:
        """Whether a process holds a lock."""

    def share(self, name: str, of: int) -> AbstractContextManager[Share]:
        """Hold a lock together with all who hold it for the same thing, and with nobody else.

        Raises:
            HeldError: another process holds it alone, or for something else.
        """

    def snapshot(self) -> AbstractContextManager[Connection]:
        """A connection that sees one state throughout, whatever others write meanwhile."""

    def faults(self) -> list[str]:
        """What the database itself finds wrong with what it keeps."""

    def clear(self) -> None:
        """Let nothing stay of what was overwritten."""


class FileBase:
    """A SQLite file.

    Args:
        folder: Where it is; made when it is first written.
        now: Gives the time, as it is written.
    """

    login = ""

    def __init__(self, folder: Path, now: Callable[[], str]) -> None:
        self.file: Path | None = folder / "ledger.db"
        self.place = str(self.file)
        self._folder = folder
        self.engine, self.is_writable = open_ledger(folder / "ledger.db", now)

    @contextmanager
    def lock(self, name: str, *, keep: bool = True) -> Iterator[None]:
        """Hold a lock beside the file."""
        with held(self._folder / f"{name}.lock", keep=keep):
            yield

    def is_locked(self, name: str) -> bool:
        """Whether a process holds it; what a dead one left is cleared away."""
        place = self._folder / f"{name}.lock"
        if is_held(place):
            return True
        place.unlink(missing_ok=True)
        return False

    @contextmanager
    def share(self, name: str, of: int) -> Iterator[Share]:
        """Hold it alone: who writes one file waits for whoever else writes it, so that two would not be faster."""
        del of
        with self.lock(name):
            yield _Whole()

    @contextmanager
    def snapshot(self) -> Iterator[Connection]:
        """A transaction that reads: the driver begins none by itself."""
        with self.engine.connect() as work:
            work.exec_driver_sql("begin")
            yield work

    def faults(self) -> list[str]:
        """What SQLite finds."""
        with self.engine.connect() as work:
            found = [str(row[0]) for row in work.exec_driver_sql("pragma integrity_check")]
            lost = {(str(row[0]), str(row[2])) for row in work.exec_driver_sql("pragma foreign_key_check")}
        damaged = [f"the database is damaged: {what}" for what in found if what != "ok"]
        return damaged + [f"rows of '{table}' belong to rows of '{of}' that are gone" for table, of in sorted(lost)]

    def clear(self) -> None:
        """Write the file anew: what was overwritten is still in its free pages, and in its log."""
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as work:
            work.exec_driver_sql("vacuum")
            work.exec_driver_sql("pragma wal_checkpoint(truncate)")


class _Whole:
    """The part of a process that nobody shares with."""

    is_sole = True

    def claim(self, numbers: Collection[int]) -> Collection[int]:
        """All of them."""
        return numbers

    def give_back(self, numbers: Collection[int]) -> None:
        """Nothing: nobody waits for them."""

    @contextmanager
    def if_alone(self) -> Iterator[bool]:
        """There is never another."""
        yield True

    def outstays(self) -> bool:
        """There was never another."""
        return True
