"""One column of a table: how its values are written, rounded and totalled."""

from __future__ import annotations

import datetime as dt
import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import Enum
from typing import Any, Literal

from gonnet.data import ColumnType
from gonnet.jobs.values import Total
from gonnet.remembering import Remembered
from gonnet.wording.formats import House, decimals_of, rounded_half_up

_BREAK = re.compile("\r\n?|\x85|\u2028|\u2029")


class ValueKind(Enum):
    """What the values of a column are."""

    TEXT = "text"
    NUMBER = "a number"
    DATE = "a date"
    TIME = "a time"
    TRUTH = "yes or no"

    @property
    def words(self) -> str:
        """The kind in a sentence."""
        return self.value

    @classmethod
    def of(cls, column: ColumnType) -> ValueKind:
        """The kind of a data set's column."""
        if column.is_number:
            return cls.NUMBER
        if column.type == "DATE":
            return cls.DATE
        if column.is_date:
            return cls.TIME
        return cls.TRUTH if column.type == "BOOLEAN" else cls.TEXT


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnPlan:
    """A column of a table, the same for the whole run.

    Attributes:
        field: Its name, for messages.
        label: Its heading.
        kind: What its values are.
        pattern: CLDR pattern of numbers and dates; None for text.
        align: Side of the values and of the heading.
        total: How it is totalled, or None.
        is_measure: Whether its values are amounts or dates rather than names of something.
        fixed: Width that the job asks for: millimetres, a share such as `20%`, or `auto`.
        sql: What it shows of a row.
        weight: Where the values that a weighted average is weighted by stand in a row of the run.
        width: Width on the page in points, once it is fitted.
        font_size: Size of the table's text in points, once it is fitted.
        characters: Width in a workbook, in characters, once it is fitted.
    """

    field: str
    label: str
    kind: ValueKind
    pattern: str | None
    align: Literal["left", "right", "centre"]
    total: Total | None
    is_measure: bool
    fixed: float | str = "auto"
    sql: str = ""
    weight: int | None = None
    width: float = 0.0
    font_size: float = 0.0
    characters: int = 0

    @property
    def places(self) -> int:
        """Decimals to which a number is rounded before it is written anywhere."""
        if self.pattern is None:
            return 0
        return decimals_of(self.pattern) + (2 if "%" in self.pattern else 0)


CellValue = tuple[str, object]
"""A value as its column shows it: its text, and the value itself, rounded if it is a number."""


class CellText:
    """How a column shows its values; each distinct value is rounded and formatted once.

    Attributes:
        column: The column.
    """

    def __init__(self, column: ColumnPlan, house: House) -> None:
        self.column = column
        self._house = house
        self._known: Remembered[Any, CellValue] = Remembered(self._made, 200_000)

    def __call__(self, value: object) -> str:
        """The text of one value; empty for None."""
        return self._known[value][0]

    def shown(self, value: object) -> CellValue:
        """Text and value."""
        return self._known[value]

    def all_shown(self, values: Iterable[object]) -> list[CellValue]:
        """Text and value of each."""
        return list(map(self._known.__getitem__, values))

    def _made(self, value: object) -> CellValue:
        return self._written(value), rounded(self.column, value)

    def _written(self, value: object) -> str:
        pattern = self.column.pattern
        match value:
            case None:
                return ""
            case bool():
                return self._house.plain(value)
            case int() | float() | Decimal() if pattern is not None:
                return self._house.number(value, pattern)
            case dt.date():
                return self._house.date(value, pattern)
            case _:
                return unicodedata.normalize("NFC", _BREAK.sub("\n", str(value)).replace("\t", " "))


def rounded(column: ColumnPlan, value: object) -> object:
    """A number as the column shows it: rounded half away from zero to the pattern's decimals; others unchanged."""
    if isinstance(value, (int, Decimal)) and not isinstance(value, bool):
        return rounded_half_up(Decimal(value), column.places)
    return value


def totalled(column: ColumnPlan, values: Sequence[object], weights: Sequence[object] | None = None) -> object:
    """The column's total over some values, exact; None where it has none or there is nothing to total.

    Args:
        column: The column.
        values: Its values.
        weights: For a weighted average, as many weights; a value or a weight that is empty does not count.
    """
    present = [value for value in values if value is not None]
    match column.total:
        case None:
            return None
        case "count":
            return Decimal(len(present))
        case "min":
            return min(present, default=None)  # type: ignore[type-var]  # one column, one type
        case "max":
            return max(present, default=None)  # type: ignore[type-var]
        case "sum":
            return sum(present, Decimal(0))  # type: ignore[type-var]  # a column of numbers
        case "weighted":
            assert weights is not None
            pairs = [(_decimal(v), _decimal(w)) for v, w in zip(values, weights, strict=True) if None not in (v, w)]
            weight = sum((w for _, w in pairs), Decimal(0))
            return sum((v * w for v, w in pairs), Decimal(0)) / weight if weight else None
        case "average":
            return sum(map(_decimal, present), Decimal(0)) / len(present) if present else None


def _decimal(value: object) -> Decimal:
    assert isinstance(value, (int, Decimal))
    return Decimal(value)
