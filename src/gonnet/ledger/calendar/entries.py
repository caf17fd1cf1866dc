"""The entries of all calendars, as they were last read: so that what is due is known even when a file is broken."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeVar

from sqlalchemy import Engine, Row, delete, insert, select, update
from sqlalchemy.exc import IntegrityError

from gonnet.ledger import schema
from gonnet.ledger.calendar.records import EntryRecord
from gonnet.ledger.failures import explained

_table = schema.entries.c
R = TypeVar("R")


class Entries:
    """The entries that one ledger knows.

    Args:
        engine: Its database.
        place: Where it is, for messages.
    """

    def __init__(self, engine: Engine, place: str) -> None:
        self._engine, self.place = engine, place

    @explained
    def all(self) -> tuple[EntryRecord, ...]:
        """Every entry, job by job, in the order in which they were first seen."""
        with self._engine.connect() as work:
            rows = work.execute(select(schema.entries).order_by(_table.job, _table.id))
            return tuple(_entry(row) for row in rows)

    @explained
    def keep(self, job: str, wanted: Mapping[str, Mapping[str, Any]], now: dt.datetime) -> None:
        """Know the entries of a job as they are now.

        A new one, and one that says something else, counts from now on: nothing of before is made up for.
        """
        once_more(lambda: self._keep(job, wanted, written(now)))

    def _keep(self, job: str, wanted: Mapping[str, Mapping[str, Any]], at: str) -> None:
        with self._engine.begin() as work:
            known = {row.name: row for row in work.execute(select(schema.entries).where(_table.job == job))}
            gone = [row.id for name, row in known.items() if name not in wanted]
            if gone:
                work.execute(delete(schema.entries).where(_table.id.in_(gone)))
            for name, says in wanted.items():
                if name not in known:
                    row = {"job": job, "name": name, "says": dict(says), "since": at, "seen": at}
                    work.execute(insert(schema.entries).values(**row))
                elif known[name].says != says:
                    values = {"says": dict(says), "since": at, "seen": at}
                    work.execute(update(schema.entries).where(_table.id == known[name].id).values(**values))

    @explained
    def seen(self, numbers: Sequence[int], now: dt.datetime) -> None:
        """What is due of entries is entered until now."""
        with self._engine.begin() as work:
            work.execute(update(schema.entries).where(_table.id.in_(numbers)).values(seen=written(now)))

    @explained
    def forget(self, job: str) -> None:
        """The job is gone, and with it its entries."""
        with self._engine.begin() as work:
            work.execute(delete(schema.entries).where(_table.job == job))

    @explained
    def asked(self, entry: EntryRecord, *, mark: str | None = None, unasked: int = 0) -> None:
        """Keep what was found of what an entry waits for, or that it could not be asked for."""
        values = {"unasked": unasked} | ({"mark": mark} if mark is not None else {})
        with self._engine.begin() as work:
            work.execute(update(schema.entries).where(_table.id == entry.id).values(**values))


def once_more(write: Callable[[], R]) -> R:
    """Write, and once more where another process wrote the same at the same moment: then it is seen to be there."""
    try:
        return write()
    except IntegrityError:
        return write()


def written(moment: dt.datetime) -> str:
    """A moment as it is written: ISO 8601 in UTC, comparable as text."""
    return moment.astimezone(dt.UTC).isoformat(timespec="milliseconds")


def read(text: str | None) -> dt.datetime | None:
    """A moment that was written, or None."""
    return dt.datetime.fromisoformat(text) if text else None


def _entry(row: Row[Any]) -> EntryRecord:
    return EntryRecord(
        id=row.id,
        job=row.job,
        name=row.name,
        says=row.says,
        since=dt.datetime.fromisoformat(row.since),
        seen=dt.datetime.fromisoformat(row.seen),
        mark=row.mark,
        unasked=row.unasked,
    )
