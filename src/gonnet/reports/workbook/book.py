"""A workbook whose formats are written once for all workbooks that have the same, like other parts that are the same.

XlsxWriter makes an object of every format, and its style sheet, anew for every workbook; for one of forty rows that is
a third of the work. Here formats are numbered as they are asked for, in the way XlsxWriter does, and the style sheet
(ECMA-376, part 1, 18.8) that it makes for them is kept. What it makes of everything is compressed here.
"""

from __future__ import annotations

from collections.abc import Mapping
from io import BytesIO, StringIO
from typing import Any

from xlsxwriter.packager import Packager
from xlsxwriter.utility import xl_rowcol_to_cell
from xlsxwriter.workbook import Workbook

from gonnet.reports.workbook.packing import zipped

CellFormat = frozenset[tuple[str, object]]
Sheets = dict[tuple[CellFormat, ...], str]
"""Formats in the order of their numbers → the style sheet."""

_MANY = 200
_OWN = ("xl/worksheets/sheet", "xl/sharedStrings", "xl/charts/", "xl/drawings/drawing")
"""How parts are called that are hardly the same in two workbooks."""


class Book(Workbook):
    """A workbook with numbered formats.

    Args:
        options: XlsxWriter's, `in_memory` among them.
        kept: Style sheets of earlier workbooks; this one's is added.
    """

    def __init__(self, options: dict[str, Any], kept: Sheets) -> None:
        super().__init__(BytesIO(), options)
        self._formats: dict[CellFormat, int] = {}
        self._sheets = kept
        self._packager: _Packager | None = None
        self._heads = 0

    def number_of(self, cell_format: Mapping[str, object]) -> int:
        """The number of a format; the same formats, asked for in the same order, have the same numbers."""
        found = frozenset(cell_format.items())
        number = self._formats.get(found)
        if number is None:
            number = self._formats[found] = len(self._formats) + 1  # 0 is the format of a cell that has none
        return number

    def name_heads(self, sheet: str, head: int, last: int, right: int) -> None:
        """Give the heads of a table a name by which screen readers say them with each cell below.

        Args:
            sheet: The name of its sheet, the last one so far.
            head: The row of the heads, from 0.
            last: Its last row.
            right: Its last column.
        """
        self._heads += 1
        name = (
            f"ColumnTitleRegion{self._heads}.A{head + 1}.{xl_rowcol_to_cell(last, right)}.{len(self.worksheets_objs)}"
        )
        quoted = sheet.replace("'", "''")
        self.define_name(name, f"='{quoted}'!$A${head + 1}")

    def finished(self) -> bytes:
        """The bytes of the file; nothing can be added any more."""
        if tuple(self._formats) not in self._sheets:
            for cell_format, number in self._formats.items():
                form: Any = self.add_format(dict(cell_format))
                if form._get_xf_index() != number:
                    raise AssertionError("XlsxWriter numbers formats in another way")
        self.close()
        assert self._packager is not None
        parts = ((name, _bytes(file), not name.startswith(_OWN)) for file, name, _ in self._packager.filenames)
        return zipped(parts)

    def _get_packager(self) -> Packager:
        self._packager = _Packager(self._sheets, tuple(self._formats))
        return self._packager


def _bytes(file: StringIO | BytesIO) -> bytes:
    data = file.getvalue()
    return data if isinstance(data, bytes) else data.encode("utf-8")


class _Packager(Packager):
    """Takes the style sheet from an earlier workbook where there is one for the same formats."""

    def __init__(self, sheets: Sheets, formats: tuple[CellFormat, ...]) -> None:
        super().__init__()
        self._sheets, self._formats = sheets, formats
        self.filenames: list[tuple[StringIO | BytesIO, str, bool]]

    def _create_package(self) -> list[tuple[object, str, bool]]:
        super()._create_package()  # type: ignore[no-untyped-call]
        return []  # XlsxWriter is to compress nothing

    def _write_styles_file(self) -> None:
        known = self._sheets.get(self._formats)
        if known is not None:
            target: StringIO = self._filename("xl/styles.xml")  # type: ignore[no-untyped-call]
            target.write(known)
            return
        super()._write_styles_file()
        if len(self._sheets) > _MANY:
            self._sheets.clear()
        self._sheets[self._formats] = str(self.filenames[-1][0].getvalue())
