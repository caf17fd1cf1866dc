"""Parts of a workbook: sheets of it, or rows, with nothing else of it; as a workbook, or drawn as pages."""

from __future__ import annotations

from gonnet.arrivals.workbooks.cutting import part_of, sheets_of
from gonnet.arrivals.workbooks.grid import grid_of
from gonnet.arrivals.workbooks.looks import looks_of
from gonnet.pipeline.making.parts.drawn import DrawnSource
from gonnet.pipeline.making.parts.kit import ArrivalKit, NoPartError, Part, Rows
from gonnet.reports import GridPainter, Look
from gonnet.reports.workbook.packing import zipped


class WorkbookSource(DrawnSource):
    """A workbook, as it was read; what draws it is made when something is drawn, for each house style."""

    def __init__(self, kit: ArrivalKit) -> None:
        super().__init__()
        assert kit.book is not None
        self._name, self._book = kit.name, kit.book
        self._painters: dict[str, GridPainter] = {}

    def part(self, rows: Rows, title: str, form: str, look: Look, *, is_locked: bool) -> Part:
        """Its sheets, or its rows, as a workbook or as a PDF."""
        if form == "pdf":
            data, pages = self.draw(rows, title, look, is_locked=is_locked)
            return Part(data=data, pages=pages)
        try:
            return Part(data=zipped(part_of(self._book, _wanted(rows), title)), pages=None)
        except ValueError as error:
            raise self._damaged(error) from error

    def draw(self, rows: Rows, title: str, look: Look, *, is_locked: bool = False) -> tuple[bytes, int]:
        """Its sheets, or its rows, as they are seen."""
        book = self._book
        try:
            if look.house.locale not in self._painters:
                looks, signs = looks_of(book.styles, book.theme), book.strings.signs()
                self._painters[look.house.locale] = GridPainter(look, looks, signs, since_1904=book.since_1904)
            grids = [grid_of(sheet.name, sheet.data, sheet.names) for sheet in sheets_of(book, _wanted(rows))]
        except ValueError as error:
            raise self._damaged(error) from error
        return self._painters[look.house.locale].draw(grids, title, is_locked=is_locked)

    def _damaged(self, error: ValueError) -> NoPartError:
        return NoPartError(f"its part of '{self._name}' is damaged: {error}")


def _wanted(rows: Rows) -> dict[str, list[int]]:
    """Sheet → its rows, in order."""
    found: dict[str, list[int]] = {}
    for _, sheet, *number in rows:
        found.setdefault(str(sheet), []).extend(int(str(one)) for one in number)
    return {sheet: sorted(numbers) for sheet, numbers in found.items()}
