"""The occurrences of all calendars: each is written down before it begins, once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import Connection, Engine, Row, Select, delete, func, insert, select, update

from gonnet.ledger import schema
from gonnet.ledger.calendar.entries import once_more, read, written
from gonnet.ledger.calendar.notices import add_notice
from gonnet.ledger.calendar.records import OPEN, EntryRecord, Notice, OccurrenceRecord, OccurrenceState
from gonnet.ledger.failures import explained

_table = schema.occurrences.c
New = tuple[str, dt.datetime, OccurrenceState, str]
"""What is entered: the date and time that is named, when it is due, the state that it has, and why."""


class Occurrences:
    """The occurrences that one ledger knows.

    Args:
        engine: Its database.
        place: Where it is, for messages.
    """

    def __init__(self, engine: Engine, place: str) -> None:
        self._engine, self.place = engine, place

    @explained
    def enter(
        self, entry: EntryRecord, found: Sequence[New], now: dt.datetime, notice: Notice | None = None, mark: str = ""
    ) -> int:
        """Write down what of an entry is due until now; what is known already stays as it is.

        Args:
            entry: The entry.
            found: What is due.
            now: The time.
            notice: What administrators are to hear of it, where something new is entered.
            mark: What they waited for, as it was found.

        Returns:
            How many are new.
        """
        return once_more(lambda: self._enter(entry, found, now, notice, mark))

    def _enter(
        self, entry: EntryRecord, found: Sequence[New], now: dt.datetime, notice: Notice | None, mark: str
    ) -> int:
        with self._engine.begin() as work:
            known = set(work.scalars(select(_table.named).where(_table.job == entry.job, _table.entry == entry.name)))
            new = [one for one in found if one[0] not in known]
            for named, due, state, reason in new:
                row: dict[str, Any] = {
                    "job": entry.job,
                    "entry": entry.name,
                    "named": named,
                    "due": written(due),
                    "reason": reason,
                }
                row |= {"says": dict(entry.says), "state": state, "entered": written(now), "mark": mark}
                row |= {} if state.is_open else {"ended": written(now)}
                work.execute(insert(schema.occurrences).values(**row))
            if mark:
                work.execute(update(schema.entries).where(schema.entries.c.id == entry.id).values(mark=mark))
            if new and notice is not None:
                add_notice(work, notice, None, now)
            return len(new)

    @explained
    def forget_ahead(self, now: dt.datetime) -> None:
        """Forget what was only missed at a time that is still to come: the clock was ahead when it was entered."""
        ahead = (OccurrenceState.MISSED, OccurrenceState.PAUSED, OccurrenceState.WAITING)
        with self._engine.begin() as work:
            work.execute(delete(schema.occurrences).where(_table.due > written(now), _table.state.in_(ahead)))
            later = schema.entries.c.seen > written(now)
            work.execute(update(schema.entries).where(later).values(seen=written(now)))

    @explained
    def open(self) -> tuple[OccurrenceRecord, ...]:
        """What is still to be run, the oldest first."""
        return self._found(select(schema.occurrences).where(_table.state.in_(OPEN)).order_by(_table.due, _table.id))

    @explained
    def one(self, number: int) -> OccurrenceRecord:
        """The occurrence of a number."""
        return self._found(select(schema.occurrences).where(_table.id == number))[0]

    @explained
    def since(self, moment: dt.datetime) -> tuple[OccurrenceRecord, ...]:
        """What ended later than a moment, and what is open, the oldest first."""
        wanted = (_table.ended > written(moment)) | _table.state.in_(OPEN)
        return self._found(select(schema.occurrences).where(wanted).order_by(_table.due, _table.id))

    @explained
    def without_run(self, states: Collection[OccurrenceState]) -> tuple[OccurrenceRecord, ...]:
        """What came to one of these states and never to a run, the newest first."""
        query = select(schema.occurrences).where(_table.state.in_(states)).order_by(_table.id.desc())
        return tuple(one for one in self._found(query) if one.run is None)

    @explained
    def last(self) -> dict[tuple[str, str], OccurrenceRecord]:
        """Job and entry → its newest occurrence."""
        newest = select(func.max(_table.id)).group_by(_table.job, _table.entry)
        found = self._found(select(schema.occurrences).where(_table.id.in_(newest)))
        return {(one.job, one.entry): one for one in found}

    @explained
    def begin(self, number: int, now: dt.datetime, mark: str = "") -> None:
        """It begins, or begins again, with the mark of what it waited for. Who calls this holds the lock of its job."""
        with self._engine.begin() as work:
            values = {"state": OccurrenceState.BEGUN, "begun": written(now), "tries": _table.tries + 1}
            values |= {"mark": mark} if mark else {}
            work.execute(_change(number).values(next_try=None, **values))
            if mark:
                _keep_mark(work, number, mark)

    @explained
    def later(self, number: int, reason: str, next_try: dt.datetime | None, *, counts: bool = True) -> None:
        """It is to be tried again: at a time, or at the next occasion; the try counts unless `counts` is false."""
        tries = {} if counts else {"tries": _table.tries - 1}
        values = {"state": OccurrenceState.WAITING, "reason": reason, **tries}
        at = written(next_try) if next_try else None
        with self._engine.begin() as work:
            work.execute(_change(number).values(next_try=at, **values))

    @explained
    def end(self, number: int, state: OccurrenceState, reason: str, now: dt.datetime, notice: Notice | None) -> None:
        """It is over; what administrators are to hear of it is written down with it."""
        with self._engine.begin() as work:
            values = {"state": state, "reason": reason, "ended": written(now), "next_try": None}
            if work.execute(_change(number).values(**values)).rowcount and notice is not None:
                add_notice(work, notice, number, now)

    def _found(self, query: Select[Any]) -> tuple[OccurrenceRecord, ...]:
        with self._engine.connect() as work:
            rows = work.execute(query).all()
            numbers = [row.id for row in rows]
            run = schema.runs.c
            last = select(run.occurrence_id, func.max(run.id)).where(run.occurrence_id.in_(numbers))
            runs: dict[int, int] = {}
            for occurrence, number in work.execute(last.group_by(run.occurrence_id)) if numbers else ():
                runs[int(occurrence)] = int(number)
            return tuple(_occurrence(row, runs.get(row.id)) for row in rows)


def _keep_mark(work: Connection, number: int, mark: str) -> None:
    """What an entry waited for, as it was when it ran last."""
    one = work.execute(select(_table.job, _table.entry).where(_table.id == number)).one()
    entry = schema.entries.c
    work.execute(update(schema.entries).where(entry.job == one.job, entry.name == one.entry).values(mark=mark))


def _change(number: int) -> Any:  # noqa: ANN401  an update has no plain type
    """A change of an occurrence that is not over: what is over stays as it is."""
    return update(schema.occurrences).where(_table.id == number, _table.state.in_(OPEN))


def _occurrence(row: Row[Any], run: int | None) -> OccurrenceRecord:
    return OccurrenceRecord(
        id=row.id,
        job=row.job,
        entry=row.entry,
        named=row.named,
        due=dt.datetime.fromisoformat(row.due),
        says=row.says,
        state=OccurrenceState(row.state),
        reason=row.reason,
        entered=dt.datetime.fromisoformat(row.entered),
        begun=read(row.begun),
        ended=read(row.ended),
        tries=row.tries,
        next_try=read(row.next_try),
        mark=row.mark,
        run=run,
    )
