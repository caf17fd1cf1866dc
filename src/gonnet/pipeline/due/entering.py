"""Writing down what is due: each due date once, before anything of it begins."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence

from gonnet.calendar import Due, House, due_between
from gonnet.jobs.calendar import Entry
from gonnet.ledger.calendar import EntryRecord, OccurrenceState, PauseRecord
from gonnet.ledger.calendar.occurrences import New
from gonnet.pipeline.due import telling
from gonnet.pipeline.due.calendars import Line
from gonnet.pipeline.due.triggers import look, said_length
from gonnet.pipeline.tools import Tools

_NOTHING = "0" * 20  # the mark of what was not there at the first look: older than any file
_PROMPT = dt.timedelta(hours=1)  # what is later than that is late


def enter(lines: Sequence[Line], house: House, tools: Tools) -> int:
    """Write down what is due by now; returns how many are new."""
    now = tools.clock()
    tools.ledger.occurrences.forget_ahead(now)
    paused = tools.ledger.pauses.on(tools.today())
    count = 0
    for line in lines:
        if line.record is None:
            continue
        if line.entry.is_dated:
            count += _dated(line.entry, line.record, house, paused, tools)
        else:
            count += _when_it_comes(line.entry, line.record, paused, tools)
    tools.ledger.entries.seen([line.record.id for line in lines if line.record is not None], now)
    return count


def _dated(entry: Entry, record: EntryRecord, house: House, paused: Mapping[str, PauseRecord], tools: Tools) -> int:
    now = tools.clock()
    due = list(due_between(entry, house, max(record.since, record.seen), now))
    if not due:
        return 0
    if record.job in paused:
        why = f"paused: {paused[record.job].why}"
        found: list[New] = [(one.id, one.moment, OccurrenceState.PAUSED, why) for one in due]
    else:
        found = list(_on_time(entry, due, now))
    missed = [one for one in found if one[2] is OccurrenceState.MISSED]
    notice = telling.missed(record, missed, entry, tools) if missed else None
    return tools.ledger.occurrences.enter(record, found, now, notice)


def _on_time(entry: Entry, due: Sequence[Due], now: dt.datetime) -> Iterator[New]:
    """What is to be run of what is due, and what is too late for it."""
    for one in due:
        late = now - one.moment
        if late > entry.within and late > _PROMPT:
            yield one.id, one.moment, OccurrenceState.MISSED, f"nothing ran for more than {said_length(entry.within)}"
        elif late > _PROMPT and entry.missed == "skip":
            yield one.id, one.moment, OccurrenceState.MISSED, "nothing ran at its time"
        elif late > _PROMPT and entry.missed == "newest" and one is not due[-1]:
            yield one.id, one.moment, OccurrenceState.MISSED, f"that of {due[-1].id} is run in its place"
        else:
            yield one.id, one.moment, OccurrenceState.WAITING, ""


def _when_it_comes(entry: Entry, record: EntryRecord, paused: Mapping[str, PauseRecord], tools: Tools) -> int:
    """Look whether what an entry without days waits for is new; what was there at the first look is not."""
    assert entry.waits_for is not None
    ledger, now = tools.ledger, tools.clock()
    found = look(entry.waits_for, record.mark, tools, f"jobs/{record.job}.yaml")
    if found.failed is not None:
        ledger.entries.asked(record, unasked=record.unasked + 1)
        if record.unasked + 1 == entry.tries:
            ledger.notices.add(telling.not_asked(record, entry, found.failed), None, now)
        return 0
    is_first = not record.mark
    if is_first or record.unasked:
        ledger.entries.asked(record, mark=(found.mark or _NOTHING) if is_first else None)
    if is_first or not found.is_met or not _is_within(entry, tools.today()):
        return 0
    local = now.astimezone(tools.workspace.zone).replace(tzinfo=None)
    state = OccurrenceState.PAUSED if record.job in paused else OccurrenceState.WAITING
    why = f"paused: {paused[record.job].why}" if record.job in paused else found.why
    new = (local.isoformat(timespec="seconds"), now, state, why)
    if any(one.job == record.job and one.entry == record.name for one in ledger.occurrences.open()):
        return 0  # what came before is not done yet
    return ledger.occurrences.enter(record, [new], now, mark=found.mark)


def _is_within(entry: Entry, today: dt.date) -> bool:
    return (entry.since is None or entry.since <= today) and (entry.until is None or today <= entry.until)
