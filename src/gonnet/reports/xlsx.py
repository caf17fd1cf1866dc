"""Drawing a layout as a workbook: real numbers and dates, and text that stays text."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Sequence
from decimal import Decimal
from typing import TYPE_CHECKING

import xlsxwriter

from gonnet.errors import DataError
from gonnet.reports.columns import Kind, PlannedColumn
from gonnet.reports.layout import LaidFacts, LaidTable, LaidText, Layout
from gonnet.reports.plan import Look
from gonnet.wording.formats import excel_pattern

if TYPE_CHECKING:
    from xlsxwriter.format import Format
    from xlsxwriter.workbook import Workbook
    from xlsxwriter.worksheet import Worksheet

_OPTIONS = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
_FIRST_DAY = dt.datetime(1900, 1, 1)  # noqa: DTZ001  workbooks know no zones
_MADE = dt.datetime(2000, 1, 1)  # noqa: DTZ001  the same input gives the same bytes
_LONGEST = 32_767  # characters in a cell (ECMA-376)
_EXACT_DIGITS = 15
_SIDES = {"left": "left", "right": "right", "centre": "center"}


def draw_xlsx(layout: Layout, look: Look) -> bytes:
    """The file's bytes; the same layout gives the same bytes.

    Raises:
        DataError: a value does not fit a workbook's cell.
    """
    target = io.BytesIO()
    workbook = xlsxwriter.Workbook(target, _OPTIONS)
    workbook.set_properties({"title": layout.title, "author": look.organisation, "created": _MADE})
    sheet = _Sheet(workbook, look)
    sheet.fill(layout)
    workbook.close()
    return target.getvalue()


class _Sheet:
    """One sheet being written from top to bottom."""

    def __init__(self, workbook: Workbook, look: Look) -> None:
        self._sheet: Worksheet = workbook.add_worksheet("Report")
        self._workbook = workbook
        self._look = look
        self._formats: dict[tuple[tuple[str, object], ...], Format] = {}
        self._row = 0
        self._labels = 0  # width of the first column that the labels of facts need, in characters

    def fill(self, layout: Layout) -> None:
        self._string(0, 0, layout.title, {"bold": True, "font_size": 15, "font_color": self._look.accent})
        self._row = 2
        for block in layout.blocks:
            match block:
                case LaidFacts():
                    self._facts(block)
                case LaidText():
                    for paragraph in block.paragraphs:
                        self._string(self._row, 0, paragraph)
                        self._row += 1
                case LaidTable():
                    self._table(block, only=len(list(layout.tables())) == 1)
            self._row += 1
        self._print_set_up(layout)

    def _facts(self, block: LaidFacts) -> None:
        self._labels = max(self._labels, *(min(len(label) + 2, 30) for label, _ in block.facts))
        self._sheet.set_column(0, 0, self._labels)
        for label, value in block.facts:
            self._string(self._row, 0, label, {"font_color": "#5c6663"})
            self._string(self._row, 1, value, {"bold": True})
            self._row += 1

    def _table(self, table: LaidTable, *, only: bool) -> None:
        columns = table.plan.columns
        if table.plan.title:
            self._string(self._row, 0, table.plan.title, {"bold": True})
            self._row += 1
        for index, column in enumerate(columns):
            self._sheet.set_column(index, index, max(column.characters, self._labels if index == 0 else 0))
            look = _side(column, index) | {
                "bold": True,
                "bottom": 2,
                "bottom_color": self._look.accent,
                "text_wrap": True,
            }
            self._string(self._row, index, column.label, look)
        if only:
            self._sheet.freeze_panes(self._row + 1, 0)
            self._sheet.repeat_rows(self._row)
        self._row += 1
        if not table.rows:
            self._string(self._row, 0, table.plan.empty)
        for index, (column, values, texts) in enumerate(zip(columns, table.values, table.texts, strict=True)):
            self._column(self._row, index, column, values, texts)
        self._row += max(table.rows, 1)
        if table.plan.has_totals and table.rows:
            self._totals(table)

    def _column(
        self, first: int, index: int, column: PlannedColumn, values: Sequence[object], texts: Sequence[str]
    ) -> None:
        look = self._cell_look(column, index)
        for at, (value, text) in enumerate(zip(values, texts, strict=True), first):
            self._cell(at, index, column, value, text, look)

    def _totals(self, table: LaidTable) -> None:
        top = {"bold": True, "top": 2, "top_color": self._look.accent}
        for index, (column, value, text) in enumerate(
            zip(table.plan.columns, table.totals, table.total_texts, strict=True)
        ):
            look = self._cell_look(column, index) | top
            if column.total == "count":
                look |= {"num_format": "0"}
            if value is None and index == 0:
                self._string(self._row, 0, "Total", look)
            else:
                self._cell(self._row, index, column, value, text, look)
        self._row += 1

    def _cell_look(self, column: PlannedColumn, index: int) -> dict[str, object]:
        look = _side(column, index) | {"valign": "top"}
        if column.kind is Kind.TEXT:
            look["text_wrap"] = True
        elif column.pattern is not None:
            look["num_format"] = excel_pattern(column.pattern, is_date=column.kind is not Kind.NUMBER)
        return look

    def _cell(
        self, row: int, index: int, column: PlannedColumn, value: object, text: str, look: dict[str, object]
    ) -> None:
        form = self._format(look)
        match value:
            case None:
                self._done(self._sheet.write_blank(row, index, None, form), column.label)
            case bool():
                self._string(row, index, text, look)
            case Decimal() if len(value.as_tuple().digits) <= _EXACT_DIGITS:
                self._done(self._sheet.write_number(row, index, value, form), column.label)  # type: ignore[call-overload]
            case dt.datetime() if value.replace(tzinfo=None) >= _FIRST_DAY:
                self._done(self._sheet.write_datetime(row, index, value.replace(tzinfo=None), form), column.label)
            case dt.date() if value >= _FIRST_DAY.date():
                self._done(self._sheet.write_datetime(row, index, value, form), column.label)  # type: ignore[call-overload]
            case _:
                self._string(row, index, text, look)

    def _string(self, row: int, index: int, text: str, look: dict[str, object] | None = None) -> None:
        self._done(self._sheet.write_string(row, index, text, self._format(look or {})), text[:20])

    @staticmethod
    def _done(code: int | None, place: str) -> None:
        if code:
            raise DataError(
                f"a value under '{place}' does not fit a workbook (at most {_LONGEST} characters, 1048576 rows)",
                fix="Shorten it with SQL, or leave the column out",
            )

    def _format(self, look: dict[str, object]) -> Format:
        key = tuple(sorted(look.items()))
        if key not in self._formats:
            self._formats[key] = self._workbook.add_format(look)
        return self._formats[key]

    def _print_set_up(self, layout: Layout) -> None:
        if layout.landscape:
            self._sheet.set_landscape()
        self._sheet.set_paper(9 if self._look.paper == "A4" else 1)
        self._sheet.fit_to_pages(1, 0)
        self._sheet.hide_gridlines(2)
        self._sheet.set_header("&L" + self._look.organisation.replace("&", "&&")[:100])
        self._sheet.set_footer("&Rpage &P of &N")


def _side(column: PlannedColumn, index: int) -> dict[str, object]:
    """Alignment; a text behind another column stands a little apart from it."""
    side: dict[str, object] = {"align": _SIDES[column.align]}
    return side | {"indent": 1} if column.align == "left" and index else side
