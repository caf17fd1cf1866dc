"""From the words of an entry to the moments at which it is due.

Dates and times are those of the workspace's time zone. A time that the clocks skip counts by the offset before the
change, and one that comes twice is the first of the two (RFC 5545, 3.3.5).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from heapq import merge
from zoneinfo import ZoneInfo

from dateutil.rrule import rrulestr

from gonnet.calendar.days import named_days
from gonnet.jobs.calendar import Entry, OnDay

_NEAR = dt.timedelta(days=1)
_FAR = dt.timedelta(days=20)  # the most by which holidays move a day, and more
_FIRST = dt.date(2020, 1, 1)  # from which rules without a first day are counted
_AHEAD = dt.timedelta(days=366 * 9)  # in which 29 February comes back, also around 2100


@dataclass(frozen=True, slots=True, kw_only=True)
class House:
    """How a workspace counts days.

    Attributes:
        zone: Its time zone.
        year_begins: The month in which its year begins.
        is_working: Whether a day is a working day.
        is_holiday: Whether a day is a public holiday.
    """

    zone: ZoneInfo
    year_begins: int
    is_working: Callable[[dt.date], bool]
    is_holiday: Callable[[dt.date], bool]


@dataclass(frozen=True, slots=True, kw_only=True, order=True)
class Due:
    """One moment at which an entry is due.

    Attributes:
        moment: When it is, in UTC.
        named: The date and the time that the entry names, before a holiday moved it; without a zone.
    """

    moment: dt.datetime
    named: dt.datetime

    @property
    def id(self) -> str:
        """What tells it from the others of its entry: `2026-11-30T08:00`."""
        return self.named.isoformat(timespec="minutes")

    def day(self, zone: ZoneInfo) -> dt.date:
        """The day on which it is."""
        return self.moment.astimezone(zone).date()


def due_between(entry: Entry, house: House, after: dt.datetime, until: dt.datetime) -> Iterator[Due]:
    """The moments later than `after` and not later than `until`, in order; none twice.

    Args:
        entry: The entry.
        house: How the workspace counts days.
        after: With zone.
        until: With zone.
    """
    if not entry.is_dated:
        return
    # Of those that fall on the same moment, moved there or by the clocks, the last one is meant.
    found = {moment_of(at, house.zone): named for named, at in sorted(_moved(entry, house, after, until))}
    for moment in sorted(found):
        if after < moment <= until:
            yield Due(moment=moment, named=found[moment])


def next_due(entry: Entry, house: House, after: dt.datetime) -> Due | None:
    """The next moment later than `after`; None where there is none any more."""
    if entry.since is not None:
        first = moment_of(dt.datetime.combine(entry.since, dt.time()), house.zone)
        after = max(after, first - _FAR)
    begin, length = after, dt.timedelta(days=40)
    while begin < after + _AHEAD:
        found = next(due_between(entry, house, begin, begin + length), None)
        if found is not None:
            return found
        begin, length = begin + length, length * 2
    return None


def moment_of(local: dt.datetime, zone: ZoneInfo) -> dt.datetime:
    """A local time as a moment in UTC."""
    return local.replace(tzinfo=zone, fold=0).astimezone(dt.UTC)


def _moved(
    entry: Entry, house: House, after: dt.datetime, until: dt.datetime
) -> Iterator[tuple[dt.datetime, dt.datetime]]:
    """Each date and time that is named, and the one to which holidays and weekends move it."""
    begin, end = (moment.astimezone(house.zone).date() for moment in (after, until))
    around = _NEAR if {entry.on_holiday, entry.on_weekend} <= {"run", "skip"} else _FAR
    begin = max(begin - around, entry.since or begin - around)
    end = min(end + around, entry.until or end + around)
    for named in _named(entry, house, begin, end) if begin <= end else ():
        day = _on_day(entry, house, named.date())
        if day is not None:
            yield named, dt.datetime.combine(day, named.time())


def _named(entry: Entry, house: House, begin: dt.date, end: dt.date) -> Iterator[dt.datetime]:
    if entry.rule is not None:
        yield from _by_rule(entry, begin, end)
        return
    shortened = entry.short_month == "last day"
    each = [
        named_days(every, begin, end, is_working=house.is_working, year_begins=house.year_begins, shortened=shortened)
        for every in entry.every
    ]
    last = None
    for day in merge(*each):
        if day != last:
            yield from (dt.datetime.combine(day, time) for time in _times(entry))
        last = day


def _by_rule(entry: Entry, begin: dt.date, end: dt.date) -> Iterator[dt.datetime]:
    is_anew = "FREQ=HOURLY" in (entry.rule or "") or "FREQ=MINUTELY" in (entry.rule or "")
    start = dt.datetime.combine(begin if is_anew else entry.since or _FIRST, dt.time())
    rule = rrulestr(entry.rule or "", dtstart=start)
    for moment in rule.between(dt.datetime.combine(begin, dt.time()), dt.datetime.combine(end, dt.time.max), inc=True):
        if entry.has_times_in_rule:
            yield moment.replace(tzinfo=None)
        else:
            yield from (dt.datetime.combine(moment.date(), time) for time in _times(entry))


def _times(entry: Entry) -> tuple[dt.time, ...]:
    return tuple(sorted(set(entry.at))) or (dt.time(),)


def _on_day(entry: Entry, house: House, day: dt.date) -> dt.date | None:
    """The day on which it is run; None where it is left out."""
    wishes: list[OnDay] = []
    wishes += [entry.on_holiday] if house.is_holiday(day) else []
    wishes += [entry.on_weekend] if day.weekday() > 4 else []
    wishes = [wish for wish in wishes if wish != "run"]
    if not wishes:
        return day
    if "skip" in wishes:
        return None
    step = dt.timedelta(days=1 if wishes[0] == "next working day" else -1)
    day += step
    while not house.is_working(day):
        day += step
    return day
