"""How a text may be a value: kinds that a column of text can turn out to be, each the same in Python and in SQL.

The test in Python chooses what is tried, the one in SQL says for every row whether it is so.
"""

from __future__ import annotations

import datetime as dt
import re
from abc import ABC, abstractmethod
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from gonnet.data.engine import quoted

_WHOLE = r"-?(0|[1-9][0-9]{0,17})"
_DECIMAL = r"-?(0|[1-9][0-9]{0,27})(\.[0-9]{1,18})?"
_DATE = r"[0-9]{4}-[0-9]{2}-[0-9]{2}"
_CLOCK = r"[T ][0-9]{2}:[0-9]{2}(:[0-9]{2}(\.[0-9]{1,9})?)?"
_OFFSET = r"(Z|[+-][0-9]{2}(:?[0-9]{2})?)"


class Kind(ABC):
    """A way in which every value of a column of text may be written.

    Attributes:
        what: What such values are, in the plural: `numbers`, `dates`.
        line: What to write in the job so that they are read so; empty where nothing is needed.
        note: How they are written, where this is worth telling; else empty.
    """

    what: str
    line: str = ""
    note: str = ""

    @abstractmethod
    def fits(self, text: str) -> bool:
        """Whether `text` is such a value."""

    @abstractmethod
    def test(self, column: str) -> str:
        """SQL that says whether the text of a column is such a value."""

    @abstractmethod
    def value(self, column: str) -> str:
        """SQL that makes the value of the text of a column."""


class Number(Kind):
    """Numbers, whose type depends on the longest of them."""

    what = "numbers"

    @abstractmethod
    def plain(self, column: str) -> str:
        """SQL that makes the text of a column a number in the plain form (`-1234.56`)."""

    @property
    def scale(self) -> int:
        """By how many decimals the value is smaller than what is written (2 for percentages)."""
        return 0

    def decimal(self, column: str, longest: int, places: int) -> str:
        """SQL that makes the value, of texts with so many signs in the plain form, so many of them decimals."""
        if not places and not self.scale and longest <= _WIDE:
            return f"cast({self.plain(column)} as bigint)"
        width = 18 if longest + places + 2 * self.scale <= 18 else 38
        if not self.scale:
            return f"cast({self.plain(column)} as decimal({width},{places}))"
        exact = f"cast({self.plain(column)} as decimal(30,{places})) * 0.01::decimal(3,2)"
        return f"cast({exact} as decimal({width},{places + self.scale}))"

    def value(self, column: str) -> str:
        """SQL that makes the value, of whole numbers."""
        return f"cast({self.plain(column)} as bigint)"


_WIDE = 18  # digits that every whole number of 64 bits has


@dataclass(frozen=True, slots=True)
class Whole(Number):
    """Whole numbers in the plain form: `1042`, and never `00042`."""

    def fits(self, text: str) -> bool:
        """Whether `text` is one of at most 18 digits."""
        return re.fullmatch(_WHOLE, text) is not None

    def test(self, column: str) -> str:
        """SQL for the same."""
        return f"regexp_full_match({quoted(column)}, '{_WHOLE}')"

    def plain(self, column: str) -> str:
        """The text itself."""
        return quoted(column)


@dataclass(frozen=True, slots=True)
class PlainDecimal(Number):
    """Decimals in the plain form: `-1234.56`."""

    def fits(self, text: str) -> bool:
        """Whether `text` is one."""
        return re.fullmatch(_DECIMAL, text) is not None

    def test(self, column: str) -> str:
        """SQL for the same."""
        return f"regexp_full_match({quoted(column)}, '{_DECIMAL}')"

    def plain(self, column: str) -> str:
        """The text itself."""
        return quoted(column)


@dataclass(frozen=True, slots=True)
class Day(Kind):
    """Dates as ISO 8601 has them: `2026-10-31`."""

    what = "dates"

    def fits(self, text: str) -> bool:
        """Whether `text` is one, of a day that there is."""
        return re.fullmatch(_DATE, text) is not None and is_day(text)

    def test(self, column: str) -> str:
        """SQL for the same."""
        name = quoted(column)
        return f"regexp_full_match({name}, '{_DATE}') and try_cast({name} as date) is not null"

    def value(self, column: str) -> str:
        """The date."""
        return f"cast({quoted(column)} as date)"


@dataclass(frozen=True, slots=True)
class Clock(Kind):
    """Times as ISO 8601 has them, without a zone: `2026-10-31 08:30`."""

    what = "times"

    def fits(self, text: str) -> bool:
        """Whether `text` is one."""
        return re.fullmatch(_DATE + _CLOCK, text) is not None and is_day(text[:10]) and _is_clock(text[11:])

    def test(self, column: str) -> str:
        """SQL for the same."""
        name = quoted(column)
        return f"regexp_full_match({name}, '{_DATE}{_CLOCK}') and try_cast({name} as timestamp) is not null"

    def value(self, column: str) -> str:
        """The time."""
        return f"cast({quoted(column)} as timestamp)"


@dataclass(frozen=True, slots=True)
class Moment(Kind):
    """Times with the offset of their zone (`2026-10-31T08:30:00+05:00`), as they are in the zone of the workspace."""

    what = "times"
    zone: ZoneInfo

    @property
    def note(self) -> str:  # type: ignore[override]
        """In which zone they are shown."""
        return f"times with a zone, shown as in {self.zone.key}"

    def fits(self, text: str) -> bool:
        """Whether `text` is one."""
        found = re.fullmatch(f"({_DATE}{_CLOCK}) ?{_OFFSET}", text)
        return found is not None and Clock().fits(found[1])

    def test(self, column: str) -> str:
        """SQL for the same."""
        name = quoted(column)
        return (
            f"regexp_full_match({name}, '{_DATE}{_CLOCK} ?{_OFFSET}') and try_cast({name} as timestamptz) is not null"
        )

    def value(self, column: str) -> str:
        """The time in the zone."""
        return f"timezone('{self.zone.key}', cast({quoted(column)} as timestamptz))"


@dataclass(frozen=True, slots=True)
class Truth(Kind):
    """`true` and `false`."""

    what = "yes or no"

    def fits(self, text: str) -> bool:
        """Whether `text` is one of them."""
        return text.lower() in ("true", "false")

    def test(self, column: str) -> str:
        """SQL for the same."""
        return f"lower({quoted(column)}) in ('true', 'false')"

    def value(self, column: str) -> str:
        """The truth."""
        return f"cast({quoted(column)} as boolean)"


def is_day(text: str) -> bool:
    """Whether there is the day that `YYYY-MM-DD` says."""
    try:
        dt.date.fromisoformat(text)
    except ValueError:
        return False
    return True


def _is_clock(text: str) -> bool:
    hour, minute, *rest = text.split(":")
    return int(hour) < 24 and int(minute) < 60 and (not rest or float(rest[0]) < 60)
