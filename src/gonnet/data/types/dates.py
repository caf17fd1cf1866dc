"""Dates and times written in a pattern of CLDR: `dd.MM.yyyy`, `M/d/yyyy h:mm a`, `d. MMMM yyyy`.

Source: Unicode Technical Standard 35, part 4, "Date Format Patterns"; of its fields those that make a
date or a time of day. Years of two digits lie in the hundred years that end 20 years after this version was made.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache

from gonnet.data.engine import quoted
from gonnet.data.types.kinds import Kind
from gonnet.errors import JobError

SERIAL = "serial"
"""The word for numbers of days as spreadsheets count them."""

_FIELD = re.compile(r"([A-Za-z])\1*|'(?:[^']|'')*'|[^A-Za-z']")
_FIELDS: Mapping[str, tuple[str, str]] = {
    "d": ("day", "[0-9]{1,2}"), "dd": ("day", "[0-9]{1,2}"),
    "M": ("month", "[0-9]{1,2}"), "MM": ("month", "[0-9]{1,2}"), "L": ("month", "[0-9]{1,2}"),
    "LL": ("month", "[0-9]{1,2}"), "MMM": ("name", ""), "MMMM": ("name", ""), "LLL": ("name", ""), "LLLL": ("name", ""),
    "y": ("year", "[0-9]{4}"), "yyyy": ("year", "[0-9]{4}"), "yy": ("short", "[0-9]{2}"),
    "H": ("hour", "[0-9]{1,2}"), "HH": ("hour", "[0-9]{2}"), "h": ("half", "[0-9]{1,2}"), "hh": ("half", "[0-9]{1,2}"),
    "m": ("minute", "[0-9]{1,2}"), "mm": ("minute", "[0-9]{2}"), "s": ("second", "[0-9]{1,2}"),
    "ss": ("second", "[0-9]{2}"), "S": ("fraction", "[0-9]{1,6}"), "SSS": ("fraction", "[0-9]{1,6}"),
    "a": ("noon", r"[AaPp]\.?[Mm]\.?"),
}  # fmt: skip
_LETTER = re.compile(r"[^\W\d_]")
_PIVOT = 47  # the first short year of the last century
_DATES = ("dd.MM.yyyy", "dd/MM/yyyy", "MM/dd/yyyy", "yyyy/MM/dd", "dd-MM-yyyy", "MM-dd-yyyy", "yyyy.MM.dd")
_CLOCKS = ("", " HH:mm", " HH:mm:ss", " h:mm a", " h:mm:ss a")
_NAMED = ("d MMM yyyy", "d-MMM-yyyy", "d. MMM yyyy", "MMM d, yyyy", "MMM d yyyy")
_SHORT = ("dd.MM.yy", "dd/MM/yy", "MM/dd/yy", "dd-MM-yy", "d-MMM-yy")


@dataclass(frozen=True)
class Dated(Kind):
    """Dates or times in a pattern.

    Attributes:
        pattern: The pattern.
        language: Whose names of months it has (BCP 47).
    """

    pattern: str
    language: str = "en"

    def __post_init__(self) -> None:
        known = {name for name, _ in self._parts}
        has_day = {"day"} <= known and known & {"month", "name"} and known & {"year", "short"}
        if not has_day or ("half" in known) != ("noon" in known) or {"hour", "half"} <= known:
            raise ValueError(self.pattern)

    @property
    def what(self) -> str:  # type: ignore[override]
        """Dates, or times where the pattern has hours."""
        return "times" if self.has_clock else "dates"

    @property
    def line(self) -> str:  # type: ignore[override]
        """What to write in the job."""
        quote = '"' if re.search(r"[:,#]", self.pattern) else ""
        return f"dates: {quote}{self.pattern}{quote}"

    @property
    def note(self) -> str:  # type: ignore[override]
        """How they are written."""
        return f"{self.what} written as {self.pattern}"

    @property
    def has_clock(self) -> bool:
        """Whether the values are times and not days."""
        return any(name in ("hour", "half") for name, _ in self._parts)

    @cached_property
    def _parts(self) -> tuple[tuple[str, str], ...]:
        """Field (or empty for what stands between) → its regular expression, in the order of the pattern."""
        parts = list(self._split())
        for at, (name, pattern) in enumerate(parts):  # what touches another number has all its digits
            touching = [parts[beside] for beside in (at - 1, at + 1) if 0 <= beside < len(parts)]
            if any(name and other and other != "name" for other, _ in touching):
                parts[at] = name, pattern.replace("{1,2}", "{2}")
        return tuple(parts)

    def _split(self) -> Iterator[tuple[str, str]]:
        for found in _FIELD.finditer(self.pattern):
            part = found[0]
            if part[0] == "'":
                yield "", re.escape(part[1:-1].replace("''", "'") or "'")
            elif part.isspace():
                yield "", "[ \u00a0\u202f]+"
            elif not part[0].isalpha():
                yield "", re.escape(part)
            elif part not in _FIELDS:
                raise ValueError(self.pattern)
            else:
                name, pattern = _FIELDS[part]
                names = "|".join(sorted(map(re.escape, months(self.language)), key=len, reverse=True))
                yield name, f"(?i:{names})" if name == "name" else pattern

    @cached_property
    def _sign(self) -> str:
        """A sign that every such date has; empty where there is none."""
        return next((sign for sign in self.pattern if sign in "./-"), "")

    @cached_property
    def _pattern(self) -> str:
        return "".join(f"({part})" if name else part for name, part in self._parts)

    @cached_property
    def _compiled(self) -> re.Pattern[str]:
        return re.compile(self._pattern)

    def fits(self, text: str) -> bool:
        """Whether `text` is such a date."""
        if self._sign not in text or (self._has("name") and not _LETTER.search(text)):
            return False
        found = self._compiled.fullmatch(text)
        if found is None:
            return False
        values = dict(zip((name for name, _ in self._parts if name), found.groups(), strict=True))
        month = months(self.language)[values["name"].casefold()] if "name" in values else int(values["month"])
        year = int(values["year"]) if "year" in values else _full_year(int(values["short"]))
        hour = int(values.get("hour") or 0)
        half = int(values.get("half") or 1)
        rest = int(values.get("minute") or 0) < 60 and int(values.get("second") or 0) < 60
        return hour < 24 and 1 <= half <= 12 and rest and _is_day(year, month, int(values["day"]))

    def test(self, column: str) -> str:
        """SQL for the same."""
        half = f"cast({self._group(column, 'half')} as integer) between 1 and 12 and " if self._has("half") else ""
        whole = f"regexp_full_match({quoted(column)}, {_literal(self._pattern)})"
        return f"case when {whole} then {half}try_cast({self._iso(column)} as timestamp) is not null else false end"

    def value(self, column: str) -> str:
        """The date, or the time."""
        return f"cast({self._iso(column)} as {'timestamp' if self.has_clock else 'date'})"

    def _has(self, name: str) -> bool:
        return any(name == part for part, _ in self._parts)

    def _group(self, column: str, name: str) -> str:
        """SQL for what a field says, as text."""
        number = [part for part, _ in self._parts if part].index(name) + 1
        return f"regexp_extract({quoted(column)}, {_literal(f'^{self._pattern}$')}, {number})"

    def _iso(self, column: str) -> str:
        """SQL for the date or time in the form of ISO 8601, as text."""
        year = self._group(column, "year") if self._has("year") else self._short_year(column)
        month = self._month(column) if self._has("name") else self._group(column, "month")
        day = f"{year} || '-' || {month} || '-' || {self._group(column, 'day')}"
        if not self.has_clock:
            return day
        hour = self._group(column, "hour") if self._has("hour") else self._half_day(column)
        clock = [hour] + [self._group(column, name) for name in ("minute", "second") if self._has(name)]
        clock += ["'00'"] if len(clock) == 1 else []
        fraction = f" || '.' || {self._group(column, 'fraction')}" if self._has("fraction") else ""
        return f"{day} || ' ' || " + " || ':' || ".join(clock) + fraction

    def _short_year(self, column: str) -> str:
        short = self._group(column, "short")
        return f"(case when {short} < '{_PIVOT}' then '20' else '19' end || {short})"

    def _month(self, column: str) -> str:
        pairs = ", ".join(f"{_literal(name)}: '{number}'" for name, number in months(self.language).items())
        return f"map {{{pairs}}}[lower({self._group(column, 'name')})]"

    def _half_day(self, column: str) -> str:
        half = f"try_cast({self._group(column, 'half')} as integer) % 12"
        after = f"case when lower({self._group(column, 'noon')}) like 'p%' then 12 else 0 end"
        return f"lpad(cast({half} + {after} as varchar), 2, '0')"


@dataclass(frozen=True)
class Serial(Kind):
    """Dates as spreadsheets count them: days since 30 December 1899 (ECMA-376, part 1, 18.17.4.1)."""

    what = "dates"
    line = f"dates: {SERIAL}"
    note = "dates written as numbers of days"

    def fits(self, text: str) -> bool:
        """Whether `text` is a whole number of days of the years 1900 to 9999, from March 1900 on."""
        return re.fullmatch(r"[1-9][0-9]{1,6}", text) is not None and 61 <= int(text) <= 2_958_465

    def test(self, column: str) -> str:
        """SQL for the same."""
        name = quoted(column)
        return f"regexp_full_match({name}, '[1-9][0-9]{{1,6}}') and cast({name} as integer) between 61 and 2958465"

    def value(self, column: str) -> str:
        """The date."""
        return f"(date '1899-12-30' + cast({quoted(column)} as integer))"


def pattern_of(pattern: str, language: str, where: str) -> Kind:
    """The kind that a job names under `dates:`.

    Raises:
        JobError: it is no pattern of dates.
    """
    if pattern == SERIAL:
        return Serial()
    try:
        return Dated(pattern, language)
    except ValueError as error:
        fix = "Write day, month and year, such as dd.MM.yyyy, M/d/yyyy, d MMMM yyyy; or `serial` for numbers of days"
        raise JobError(f"'{pattern}' is no pattern of dates", where=where, fix=fix) from error


@lru_cache(maxsize=8)
def usual(language: str) -> tuple[Dated, ...]:
    """The patterns that are tried where none is named: those with years of four digits."""
    numeric = [Dated(date + clock) for date in _DATES for clock in _CLOCKS]
    languages = dict.fromkeys(("en", language))
    return (*numeric, *(Dated(date, of) for of in languages for date in _NAMED))


@lru_cache(maxsize=8)
def short(language: str) -> tuple[Dated, ...]:
    """Patterns with years of two digits, which are never taken unasked."""
    return tuple(Dated(date, language) for date in _SHORT)


@lru_cache(maxsize=16)
def months(language: str) -> dict[str, int]:
    """Names of months of a language, in small letters, with and without a dot at their end → their numbers."""
    from babel import Locale

    names = Locale.parse(language, sep="-" if "-" in language else "_").months
    found: dict[str, int] = {}
    for context in ("format", "stand-alone"):
        for width in ("wide", "abbreviated"):
            for number, name in names[context][width].items():
                plain = str(name).casefold().rstrip(".")
                found |= {plain: number, f"{plain}.": number}
    return found


def _full_year(short: int) -> int:
    return (2000 if short < _PIVOT else 1900) + short


def _is_day(year: int, month: int, day: int) -> bool:
    try:
        dt.date(year, month, day)
    except ValueError:
        return False
    return True


def _literal(pattern: str) -> str:
    return "'" + pattern.replace("'", "''") + "'"
