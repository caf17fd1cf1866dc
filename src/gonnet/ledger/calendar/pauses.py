"""Pauses of jobs: while one holds, the calendar begins nothing; who and why is kept."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import Engine, Row, insert, select, update

from gonnet.ledger import schema
from gonnet.ledger.calendar.entries import read, written
from gonnet.ledger.calendar.records import PauseRecord
from gonnet.ledger.failures import explained

_table = schema.pauses.c


class Pauses:
    """The pauses that one ledger knows.

    Args:
        engine: Its database.
        place: Where it is, for messages.
    """

    def __init__(self, engine: Engine, place: str) -> None:
        self._engine, self.place = engine, place

    @explained
    def on(self, day: dt.date) -> dict[str, PauseRecord]:
        """Job → the pause that holds on a day."""
        with self._engine.connect() as work:
            rows = work.execute(select(schema.pauses).where(_table.resumed.is_(None)).order_by(_table.id))
            found = [_pause(row) for row in rows]
        return {pause.job: pause for pause in found if pause.holds_on(day)}

    @explained
    def begin(self, job: str, until: dt.date | None, who: str, why: str, now: dt.datetime) -> None:
        """Pause a job; one that is paused already is paused anew."""
        self.end(job, who, now)
        row = {"job": job, "at": written(now), "until": until.isoformat() if until else None, "who": who, "why": why}
        with self._engine.begin() as work:
            work.execute(insert(schema.pauses).values(**row))

    @explained
    def end(self, job: str, who: str, now: dt.datetime) -> bool:
        """Resume a job; whether it was paused."""
        open_ones = update(schema.pauses).where(_table.job == job, _table.resumed.is_(None))
        with self._engine.begin() as work:
            return work.execute(open_ones.values(resumed=written(now), resumed_by=who)).rowcount > 0

    @explained
    def of(self, job: str) -> tuple[PauseRecord, ...]:
        """Every pause of a job there was, the oldest first."""
        with self._engine.connect() as work:
            rows = work.execute(select(schema.pauses).where(_table.job == job).order_by(_table.id))
            return tuple(_pause(row) for row in rows)


def _pause(row: Row[Any]) -> PauseRecord:
    return PauseRecord(
        id=row.id,
        job=row.job,
        at=dt.datetime.fromisoformat(row.at),
        until=dt.date.fromisoformat(row.until) if row.until else None,
        who=row.who,
        why=row.why,
        resumed=read(row.resumed),
        resumed_by=row.resumed_by,
    )
