"""What is kept of a workbook to make parts of it.

Rows are kept as they stand in the file. What a part needs of them is made when the part is: by the processes that share
that work, and only for the rows that are somebody's.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from gonnet.arrivals.workbooks.furniture import Furniture
from gonnet.arrivals.workbooks.sheets import Line
from gonnet.arrivals.workbooks.strings import Strings


class Rows:
    """The rows of a sheet, by number.

    Args:
        body: They, as XML.
    """

    def __init__(self, body: bytes) -> None:
        self._body = body
        self._numbers, self._at = array("I"), array("Q")

    def add(self, line: Line) -> None:
        """One more; numbers grow."""
        self._numbers.append(line.number)
        self._at.extend((*line.looks, *line.place))

    def of(self, number: int) -> Line | None:
        """A row; None where the sheet has nothing there."""
        at = bisect_left(self._numbers, number)
        if at == len(self._numbers) or self._numbers[at] != number:
            return None
        begin, end, first, last = self._at[4 * at : 4 * at + 4]
        return Line(number, self._body, (begin, end), (first, last))

    def every(self) -> Iterator[Line]:
        """All of them, in order."""
        return filter(None, map(self.of, self._numbers))

    def up_to(self, number: int) -> Sequence[int]:
        """The numbers of those that are not below a row."""
        return self._numbers[: bisect_right(self._numbers, number)]

    @property
    def numbers(self) -> Iterable[int]:
        """Their numbers, in order."""
        return self._numbers


@dataclass(slots=True)
class Sheet:
    """A sheet.

    Attributes:
        name: Its name.
        furniture: What stands around its rows: widths, merged cells, filters, print set-up.
        rows: Its rows.
        header: How many rows at the top everybody gets; None where the whole sheet is somebody's.
        totals: Rows that are totals of all.
        summed: Columns of these that are the sums of what stands above them.
    """

    name: str
    furniture: Furniture
    rows: Rows
    header: int | None = None
    totals: tuple[int, ...] = ()
    summed: frozenset[str] = frozenset()


@dataclass(slots=True)
class Book:
    """A workbook.

    Attributes:
        strings: The texts that its sheets share.
        sheets: Its sheets, by name, in order.
        styles: How its cells look, as XML.
        theme: Its theme, as XML; empty where it has none.
        since_1904: Whether its dates count from 1904.
        lost: What of it no part has, such as charts → how many there are.
    """

    strings: Strings
    sheets: dict[str, Sheet] = field(default_factory=dict)
    styles: bytes = b""
    theme: bytes = b""
    since_1904: bool = False
    lost: Mapping[str, int] = field(default_factory=dict)
