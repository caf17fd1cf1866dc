"""Parts of a workbook: sheets of it, or rows, with nothing else of it; as a workbook, or drawn as pages."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gonnet.arrivals.workbooks.cutting import part_of, sheets_of
from gonnet.arrivals.workbooks.grid import grid_of
from gonnet.arrivals.workbooks.looks import looks_of
from gonnet.pipeline.making.parts.kit import ArrivalKit, Part, Rows
from gonnet.reports import GridPainter, Look
from gonnet.reports.workbook.packing import zipped

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter


class WorkbookSource:
    """A workbook, as it was read; what draws it is made when something is drawn, for each house style."""

    def __init__(self, kit: ArrivalKit) -> None:
        assert kit.book is not None
        self._book = kit.book
        self._painters: dict[str, GridPainter] = {}
        self._drawn: dict[Rows, Cutter] = {}

    def part(self, rows: Rows, title: str, form: str, look: Look) -> Part:
        """Its sheets, or its rows, as a workbook or as a PDF."""
        if form == "xlsx":
            return Part(data=zipped(part_of(self._book, _wanted(rows), title)), pages=None)
        data, pages = self._draw(rows, title, look)
        return Part(data=data, pages=pages)

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """The same, drawn."""
        from gonnet.arrivals.cutting import Cutter

        rows = tuple(rows)
        if rows not in self._drawn:
            self._drawn[rows] = Cutter(self._draw(rows, "", look)[0])
        cutter = self._drawn[rows]
        return [(cutter, number) for number in range(1, cutter.pages + 1)]

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """None is a picture."""
        return 0, len(rows)

    def rest(self) -> None:
        """Close what was drawn for a package."""
        for cutter in self._drawn.values():
            cutter.close()
        self._drawn.clear()

    def _draw(self, rows: Rows, title: str, look: Look) -> tuple[bytes, int]:
        book = self._book
        if look.house.locale not in self._painters:
            looks = looks_of(book.styles, book.theme)
            signs = book.strings.signs()
            self._painters[look.house.locale] = GridPainter(look, looks, signs, since_1904=book.since_1904)
        grids = [grid_of(sheet.name, sheet.data, sheet.names) for sheet in sheets_of(book, _wanted(rows))]
        return self._painters[look.house.locale].draw(grids, title)


def _wanted(rows: Rows) -> dict[str, list[int]]:
    """Sheet → its rows, in order."""
    found: dict[str, list[int]] = {}
    for _, sheet, *number in rows:
        found.setdefault(str(sheet), []).extend(int(str(one)) for one in number)
    return {sheet: sorted(numbers) for sheet, numbers in found.items()}
