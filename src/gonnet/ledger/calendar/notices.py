"""Notices to administrators: written down with what they are about, and kept until they are told."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import Connection, Engine, Row, func, insert, select, update

from gonnet.ledger import schema
from gonnet.ledger.calendar.entries import read, written
from gonnet.ledger.calendar.records import Notice, NoticeRecord
from gonnet.ledger.failures import explained

_table = schema.notices.c


class Notices:
    """The notices that one ledger knows.

    Args:
        engine: Its database.
        place: Where it is, for messages.
    """

    def __init__(self, engine: Engine, place: str) -> None:
        self._engine, self.place = engine, place

    @explained
    def add(self, notice: Notice, occurrence: int | None, now: dt.datetime, *, is_digest: bool = False) -> None:
        """Write one down."""
        with self._engine.begin() as work:
            add_notice(work, notice, occurrence, now, is_digest=is_digest)

    @explained
    def last_digest(self) -> dt.datetime | None:
        """When the last digest was written, or None."""
        with self._engine.connect() as work:
            return read(work.scalar(select(func.max(_table.at)).where(_table.is_digest)))

    @explained
    def untold(self) -> tuple[NoticeRecord, ...]:
        """What nobody has heard yet, the oldest first."""
        with self._engine.connect() as work:
            rows = work.execute(select(schema.notices).where(_table.told.is_(None)).order_by(_table.id))
            return tuple(_notice(row) for row in rows)

    @explained
    def told(self, number: int, now: dt.datetime) -> None:
        """A mail server took it."""
        self._change(number, told=written(now), trouble="")

    @explained
    def not_told(self, number: int, trouble: str) -> None:
        """It could not be told; why."""
        self._change(number, trouble=trouble)

    @explained
    def alarmed(self, number: int, now: dt.datetime) -> None:
        """The program for alarms took it."""
        self._change(number, alarmed=written(now))

    def _change(self, number: int, **values: str) -> None:
        with self._engine.begin() as work:
            work.execute(update(schema.notices).where(_table.id == number).values(**values))


def add_notice(
    work: Connection, notice: Notice, occurrence: int | None, now: dt.datetime, *, is_digest: bool = False
) -> None:
    """Write a notice down in a transaction with what it is about."""
    row = {"at": written(now), "occurrence_id": occurrence, "run_id": notice.run, "tell": notice.tell}
    row["is_digest"] = is_digest
    work.execute(insert(schema.notices).values(subject=notice.subject, text=notice.text, **row))


def _notice(row: Row[Any]) -> NoticeRecord:
    return NoticeRecord(
        id=row.id,
        at=dt.datetime.fromisoformat(row.at),
        notice=Notice(subject=row.subject, text=row.text, tell=row.tell, run=row.run_id),
        occurrence=row.occurrence_id,
        told=read(row.told),
        trouble=row.trouble,
        alarmed=read(row.alarmed),
    )
