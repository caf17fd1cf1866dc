"""Turns at a pace: whoever would do something takes the next one, of all processes that would."""

from __future__ import annotations

import time
from collections.abc import Callable

from sqlalchemy import Connection, text

from gonnet.ledger.failures import explained
from gonnet.ledger.together import Together

_MANY = 10_000  # turns; whoever were to wait for more of them finds a clock that was wrong
_SERVER_TIME = text("select extract(epoch from clock_timestamp())")
_TAKE = text(
    "insert into paces (name, free_at) values (:name, :now + :gap) on conflict (name) do update set free_at = :gap + "
    "case when paces.free_at between :now and :latest then paces.free_at else :now end returning free_at"
)


class Turns:
    """The turns of one ledger.

    Args:
        together: Writes to its database.
        place: Where it is, for messages.
        clock: Gives the time where the database has none of its own, in seconds since 1970.
    """

    def __init__(self, together: Together, place: str, clock: Callable[[], float] = time.time) -> None:
        self._together, self.place, self._clock = together, place, clock

    @explained
    def take(self, name: str, gap: float) -> float:
        """Take the next turn; how long to wait for it, in seconds.

        Args:
            name: Of what.
            gap: Seconds between two turns.
        """

        def write(work: Connection) -> float:
            now = self._now(work)
            values = {"name": name, "now": now, "gap": gap, "latest": now + _MANY * gap}
            return max(0.0, float(work.execute(_TAKE, values).scalar_one()) - gap - now)

        return self._together.run(write)

    def _now(self, work: Connection) -> float:
        """The time: the server's, since the clocks of machines differ."""
        return float(work.execute(_SERVER_TIME).scalar_one()) if work.dialect.name == "postgresql" else self._clock()
