"""Parts of a workbook: sheets of it, or rows, with nothing else of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gonnet.pipeline.making.parts.kit import ArrivalKit, NoPartError, Part, Rows
from gonnet.reports.workbook.packing import zipped

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter
    from gonnet.reports import Look


class WorkbookSource:
    """A workbook, as it was read."""

    def __init__(self, kit: ArrivalKit) -> None:
        assert kit.book is not None
        self._kit, self._book = kit, kit.book

    def part(self, rows: Rows, title: str, form: str, look: Look) -> Part:
        """Its sheets, or its rows, as a workbook."""
        from gonnet.arrivals.workbooks.cutting import part_of

        wanted: dict[str, list[int]] = {}
        for _, sheet, *number in rows:
            wanted.setdefault(str(sheet), []).extend(int(str(one)) for one in number)
        ordered = {sheet: sorted(numbers) for sheet, numbers in wanted.items()}
        return Part(data=zipped(part_of(self._book, ordered, title)), pages=None)

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """It has none."""
        raise NoPartError(f"'{self._kit.name}' is a workbook, which has no pages to join")

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """None is a picture."""
        return 0, len(rows)

    def rest(self) -> None:
        """Nothing is of one package alone."""
