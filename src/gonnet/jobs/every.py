"""The days of a calendar in plain words: `monday`, `working day 3 of the month`, `last friday of the quarter`."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
MONTHS = (
    *("january", "february", "march", "april", "may", "june"),
    *("july", "august", "september", "october", "november", "december"),
)
Kind = Literal["day", "working day", "weekday"]
Stretch = Literal["month", "quarter", "half-year", "year"]
STRETCHES: tuple[Stretch, ...] = ("month", "quarter", "half-year", "year")
_ORDINALS = {"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "last": -1}
_SURE = {  # how many of each kind the shortest of them has
    "day": {"month": 28, "quarter": 90, "half-year": 181, "year": 365},
    "working day": {"month": 15, "quarter": 50, "half-year": 110, "year": 230},
    "weekday": {"month": 4, "quarter": 12, "half-year": 25, "year": 52},
}
_OF = re.compile(rf"(?P<which>.+) of the (?P<of>{'|'.join(STRETCHES)})")
_NUMBERED = re.compile(r"(?:day )?(?P<day>\d{1,3})|working day (?P<working>\d{1,3})")
_NAMED = re.compile(rf"(?P<nth>{'|'.join(_ORDINALS)}) (?P<what>day|working day|{'|'.join(WEEKDAYS)})")
_YEARLY = re.compile(rf"(?P<day>\d{{1,2}}) (?P<month>{'|'.join(MONTHS)})")
EXAMPLES = (
    "day, working day, monday, last day of the month, working day 3 of the month, 15 of the month, "
    "first monday of the quarter, 24 december"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Every:
    """Which days are meant.

    Attributes:
        words: As it was written.
        kind: What is counted.
        weekday: Which one, 0 for Monday; None where any day is meant.
        number: The how-manieth of its stretch, -1 for the last; 0 where each of them is meant.
        of: The stretch in which it is counted; None where each of them is meant.
        month: The month of a date that comes once a year, 1 to 12; else 0.
    """

    words: str
    kind: Kind = "day"
    weekday: int | None = None
    number: int = 0
    of: Stretch | None = None
    month: int = 0

    @property
    def may_lack(self) -> bool:
        """Whether some of the stretches have no such day, such as the 31st."""
        if self.month:
            return (self.month, self.number) == (2, 29)
        return self.of is not None and self.number > _SURE[self.kind][self.of]


def every_of(text: str) -> Every:
    """The days that `text` means.

    Raises:
        ValueError: it means none.
    """
    words = " ".join(text.casefold().split())
    if words in ("day", "working day"):
        return Every(words=words, kind="day" if words == "day" else "working day")
    if words in WEEKDAYS:
        return Every(words=words, kind="weekday", weekday=WEEKDAYS.index(words))
    if found := _YEARLY.fullmatch(words):
        return _yearly(words, int(found["day"]), MONTHS.index(found["month"]) + 1)
    if (found := _OF.fullmatch(words)) and (counted := _counted(words, found["which"], found["of"])):
        return counted
    raise ValueError(f"'{text}' does not say which days; write one such as {EXAMPLES}")


def _yearly(words: str, day: int, month: int) -> Every:
    longest = 29 if month == 2 else 30 if month in (4, 6, 9, 11) else 31
    if not 1 <= day <= longest:
        raise ValueError(f"'{words}' is no date: that month has {longest} days at most")
    return Every(words=words, number=day, of="year", month=month)


def _counted(words: str, which: str, of: str) -> Every | None:
    stretch = next(name for name in STRETCHES if name == of)
    most = {"month": 31, "quarter": 92, "half-year": 184, "year": 366}[stretch]
    if found := _NUMBERED.fullmatch(which):
        number = int(found["day"] or found["working"])
        if not 1 <= number <= most:
            raise ValueError(f"'{words}': a {stretch} has the days 1 to {most}")
        return Every(words=words, kind="day" if found["day"] else "working day", number=number, of=stretch)
    if found := _NAMED.fullmatch(which):
        number, what = _ORDINALS[found["nth"]], found["what"]
        if what in WEEKDAYS:
            return Every(words=words, kind="weekday", weekday=WEEKDAYS.index(what), number=number, of=stretch)
        return Every(words=words, kind="day" if what == "day" else "working day", number=number, of=stretch)
    return None
