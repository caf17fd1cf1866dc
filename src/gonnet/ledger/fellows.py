"""Several processes that send one run, on whatever machines: each package is claimed by one of them.

All of it is advisory locks of one connection: when it ends, whatever became of its process or machine, the server gives
them back, and another may claim what it had. The ledger then says what became of that.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager, suppress

from sqlalchemy import Connection, text
from sqlalchemy.exc import SQLAlchemyError

from gonnet.ledger.failures import explained
from gonnet.locks import HeldError

_SHORT = "10s"  # nobody comes or goes for longer

_LOCK = text("select pg_advisory_lock(:key)")
_UNLOCK = text("select pg_advisory_unlock(:key)")
_ALONE = text("select pg_try_advisory_lock(:key)")
_SHARED = text("select pg_try_advisory_lock_shared(:key)")
_NO_LONGER = text("select pg_advisory_unlock_shared(:key)")
_FOR = text("select pg_try_advisory_lock_shared(:family, :of)")
_OTHERS = text(
    "select count(*) from pg_locks where locktype = 'advisory' and objsubid = 2 and granted and objid <> :of "
    "and classid = :family and database = (select oid from pg_database where datname = current_database())"
)
_CLAIM = text(
    "select number from unnest(cast(:numbers as integer[])) as number where pg_try_advisory_lock(:family, number)"
)
_GIVE_BACK = text(
    "select count(*) from unnest(cast(:numbers as integer[])) as number where pg_advisory_unlock(:family, number)"
)


class Fellow:
    """The part of this process in the sending of a run.

    Args:
        link: The connection that holds its locks; it commits each statement by itself.
        key: Gives the number of a lock.
        name: What only one run at a time is sent of.
        of: The run.
        place: Where the ledger is, for messages.

    Raises:
        HeldError: another run is sent, or changed.
    """

    is_sole = False

    def __init__(self, link: Connection, key: Callable[[str], int], name: str, of: int, place: str) -> None:
        self._link, self.place, self._of = link, place, of
        self._whole, self._door = key(name), key(f"coming and going: {name}")
        self._runs, self._packages = _half(key(f"runs: {name}")), _half(key("packages"))
        with self._alone_at_door():
            if not self._say(_SHARED, key=self._whole):
                raise HeldError
            self._say(_FOR, family=self._runs, of=of)
            if self._say(_OTHERS, family=self._runs % 2**32, of=of):
                self.end()
                raise HeldError

    def _say(self, statement: object, **values: object) -> int:
        return int(self._link.execute(statement, values).scalar() or 0)  # type: ignore[call-overload]

    @contextmanager
    def _alone_at_door(self) -> Iterator[None]:
        """Come and go one after the other, so that each sees who else is there."""
        self._link.execute(text(f"set lock_timeout = '{_SHORT}'"))
        self._say(_LOCK, key=self._door)
        try:
            yield
        finally:
            with suppress(SQLAlchemyError):
                self._say(_UNLOCK, key=self._door)

    @explained
    def claim(self, numbers: Collection[int]) -> Collection[int]:
        """Those of some packages that no other has.

        Raises:
            StorageError: the connection is lost, and with it what was claimed.
        """
        values = {"numbers": list(numbers), "family": self._packages}
        return frozenset(self._link.execute(_CLAIM, values).scalars())

    @explained
    def give_back(self, numbers: Collection[int]) -> None:
        """Let others claim packages again."""
        if numbers:
            self._say(_GIVE_BACK, numbers=list(numbers), family=self._packages)

    @contextmanager
    def if_alone(self) -> Iterator[bool]:
        """Whether no other is there; if so none comes while this lasts."""
        with self._alone_at_door():
            is_alone = bool(self._say(_ALONE, key=self._whole))
            if is_alone:  # who comes waits at the door, and is not refused
                self._say(_UNLOCK, key=self._whole)
            yield is_alone

    @explained
    def outstays(self) -> bool:
        """Whether no other is there any longer; if so none comes before this one ends."""
        with self._alone_at_door():
            if self._say(_ALONE, key=self._whole):
                return True
            self._say(_NO_LONGER, key=self._whole)
            return False

    def end(self) -> None:
        """Give everything back; a connection that is lost has."""
        with suppress(SQLAlchemyError):
            self._link.execute(text("select pg_advisory_unlock_all()"))


def keeps_watch(link: Connection) -> None:
    """Let the server find out within a minute that the machine of a connection is gone."""
    for name, value in (("idle", 30), ("interval", 10), ("count", 3)):
        link.execute(text(f"set tcp_keepalives_{name} = {value}"))


def _half(number: int) -> int:
    """A number of half the length, for the locks that have two."""
    return number >> 32
