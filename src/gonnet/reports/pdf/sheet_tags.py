"""A sheet of a workbook in the structure of a PDF: a table, the cells of which stand in their columns."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Protocol

from gonnet.arrivals.workbooks.grid import Grid
from gonnet.reports.pdf.structure import Element, Tags


class SheetCell(Protocol):
    """A cell that is seen: where it is, and how far it reaches."""

    @property
    def row(self) -> int:
        """Its row."""

    @property
    def column(self) -> int:
        """Its column."""

    @property
    def columns(self) -> int:
        """How many columns it covers."""

    @property
    def rows(self) -> int:
        """How many rows it covers."""


class SheetTags:
    """The table that a sheet is, row by row as its pages are drawn; rows that begin each page are heads of columns.

    Args:
        tags: Those of the file.
        grid: The sheet.
    """

    def __init__(self, tags: Tags, grid: Grid) -> None:
        self._table = Element("Table", tags.document)
        self._repeated = grid.repeated
        self._seen = [column for column in range(grid.first, grid.last + 1) if grid.widths.get(column, 0.0) > 0]
        self._rows: dict[int, dict[int, Element]] = {}
        self._covered: set[tuple[int, int]] = set()

    def has(self, row: int) -> bool:
        """Whether a row is in the table already, and is drawn once more at the head of a page."""
        return row in self._rows

    def cell(self, row: int, column: int) -> Element:
        """What a cell is."""
        return self._rows[row][self._seen[self._place(column)]]

    def begin(self, cells: Iterable[SheetCell], rows: Sequence[int]) -> None:
        """Put the rows of a page into the table, with an empty cell where the sheet has none."""
        there = {(cell.row, self._seen[self._place(cell.column)]): cell for cell in cells}
        for number in rows:
            if number not in self._rows:
                self._rows[number] = dict(self._row(number, there))

    def _row(self, number: int, there: Mapping[tuple[int, int], SheetCell]) -> Iterator[tuple[int, Element]]:
        row = Element("TR", self._table).entered()
        for column in self._seen:
            if (number, column) in self._covered:
                continue
            spans, cell = "", there.get((number, column))
            if cell is not None:
                seen = self._seen[self._place(cell.column) : self._place(cell.column + cell.columns)]
                self._covered.update((number + down, one) for down in range(cell.rows) for one in seen)
                spans = f"/ColSpan {len(seen)}" * (len(seen) > 1) + f"/RowSpan {cell.rows}" * (cell.rows > 1)
            is_head = number in self._repeated
            attributes = f"/A<</O/Table{'/Scope/Column' * is_head}{spans}>>" if is_head or spans else ""
            yield column, Element("TH" if is_head else "TD", row, attributes).entered()

    def _place(self, column: int) -> int:
        """How many columns are seen before a column; where its own one is hidden, a cell is seen in the next one."""
        return bisect_left(self._seen, column)
