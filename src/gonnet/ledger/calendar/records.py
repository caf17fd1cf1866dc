"""What is written of the calendar."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any


class OccurrenceState(StrEnum):
    """The state of an occurrence; all but the first two are final."""

    WAITING = "waiting"  # due; not begun yet, or to be tried again
    BEGUN = "begun"
    SENT = "sent"  # everything that was due left
    NOTHING = "nothing to send"
    TO_REVIEW = "to review"
    ATTENTION = "wants attention"
    FAILED = "failed"
    MISSED = "missed"
    ABSENT = "did not come"
    PAUSED = "paused"

    @property
    def is_open(self) -> bool:
        """Whether it is still to be run."""
        return self in OPEN

    @property
    def is_wrong(self) -> bool:
        """Whether somebody must hear of it."""
        return self in (self.ATTENTION, self.FAILED, self.MISSED, self.ABSENT)


OPEN = (OccurrenceState.WAITING, OccurrenceState.BEGUN)


@dataclass(frozen=True, slots=True, kw_only=True)
class EntryRecord:
    """An entry of a job's calendar, as it was last read.

    Attributes:
        says: What the job file says, in plain values.
        since: From when on it counts: when it was first seen, or last changed.
        seen: Until when what was due is entered.
        mark: What it waited for, as it was when it ran last; empty before.
        unasked: How often in a row what it waits for could not be asked for.
    """

    id: int
    job: str
    name: str
    says: Mapping[str, Any]
    since: dt.datetime
    seen: dt.datetime
    mark: str
    unasked: int


@dataclass(frozen=True, slots=True, kw_only=True)
class OccurrenceRecord:
    """One due date of an entry.

    Attributes:
        named: The date and time that the entry names, without a zone: `2026-11-30T08:00`.
        due: When it is due, after holidays and weekends moved it.
        says: What the job file said when it was entered, in plain values.
        reason: Why it has its state.
        tries: How often it was begun.
        next_try: When it is to be tried again, or None.
        mark: What it waited for, as it was found.
        run: The number of its last run, or None.
    """

    id: int
    job: str
    entry: str
    named: str
    due: dt.datetime
    says: Mapping[str, Any]
    state: OccurrenceState
    reason: str
    entered: dt.datetime
    begun: dt.datetime | None
    ended: dt.datetime | None
    tries: int
    next_try: dt.datetime | None
    mark: str
    run: int | None

    @property
    def date(self) -> dt.date:
        """The date for which it is run."""
        return dt.datetime.fromisoformat(self.named).date()


@dataclass(frozen=True, slots=True, kw_only=True)
class PauseRecord:
    """A pause of a job.

    Attributes:
        until: The first day on which it is over; None until somebody resumes it.
        resumed: When somebody ended it, or None.
    """

    id: int
    job: str
    at: dt.datetime
    until: dt.date | None
    who: str
    why: str
    resumed: dt.datetime | None
    resumed_by: str

    def holds_on(self, day: dt.date) -> bool:
        """Whether it holds on a day."""
        return self.resumed is None and (self.until is None or day < self.until)


@dataclass(frozen=True, slots=True, kw_only=True)
class Notice:
    """Something that administrators are to hear.

    Attributes:
        subject: What happened, in a few words.
        text: What, where and what to do, in CommonMark.
        tell: Who is to hear it in place of those of the workspace: addresses, separated by `;`.
        run: The run whose full list is attached, or None.
    """

    subject: str
    text: str
    tell: str = ""
    run: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class NoticeRecord:
    """A notice that was written down.

    Attributes:
        told: When it was taken by a mail server, or None.
        trouble: Why it was not told at the last try.
        alarmed: When the program for alarms took it, or None.
    """

    id: int
    at: dt.datetime
    notice: Notice
    occurrence: int | None
    told: dt.datetime | None
    trouble: str
    alarmed: dt.datetime | None
