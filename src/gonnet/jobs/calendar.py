"""The calendar of a job: when it runs by itself, and what it does then."""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import AfterValidator, BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs.every import Every, every_of
from gonnet.jobs.sections import Name, Names, Section
from gonnet.jobs.values import as_tuple

_SUB_DAILY = ("HOURLY", "MINUTELY")


def as_time(value: object) -> object:
    """A time of the day such as `08:00`."""
    if isinstance(value, dt.time):
        return value
    try:
        if isinstance(value, str) and re.fullmatch(r"\d?\d:\d\d", value):
            return dt.time.fromisoformat(value.zfill(5))
    except ValueError:
        pass
    raise ValueError(f"'{value}' is not a time of the day; write one such as '08:00', in quotes")


_UNITS = {"second": 1, "minute": 60, "hour": 3_600, "day": 86_400, "week": 604_800}


def as_stretch(value: object) -> object:
    """A length of time such as `6 hours`."""
    found = (
        re.fullmatch(r"(\d{1,6}) (second|minute|hour|day|week)s?", value.strip()) if isinstance(value, str) else None
    )
    if found is None:
        raise ValueError(f"'{value}' is not a length of time; write one such as 30 minutes, 6 hours or 3 days")
    return dt.timedelta(seconds=int(found[1]) * _UNITS[found[2]])


_TIME = Annotated[str, Field(pattern=r"^\d?\d:\d\d$")]
_LENGTH = Annotated[str, Field(pattern=r"^\s*\d{1,6} (second|minute|hour|day|week)s?\s*$")]
Length = Annotated[dt.timedelta, BeforeValidator(as_stretch, json_schema_input_type=_LENGTH)]


def _as_days(value: object) -> object:
    given = value if isinstance(value, (list, tuple)) else (value,)
    return tuple(every_of(part) if isinstance(part, str) else part for part in given)


def _as_times(value: object) -> object:
    return tuple(as_time(part) for part in (value if isinstance(value, (list, tuple)) else (value,)))


def as_texts(value: object) -> object:
    """The values of parameters as they are given with `--set`."""
    if not isinstance(value, dict):
        return value
    return {name: _as_text(part) for name, part in value.items()}


def _as_text(value: object) -> object:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value) if isinstance(value, (int, Decimal, dt.date)) else value


def _known_rule(text: str | None) -> str | None:
    """A recurrence rule (RFC 5545, 3.3.10) that can be counted."""
    if text is None:
        return None
    from dateutil.rrule import rrulestr

    rule = text.strip().upper().removeprefix("RRULE:")
    if "DTSTART" in rule or "\n" in rule:
        raise ValueError("a rule says how it comes back and no more: write its first day as `from`")
    try:
        rrulestr(rule, dtstart=dt.datetime(2026, 1, 1))  # noqa: DTZ001  local time, as all calendars
    except (ValueError, KeyError, TypeError, IndexError, AttributeError) as error:
        raise ValueError(
            f"'{text}' is not a recurrence rule of RFC 5545 ({error}); write one such as FREQ=MONTHLY;BYDAY=-1FR"
        ) from error
    parts = dict(part.split("=", 1) for part in rule.split(";") if "=" in part)
    if parts["FREQ"] == "SECONDLY":
        raise ValueError("a rule comes back every minute at most")
    minutes = int(parts.get("INTERVAL", "1")) * (60 if parts["FREQ"] == "HOURLY" else 1)
    if parts["FREQ"] in _SUB_DAILY and (1440 % minutes or "COUNT" in parts):
        raise ValueError("a rule of hours or minutes begins anew each day: 24 hours must be a multiple of its interval")
    return rule


def _needs_first_day(rule: str) -> bool:
    """Whether the day of a rule, or how it counts, follows from its first day."""
    if any(f"FREQ={part}" in rule for part in _SUB_DAILY):
        return False
    has_days = "FREQ=DAILY" in rule or any(part in rule for part in ("BYDAY=", "BYMONTHDAY=", "BYYEARDAY="))
    return not has_days or "COUNT=" in rule or bool(re.search(r"INTERVAL=(?!1\b)\d+", rule))


_Given = str | bool | int | Decimal | dt.date


class Wait(Section):
    """What an entry waits for besides its time, or in place of it.

    Attributes:
        file: A file, or a pattern of some, that must be newer than when the entry ran last; or
        database: A database of the workspace, by its name, that is asked; and
        sql: the question with one value, which must be another than when the entry ran last.
        settled: How long the file must have been as it is.
        latest: Until when it must have come: a time of the same day, or a length of time after it was due.
    """

    file: str | None = None
    database: Name | None = None
    sql: str | None = None
    settled: Length = dt.timedelta(seconds=60)
    latest: dt.time | dt.timedelta | None = None

    @field_validator("latest", mode="before", json_schema_input_type=_TIME | _LENGTH | None)
    @classmethod
    def _time_or_length(cls, value: object) -> object:
        if value is None or isinstance(value, (dt.time, dt.timedelta)):
            return value
        return as_time(value) if isinstance(value, str) and ":" in value else as_stretch(value)

    @model_validator(mode="after")
    def _one_of_two(self) -> Wait:
        if (self.file is None) == (self.database is None) or (self.database is None) != (self.sql is None):
            raise ValueError("waits_for names either a `file`, or a `database` and the `sql` to ask it")
        return self


OnDay = Literal["run", "skip", "next working day", "previous working day"]


class Entry(Section):
    """One line of the calendar of a job.

    Attributes:
        name: How it is called; its days and times when left out.
        every: The days, in plain words; or
        rule: A recurrence rule of RFC 5545.
        at: The times of the day, in the time zone of the workspace.
        since: The first day on which it counts.
        until: The last day on which it counts.
        on_holiday: What becomes of a day that is a public holiday.
        on_weekend: What becomes of a Saturday or a Sunday.
        short_month: What becomes of a day that a stretch of time does not have, such as the 31st.
        set: Parameters and their values, as with `--set`.
        only: Keys to which its runs are limited.
        do: Whether they are sent, or wait for somebody to review them.
        tell: Who hears of it in place of those of the workspace: addresses, separated by `;`.
        waits_for: What must be there or be new.
        missed: What becomes of what was due while nothing ran: all of it is made up for, the newest of it, or nothing.
        within: How late it may be made up for.
        tries: How often it is tried where something cannot be reached.
        pause: How long it waits before the second try; twice as long before each further one.
    """

    name: str | None = Field(default=None, min_length=1, max_length=60)
    every: Annotated[tuple[Every, ...], BeforeValidator(_as_days, json_schema_input_type=str | tuple[str, ...])] = ()
    rule: Annotated[str | None, AfterValidator(_known_rule)] = None
    at: Annotated[
        tuple[dt.time, ...], BeforeValidator(_as_times, json_schema_input_type=_TIME | tuple[_TIME, ...])
    ] = ()
    since: dt.date | None = Field(default=None, alias="from")
    until: dt.date | None = None
    on_holiday: OnDay = "run"
    on_weekend: OnDay = "run"
    short_month: Literal["last day", "leave out"] | None = None
    set: Annotated[dict[str, str], BeforeValidator(as_texts, json_schema_input_type=dict[str, _Given])] = {}
    only: Annotated[Names, BeforeValidator(as_tuple)] = ()
    do: Literal["send", "prepare"] = "send"
    tell: str | None = None
    waits_for: Wait | None = None
    missed: Literal["run", "newest", "skip"] = "run"
    within: Length = dt.timedelta(days=3)
    tries: int = Field(default=3, ge=1, le=100)
    pause: Length = dt.timedelta(minutes=5)

    @property
    def called(self) -> str:
        """Its name: what it is called, or its days and times."""
        if self.name is not None:
            return self.name
        days = self.rule or ", ".join(every.words for every in self.every) or self._data
        return " ".join([days, *(f"{time:%H:%M}" for time in self.at)])[:120]

    @property
    def _data(self) -> str:
        wait = self.waits_for
        return f"when {wait.file or wait.database} has something new" if wait is not None else "never"

    @property
    def is_dated(self) -> bool:
        """Whether it has days; one without waits for data alone."""
        return bool(self.every) or self.rule is not None

    @property
    def has_times_in_rule(self) -> bool:
        """Whether the rule itself says at what time."""
        rule = self.rule or ""
        return any(f"FREQ={part}" in rule for part in _SUB_DAILY) or "BYHOUR=" in rule

    @model_validator(mode="after")
    def _days_and_times(self) -> Entry:
        if self.every and self.rule is not None:
            raise ValueError("an entry has either `every`, or a `rule`")
        if not self.is_dated and (self.waits_for is None or self.at):
            raise ValueError("an entry says when: `every: monday` with `at: '08:00'`, a `rule`, or `waits_for`")
        if self.is_dated and not self.at and self.waits_for is None and not self.has_times_in_rule:
            raise ValueError("an entry says at what time: `at: '08:00'`")
        if self.at and self.has_times_in_rule:
            raise ValueError("the rule says at what time already: leave out `at`, or BYHOUR and FREQ=HOURLY")
        if not self.is_dated and self.waits_for is not None and self.waits_for.latest is not None:
            raise ValueError("`latest` needs a day: without `every` or `rule` nothing is due at any time")
        if self.since is not None and self.until is not None and self.until < self.since:
            raise ValueError("`until` is before `from`")
        return self

    @model_validator(mode="after")
    def _said_in_full(self) -> Entry:
        lacking = next((every.words for every in self.every if every.may_lack), None)
        if lacking is not None and self.short_month is None:
            what = f"'{lacking}' is not there every time; say what then: `short_month: last day`, or "
            raise ValueError(what + "`short_month: leave out`")
        rule = self.rule or ""
        if rule and self.since is None and _needs_first_day(rule):
            raise ValueError("this rule counts from a first day: write it as `from: 2026-01-05`")
        weekend = {5, 6} & {every.weekday for every in self.every if every.weekday is not None}
        if weekend and self.on_weekend == "skip":
            raise ValueError("`every` names a day of the weekend, and `on_weekend: skip` leaves it out")
        return self
