"""Drawing a layout as a workbook: real numbers and dates, and text that stays text."""

from __future__ import annotations

import datetime as dt
import io
from typing import TYPE_CHECKING, Any

import xlsxwriter

from gonnet.reports.cells import CellWriter, RowsSheet, addressed, addressed_rows, text_cell
from gonnet.reports.columns import Kind, PlannedColumn
from gonnet.reports.layout import LaidFacts, LaidTable, LaidText, Layout
from gonnet.reports.plan import Look
from gonnet.wording.formats import excel_pattern

if TYPE_CHECKING:
    from xlsxwriter.workbook import Workbook

_OPTIONS = {"in_memory": True}
_MADE = dt.datetime(2000, 1, 1)  # noqa: DTZ001  the same input gives the same bytes
_SIDES = {"left": "left", "right": "right", "centre": "center"}

Kept = dict[tuple[int, int, int], tuple[CellWriter, object]]
"""Plan of a table, column and style → the writer of its cells (and the plan, so that its identity stays its own)."""


def draw_xlsx(layout: Layout, look: Look, kept: Kept) -> bytes:
    """The file's bytes; the same layout gives the same bytes.

    Args:
        layout: What it shows.
        look: The house style.
        kept: What is kept between the documents of a run; empty at first.

    Raises:
        DataError: a value does not fit a workbook's cell.
    """
    target = io.BytesIO()
    workbook = xlsxwriter.Workbook(target, _OPTIONS)
    workbook.set_properties({"title": layout.title, "author": look.organisation, "created": _MADE})
    sheet = _Sheet(workbook, look, kept)
    sheet.fill(layout)
    workbook.close()
    return target.getvalue()


class _Sheet:
    """One sheet being written from top to bottom."""

    def __init__(self, workbook: Workbook, look: Look, kept: Kept) -> None:
        self._sheet: Any = workbook.add_worksheet("Report", RowsSheet)
        self._workbook = workbook
        self._look = look
        self._kept = kept
        self._styles: dict[tuple[tuple[str, object], ...], int] = {}
        self._row = 0
        self._labels = 0  # width of the first column that the labels of facts need, in characters

    def fill(self, layout: Layout) -> None:
        self._line((0, layout.title, {"bold": True, "font_size": 15, "font_color": self._look.accent}))
        self._row += 1
        for block in layout.blocks:
            match block:
                case LaidFacts():
                    self._facts(block)
                case LaidText():
                    for paragraph in block.paragraphs:
                        self._line((0, paragraph, {}))
                case LaidTable():
                    self._table(block, only=len(list(layout.tables())) == 1)
            self._row += 1
        self._print_set_up(layout)

    def _facts(self, block: LaidFacts) -> None:
        self._labels = max(self._labels, *(min(len(label) + 2, 30) for label, _ in block.facts))
        self._sheet.set_column(0, 0, self._labels)
        for label, value in block.facts:
            self._line((0, label, {"font_color": "#5c6663"}), (1, value, {"bold": True}))

    def _table(self, table: LaidTable, *, only: bool) -> None:
        columns = table.plan.columns
        if table.plan.title:
            self._line((0, table.plan.title, {"bold": True}))
        for index, column in enumerate(columns):
            self._sheet.set_column(index, index, max(column.characters, self._labels if index == 0 else 0))
        if only:
            self._sheet.freeze_panes(self._row + 1, 0)
            self._sheet.repeat_rows(self._row)
        under = {"bold": True, "bottom": 2, "bottom_color": self._look.accent, "text_wrap": True}
        self._line(*((index, column.label, _side(column, index) | under) for index, column in enumerate(columns)))
        if not table.rows:
            self._line((0, table.plan.empty, {}))
            return
        cells = []
        for index, (column, texts, values) in enumerate(zip(columns, table.texts, table.values, strict=True)):
            write = self._writer(table, index, self._style(_cell_look(column, index)))
            cells.append(list(map(write, zip(texts, values, strict=True))))
        for row, written in addressed_rows(self._row, cells):
            self._sheet.put_row(row, written, len(columns))
        self._row += table.rows
        if table.plan.has_totals:
            self._totals(table)

    def _writer(self, table: LaidTable, index: int, style: int) -> CellWriter:
        key = (id(table.plan), index, style)
        if key not in self._kept:
            self._kept[key] = (CellWriter(style, table.plan.columns[index].label), table.plan)
        return self._kept[key][0]

    def _totals(self, table: LaidTable) -> None:
        top = {"bold": True, "top": 2, "top_color": self._look.accent}
        cells = []
        for index, (column, value, text) in enumerate(
            zip(table.plan.columns, table.totals, table.total_texts, strict=True)
        ):
            look = _cell_look(column, index) | top
            if column.total == "count":
                look |= {"num_format": "0"}
            shown = ("Total", "Total") if value is None and index == 0 else (text, value)
            cells.append((index, self._writer(table, index, self._style(look))(shown)))
        self._sheet.put_row(self._row, addressed(self._row, cells), len(cells))
        self._row += 1

    def _line(self, *cells: tuple[int, str, dict[str, object]]) -> None:
        """A row of texts: column, text, look."""
        written = [(column, text_cell(text, self._style(look), text[:20])) for column, text, look in cells]
        self._sheet.put_row(self._row, addressed(self._row, written), cells[-1][0] + 1)
        self._row += 1

    def _style(self, look: dict[str, object]) -> int:
        """The number of a look in the file; the same looks, asked for in the same order, have the same numbers."""
        key = tuple(sorted(look.items()))
        if key not in self._styles:
            form: Any = self._workbook.add_format(look)
            self._styles[key] = form._get_xf_index()
        return self._styles[key]

    def _print_set_up(self, layout: Layout) -> None:
        if layout.landscape:
            self._sheet.set_landscape()
        self._sheet.set_paper(9 if self._look.paper == "A4" else 1)
        self._sheet.fit_to_pages(1, 0)
        self._sheet.hide_gridlines(2)
        self._sheet.set_header("&L" + self._look.organisation.replace("&", "&&")[:100])
        self._sheet.set_footer("&Rpage &P of &N")


def _cell_look(column: PlannedColumn, index: int) -> dict[str, object]:
    look = _side(column, index) | {"valign": "top"}
    if column.kind is Kind.TEXT:
        look["text_wrap"] = True
    elif column.pattern is not None:
        look["num_format"] = excel_pattern(column.pattern, is_date=column.kind is not Kind.NUMBER)
    return look


def _side(column: PlannedColumn, index: int) -> dict[str, object]:
    """Alignment; a text behind another column stands a little apart from it."""
    side: dict[str, object] = {"align": _SIDES[column.align]}
    return side | {"indent": 1} if column.align == "left" and index else side
