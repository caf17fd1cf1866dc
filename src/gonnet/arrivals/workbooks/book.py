"""What is kept of a workbook to make parts of it.

Rows are kept as they stand in the file, with their texts in them and a mark in the place of their number: a part is
made by putting the numbers in. So the work for a cell is done once, however many parts there are.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from gonnet.arrivals.workbooks.furniture import Furniture

MARK = b"\0"
"""Stands for the number of a row; XML has no such sign."""


class Rows:
    """The rows of a sheet, by number."""

    def __init__(self) -> None:
        self._numbers, self._ends = array("I"), array("Q")
        self._data = bytearray()

    def add(self, number: int, row: bytes) -> None:
        """One more; numbers grow."""
        self._numbers.append(number)
        self._data += row
        self._ends.append(len(self._data))

    def of(self, number: int) -> bytes | None:
        """A row; None where the sheet has nothing there."""
        at = bisect_left(self._numbers, number)
        if at == len(self._numbers) or self._numbers[at] != number:
            return None
        return bytes(self._data[self._ends[at - 1] if at else 0 : self._ends[at]])

    @property
    def numbers(self) -> Iterable[int]:
        """Their numbers, in order."""
        return self._numbers


@dataclass(slots=True)
class Sheet:
    """A sheet.

    Attributes:
        name: Its name.
        is_hidden: Whether people do not see it.
        furniture: What stands around its rows: widths, merged cells, filters, print set-up.
        rows: Its rows.
        header: How many rows at the top everybody gets; None where the whole sheet is somebody's.
        totals: Rows that are totals of all.
        summed: Columns of these that are the sums of what stands above them.
    """

    name: str
    is_hidden: bool
    furniture: Furniture
    rows: Rows
    header: int | None = None
    totals: tuple[int, ...] = ()
    summed: frozenset[str] = frozenset()


@dataclass(slots=True)
class Book:
    """A workbook.

    Attributes:
        sheets: Its sheets, by name, in order.
        styles: How its cells look, as XML.
        theme: Its theme, as XML; empty where it has none.
        since_1904: Whether its dates count from 1904.
        lost: What of it no part has, such as charts → how many there are.
    """

    sheets: dict[str, Sheet] = field(default_factory=dict)
    styles: bytes = b""
    theme: bytes = b""
    since_1904: bool = False
    lost: Mapping[str, int] = field(default_factory=dict)
