"""Periods: a day, an ISO week, a month, a quarter, a half-year, a year, the last days, or any two dates (ISO 8601).

A year may begin in another month than January; quarters and half-years are then those of that fiscal year, which has
the number of the calendar year in which it ends.
"""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from typing import Literal

from babel import Locale, dates

from gonnet.wording.words import words_of

Span = Literal["day", "week", "month", "quarter", "half-year", "year"]

_DAY = re.compile(r"^\d{4}-\d{2}-\d{2}$")
_WEEK = re.compile(r"^(\d{4})-W(\d{2})$")
_MONTH = re.compile(r"^(\d{4})-(\d{2})$")
_QUARTER = re.compile(r"^(\d{4})-Q([1-4])$")
_HALF = re.compile(r"^(\d{4})-H([12])$")
_YEAR = re.compile(r"^(\d{4})$")
_LAST = re.compile(r"^last (\d{1,4}) days$")
_RANGE = re.compile(r"^(\d{4}-\d{2}-\d{2})(?: to |/|\.\.)(\d{4}-\d{2}-\d{2})$")

FORMS = {
    "day": "2026-10-31",
    "week": "2026-W41",
    "month": "2026-10",
    "quarter": "2026-Q3",
    "half-year": "2026-H2",
    "year": "2026",
}
_MONTHS = {"month": 1, "quarter": 3, "half-year": 6, "year": 12}


@dataclass(frozen=True, slots=True, kw_only=True)
class Period:
    """A stretch of days; both ends belong to it.

    Attributes:
        id: As it is written: `2026-10`, `2026-W41`, `2026-Q3`, `2026-10-01/2026-10-15`.
        label: As the house says it: `October 2026`.
        start: Its first day.
        end: Its last day.
    """

    id: str
    label: str
    start: dt.date
    end: dt.date

    @property
    def days(self) -> int:
        """How many days it has."""
        return (self.end - self.start).days + 1

    def __str__(self) -> str:
        return self.label


@dataclass(frozen=True, slots=True, kw_only=True)
class Periods:
    """How a house counts periods.

    Attributes:
        locale: CLDR name of the language of labels.
        year_begins: The month in which its year begins, 1 to 12.
    """

    locale: str = "en"
    year_begins: int = 1

    def period(self, text: str, span: Span, as_of: dt.date) -> Period:
        """The period that `text` names, as seen from `as_of`.

        Args:
            text: `current`, `previous`, `next`, `last N days` (ending the day before `as_of`), two dates, or one of the
                forms of ISO 8601 whatever the span.
            span: What `current`, `previous` and `next` count in.
            as_of: The date of the run.

        Raises:
            ValueError: `text` names no period.
        """
        text = text.strip()
        shift = {"current": 0, "previous": -1, "next": 1}.get(text)
        if shift is not None:
            return self._around(span, as_of, shift)
        if found := _LAST.match(text):
            if not int(found[1]):
                raise ValueError(text)
            return self._between(as_of - dt.timedelta(days=int(found[1])), as_of - dt.timedelta(days=1))
        if found := _RANGE.match(text):
            return self._between(dt.date.fromisoformat(found[1]), dt.date.fromisoformat(found[2]))
        return self._written(text)

    def _written(self, text: str) -> Period:
        if _DAY.match(text):
            return self._day(dt.date.fromisoformat(text))
        if found := _WEEK.match(text):
            return self._week(dt.date.fromisocalendar(int(found[1]), int(found[2]), 1))
        if found := _MONTH.match(text):
            return self._months("month", dt.date(int(found[1]), int(found[2]), 1))
        for pattern, span in ((_QUARTER, "quarter"), (_HALF, "half-year"), (_YEAR, "year")):
            if found := pattern.match(text):
                number = int(found[2]) if found.lastindex == 2 else 1
                return self._months(span, _add(self._year_start(int(found[1])), (number - 1) * _MONTHS[span]))
        raise ValueError(text)

    def _around(self, span: Span, as_of: dt.date, shift: int) -> Period:
        if span == "day":
            return self._day(as_of + dt.timedelta(days=shift))
        if span == "week":
            return self._week(as_of + dt.timedelta(days=7 * shift))
        length = _MONTHS[span]
        since = (as_of.month - self.year_begins) % length if span != "month" else 0
        return self._months(span, _add(as_of.replace(day=1), shift * length - since))

    def _year_start(self, year: int) -> dt.date:
        return dt.date(year if self.year_begins == 1 else year - 1, self.year_begins, 1)

    def _months(self, span: str, start: dt.date) -> Period:
        end = _add(start, _MONTHS[span]) - dt.timedelta(days=1)
        if span == "month":
            label = dates.format_skeleton("yMMMM", start, locale=self.locale)
            return Period(id=f"{start:%Y-%m}", label=label, start=start, end=end)
        year = _add(start, 12 - (start.month - self.year_begins) % 12 - 1).year
        part = (start.month - self.year_begins) % 12 // _MONTHS[span] + 1
        sign = {"quarter": f"-Q{part}", "half-year": f"-H{part}", "year": ""}[span]
        quarter = Locale.parse(self.locale).quarters["format"]["abbreviated"].get(part, "")
        half = words_of(self.locale).half.format(part, year)
        label = {"quarter": f"{quarter} {year}", "half-year": half, "year": f"{year}"}[span]
        if span == "year" and self.year_begins != 1:
            label = f"{year - 1}/{year % 100:02d}"
        return Period(id=f"{year}{sign}", label=label, start=start, end=end)

    def _week(self, day: dt.date) -> Period:
        year, week, weekday = day.isocalendar()
        start = day - dt.timedelta(days=weekday - 1)
        label = words_of(self.locale).week.format(f"{week:02d}", year)
        return Period(id=f"{year}-W{week:02d}", label=label, start=start, end=start + dt.timedelta(days=6))

    def _day(self, day: dt.date) -> Period:
        return Period(id=day.isoformat(), label=self._said(day), start=day, end=day)

    def _between(self, start: dt.date, end: dt.date) -> Period:
        if end < start:
            raise ValueError("it ends before it begins")
        label = f"{self._said(start)} – {self._said(end)}"
        return Period(id=f"{start.isoformat()}/{end.isoformat()}", label=label, start=start, end=end)

    def _said(self, day: dt.date) -> str:
        return dates.format_date(day, "medium", locale=self.locale)


def _add(day: dt.date, months: int) -> dt.date:
    """The first of the month `months` after the month of `day`."""
    year, index = divmod(day.year * 12 + day.month - 1 + months, 12)
    return dt.date(year, index + 1, 1)
