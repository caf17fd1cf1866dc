"""The days that an entry names, before anything is said of holidays: counted with python-dateutil."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from itertools import islice

from dateutil.relativedelta import relativedelta
from dateutil.rrule import DAILY, MONTHLY, YEARLY, rrule

from gonnet.jobs.every import Every

IsWorking = Callable[[dt.date], bool]
_MONTHS = {"month": 1, "quarter": 3, "half-year": 6, "year": 12}


def named_days(
    every: Every, begin: dt.date, end: dt.date, *, is_working: IsWorking, year_begins: int, shortened: bool
) -> Iterator[dt.date]:
    """The days from `begin` to `end`, both included, that the words mean, in order.

    Args:
        every: The words.
        begin: The first day.
        end: The last one.
        is_working: Whether a day is a working day.
        year_begins: The month in which the year of the house begins, from which quarters are counted.
        shortened: Whether the last such day stands for one that a stretch of time does not have.
    """
    if every.month:
        yield from _yearly(every, begin, end, shortened=shortened)
    elif every.of is None:
        yield from _of_kind(every, begin, end, is_working)
    else:
        for first, last in _stretches(_MONTHS[every.of], begin, end, year_begins):
            found = _counted(every, first, last, is_working, shortened=shortened)
            if found is not None and begin <= found <= end:
                yield found


def _of_kind(every: Every, begin: dt.date, end: dt.date, is_working: IsWorking) -> Iterator[dt.date]:
    """Every day, working day or weekday of a stretch of time."""
    for moment in rrule(DAILY, dtstart=_midnight(begin), until=_midnight(end), byweekday=every.weekday):
        if every.kind != "working day" or is_working(moment.date()):
            yield moment.date()


def _counted(every: Every, first: dt.date, last: dt.date, is_working: IsWorking, *, shortened: bool) -> dt.date | None:
    """The how-manieth day of a kind between two days; None where there are not so many."""
    days = list(_of_kind(every, first, last, is_working))
    if not days:
        return None
    if every.number < 0:
        return days[-1]
    found = next(islice(days, every.number - 1, None), None)
    return days[-1] if found is None and shortened else found


def _stretches(months: int, begin: dt.date, end: dt.date, year_begins: int) -> Iterator[tuple[dt.date, dt.date]]:
    """The first and the last day of each month, quarter … that has a day between two days."""
    since = (begin.month - year_begins) % months
    start = begin.replace(day=1) - relativedelta(months=since)
    for moment in rrule(MONTHLY, interval=months, dtstart=_midnight(start), until=_midnight(end)):
        yield moment.date(), (moment + relativedelta(months=months, days=-1)).date()


def _yearly(every: Every, begin: dt.date, end: dt.date, *, shortened: bool) -> Iterator[dt.date]:
    day = -1 if shortened and every.may_lack else every.number
    start, until = _midnight(begin.replace(month=1, day=1)), _midnight(end)
    for moment in rrule(YEARLY, dtstart=start, until=until, bymonth=every.month, bymonthday=day):
        if moment.date() >= begin:
            yield moment.date()


def _midnight(day: dt.date) -> dt.datetime:
    return dt.datetime.combine(day, dt.time())
