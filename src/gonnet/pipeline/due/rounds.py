"""Going round: what is due is entered, run in turn, and told. Called every few minutes, or again and again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from gonnet.calendar import House, due_between
from gonnet.errors import GonnetError
from gonnet.ledger.calendar import NoticeRecord, OccurrenceRecord
from gonnet.pipeline.due import telling
from gonnet.pipeline.due.calendars import Calendars, house_of
from gonnet.pipeline.due.entering import enter
from gonnet.pipeline.due.resting import nothing_before
from gonnet.pipeline.sending.notices import sound_alarm, take_unheard, tell_notices
from gonnet.pipeline.tools import Tools

if TYPE_CHECKING:
    from gonnet.pipeline.due.running import Came

Told = Callable[["Came"], None]
Beginning = Callable[[OccurrenceRecord], None]
_LONGEST = 60.0  # seconds between two rounds
_WAITING = 10.0  # the same where something waits for data


@dataclass(frozen=True, slots=True, kw_only=True)
class Round:
    """What a round came to.

    Attributes:
        came: What each occurrence came to that something was done of.
        troubles: What could not be told.
        unheard: What is to be printed, where the workspace names nobody who is told.
        rests_until: Until when the next one would find nothing to do unless something changes; None where it may.
    """

    came: tuple[Came, ...] = ()
    troubles: tuple[str, ...] = field(default=())
    unheard: tuple[NoticeRecord, ...] = field(default=())
    rests_until: dt.datetime | None = None


def go_round(calendars: Calendars, begin: Beginning = lambda _one: None, tell: Told = lambda _came: None) -> Round:
    """Enter what is due, run it in the order in which it is due, and tell what must be heard.

    Args:
        calendars: The calendars.
        begin: Called before each occurrence.
        tell: Called with what each occurrence came to.

    Raises:
        JobError: the workspace's holidays are not known.
        StorageError: the ledger cannot be written.
    """
    tools = calendars.tools
    try:
        house = house_of(tools)
        calendars.keep()
        enter([line for one in calendars.all() for line in one.lines], house, tools)
        found = []
        for occurrence in tools.ledger.occurrences.open():
            if tools.stop.asked:
                break
            if occurrence.next_try is not None and occurrence.next_try > tools.clock():
                continue
            from gonnet.pipeline.due.running import run_occurrence  # drawing is not loaded where nothing is due

            begin(occurrence)
            came = run_occurrence(occurrence.id, tools)
            if came.is_begun:
                found.append(came)
                tell(came)
                tell_notices(tools)
        _digest(house, tools)
        troubles, unheard = tuple(tell_notices(tools)), take_unheard(tools)
        is_quiet = not (found or troubles or unheard or tools.stop.asked)
        rests_until = nothing_before(calendars) if is_quiet else None
        return Round(came=tuple(found), troubles=troubles, unheard=unheard, rests_until=rests_until)
    except (GonnetError, OSError) as error:
        # Where the ledger cannot be written no notice can be kept, and none may leave: only the alarm is left.
        if tools.workspace.file.alarm:
            sound_alarm(f"Gonnet cannot run what is due in {tools.workspace.folder}: {error}\n", tools)
        raise


def _digest(house: House, tools: Tools) -> None:
    """Write down the message about everything since the last one, where that is due."""
    spec = tools.workspace.file.summary
    if spec is None or spec.digest is None:
        return
    now, ledger = tools.clock(), tools.ledger
    start = ledger.notices.last_digest() or min((entry.since for entry in ledger.entries.all()), default=now)
    if not any(due_between(spec.digest, house, start, now)):
        return
    found = [one for one in ledger.occurrences.since(start) if not one.state.is_open]
    ledger.notices.add(telling.digest(found, start, tools), None, now, is_digest=True)


def wait_for_next(calendars: Calendars) -> None:
    """Wait until something may be due, a minute at most, or until an end is asked for."""
    tools = calendars.tools
    now = tools.clock()
    open_ones = tools.ledger.occurrences.open()
    moments = [one.next_try for one in open_ones if one.next_try is not None]
    longest = _WAITING if any(one.next_try is None for one in open_ones) else _LONGEST
    entries = [line.entry for one in calendars.all() for line in one.lines]
    moments += calendars.coming(entries, house_of(tools))
    longest = longest if all(entry.is_dated for entry in entries) else _WAITING
    seconds = min(((moment - now).total_seconds() for moment in moments), default=longest)
    tools.stop.sleep(min(max(seconds, 0.2), longest))
