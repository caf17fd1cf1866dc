"""Drawing a layout as a workbook: real numbers and dates, and text that stays text."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from functools import lru_cache
from io import BytesIO
from typing import Any

from PIL import Image
from xlsxwriter.utility import xl_range

from gonnet.jobs.values import Accent
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import FactsLayout, HeadingLayout, Layout, Line, TableLayout, TextLayout
from gonnet.reports.pen import MARK, tint_of
from gonnet.reports.plans.columns import CellValue, ColumnPlan, ValueKind
from gonnet.reports.plans.models import Look, Picture, Space
from gonnet.reports.workbook.book import Book, Sheets
from gonnet.reports.workbook.cells import (
    CellWriter,
    RowsSheet,
    addressed,
    addressed_rows,
    formula_cell,
    number_cell,
    text_cell,
    xml_safe,
)
from gonnet.reports.workbook.charts import add_chart, columns_of
from gonnet.wording.formats import excel_pattern
from gonnet.wording.languages import direction

_OPTIONS = {"in_memory": True}
_MADE = dt.datetime(2000, 1, 1)  # noqa: DTZ001  the same input gives the same bytes
_SIDES = {"left": "left", "right": "right", "centre": "center"}

_PAPERS = {"A3": 8, "A4": 9, "A5": 11, "Letter": 1, "Legal": 5}  # ECMA-376, part 1, 18.3.1.63
_ROW_HEIGHT = 15.0  # points
_MANY = 2_000
_LABEL = 40  # characters of what a total is called
_SIDE = 120  # characters on one side of the head of a printed page


@dataclass(slots=True)
class XlsxCache:
    """What is kept between the workbooks of a run.

    Attributes:
        writers: Column and style → the writer of its cells.
        sheets: The style sheets.
    """

    writers: dict[tuple[ColumnPlan, int], CellWriter] = field(default_factory=dict)
    sheets: Sheets = field(default_factory=dict)


def draw_xlsx(layouts: Sequence[Layout], look: Look, kept: XlsxCache) -> bytes:
    """The file's bytes; the same layouts give the same bytes.

    Args:
        layouts: What it shows, a sheet for each.
        look: The house style.
        kept: What is kept between the documents of a run; empty at first.

    Raises:
        DataError: a value does not fit a workbook's cell.
    """
    workbook = Book(_OPTIONS, kept.sheets)
    workbook.set_properties({"title": xml_safe(layouts[0].title), "author": look.organisation, "created": _MADE})
    taken: set[str] = set()
    for layout in layouts:
        _Sheet(workbook, layout, look, kept, _unique(sheet_name(layout.sheet), taken)).fill()
    return workbook.finished()


class _Sheet:
    """One sheet being written from top to bottom."""

    def __init__(self, workbook: Book, layout: Layout, look: Look, kept: XlsxCache, name: str) -> None:
        self._sheet: Any = workbook.add_worksheet(name, RowsSheet)
        self._workbook = workbook
        self._layout = layout
        self._look = look
        self._kept = kept
        self._locale = look.house.locale
        self._widths: dict[int, int] = {}
        self._row = 0
        self._tables = len(list(layout.tables()))

    def fill(self) -> None:
        accent = {"bold": True, "font_color": self._look.accent}
        self._line((0, self._layout.title, accent | {"font_size": 15}))
        self._row += 1
        for block in self._layout.blocks:
            match block:
                case HeadingLayout():
                    self._line((0, block.text, accent | {"font_size": 12}))
                    continue
                case FactsLayout():
                    self._facts(block)
                case TextLayout():
                    for paragraph in block.paragraphs:
                        mark = f"{paragraph.mark} " if paragraph.mark else ""
                        self._line((0, f"{'   ' * (paragraph.depth - 1)}{mark}{paragraph.text}", {}))
                case TableLayout():
                    self._table(block)
                case ChartLayout():
                    self._chart(block)
                case Picture():
                    self._picture(block)
                case Space():
                    continue
            self._row += 1
        for column, width in self._widths.items():
            self._sheet.set_column(column, column, width)
        self._print_set_up(self._layout)

    def _facts(self, block: FactsLayout) -> None:
        deep = -(-len(block.facts) // block.columns)
        for at in range(deep):
            cells: list[tuple[int, str, dict[str, object]]] = []
            for number, (label, value) in enumerate(block.facts[at::deep]):
                cells += [(2 * number, label, {"font_color": "#5c6663"}), (2 * number + 1, value, {"bold": True})]
                self._wide(2 * number, min(len(label) + 2, 30))
            self._line(*cells)

    def _wide(self, column: int, width: int) -> None:
        self._widths[column] = max(width, self._widths.get(column, 0))

    def _picture(self, picture: Picture) -> None:
        image = BytesIO(picture.data)
        with Image.open(BytesIO(picture.data)) as opened:
            factor = picture.width / (opened.size[0] * 0.75)  # 96 pixels to the inch, 72 points
        options = {"image_data": image, "x_scale": factor, "y_scale": factor, "description": picture.alt}
        self._sheet.insert_image(self._row, 0, "picture", options)
        self._row += round(picture.height / _ROW_HEIGHT) + 1

    def _chart(self, chart: ChartLayout) -> None:
        if chart.title:
            self._line((0, chart.title, {"bold": True}))
        if not chart.places:
            self._line((0, chart.empty, {}))
            return
        at, columns = self._row, columns_of(chart)
        self._row += round(chart.height / _ROW_HEIGHT) + 1
        add_chart(self._workbook, self._sheet, chart, self._row, self._look.accent, at)
        under: dict[str, object] = {"bold": True, "bottom": 2, "bottom_color": self._look.accent, "text_wrap": True}
        right = under | {"align": "right"}
        self._line((0, chart.over, under), *((at, label, right) for at, (label, _, _) in enumerate(columns, 1)))
        names, numbers = self._style({"valign": "top"}), self._style({"num_format": excel_pattern(chart.pattern)})
        for number, place in enumerate(chart.places):
            values = [values[number] for _, values, _ in columns]
            cells = [(0, text_cell(place, names, place))]
            cells += [(at, number_cell(v, numbers)) for at, v in enumerate(values, 1) if v is not None]
            self._sheet.put_row(self._row, addressed(self._row, cells), len(columns) + 1)
            self._row += 1
        for at, (label, _, _) in enumerate(columns, 1):
            self._wide(at, min(len(label) + 2, 12))

    def _table(self, table: TableLayout) -> None:
        columns = table.columns
        if table.title:
            self._line((0, table.title, {"bold": True}))
        for index, column in enumerate(columns):
            self._wide(index, column.characters)
        for line in (*table.lines, *table.totals):
            if line.is_total:
                self._wide(0, min(len(line.texts[0]) + 2, _LABEL))
        if self._tables == 1:
            self._sheet.freeze_panes(self._row + 1, 0)
            self._sheet.repeat_rows(self._row)
            if table.height and not table.lines:
                self._sheet.autofilter(self._row, 0, self._row + table.height, len(columns) - 1)
        under = {"bold": True, "bottom": 2, "bottom_color": self._look.accent, "text_wrap": True}
        head = self._row
        self._line(*((index, column.label, _side(column, index) | under) for index, column in enumerate(columns)))
        if not table.height:
            self._line((0, table.empty, {}))
            return
        cells = []
        for index, (column, texts, values) in enumerate(zip(columns, table.texts, table.values, strict=True)):
            shown = zip(texts, table.exact_values.get(index, values), strict=True)
            if index in table.money:
                written = zip(table.money[index], shown, strict=True)
                cells.append([self._cell_writer(plan, index)(pair) for plan, pair in written])
            else:
                cells.append(self._cell_writer(column, index).column(shown))
            for number in range(table.height) if index in table.links else ():
                if table.link(index, number):
                    cells[index][number] = self._standing_out(table, index, number, frozenset())
        for number, marked in table.emphasis.items():
            for index, accents in marked.items():
                cells[index][number] = self._standing_out(table, index, number, accents)
        self._rows(table, cells)
        self._workbook.name_heads(self._sheet.get_name(), head, self._row - 1, len(columns) - 1)

    def _standing_out(self, table: TableLayout, index: int, number: int, accents: frozenset[Accent]) -> str:
        column, text = table.written(index, number), table.texts[index][number]
        form = _cell_format(column, index, self._locale) | ({"bold": True} if "bold" in accents else {})
        if "tint" in accents:
            form |= {"bg_color": tint_of(self._look.accent)}
        if table.link(index, number):
            form |= {"font_color": self._look.accent, "underline": 1}
        if "mark" in accents:
            text = MARK + text
            if "num_format" in form:
                form["num_format"] = f'"{MARK}"{form["num_format"]}'
        value = table.exact_values.get(index, table.values[index])[number]
        shown: CellValue = (text, text if column.kind is ValueKind.TEXT else value)
        return self._writer(column, self._style(form))(shown)

    def _rows(self, table: TableLayout, cells: Sequence[Sequence[str]]) -> None:
        """The rows, and the lines between them."""
        at = 0
        starts: dict[int, int] = {}
        for line in (*table.lines, *table.totals):
            self._body(cells, at, line.before, starts)
            at = line.before
            if line.is_total:
                self._total(table, line, starts)
            else:
                self._line((0, line.texts[0], {"bold": True}))
        self._body(cells, at, table.height, starts)
        for index in table.links:
            for number, row in starts.items():
                if (address := table.link(index, number)) and table.texts[index][number]:
                    self._sheet.put_link(row, index, address)

    def _body(self, cells: Sequence[Sequence[str]], begin: int, end: int, starts: dict[int, int]) -> None:
        """Rows from `begin` to before `end`; `starts` remembers in which row of the sheet each of them stands."""
        for row, written in addressed_rows(self._row, [column[begin:end] for column in cells]):
            starts[begin] = row
            self._sheet.put_row(row, written, len(cells))
            begin += 1
            self._row += 1

    def _total(self, table: TableLayout, line: Line, starts: dict[int, int]) -> None:
        top = {"bold": True, "top": 2 if line in table.totals else 1, "top_color": self._look.accent}
        cells = []
        written = zip(line.columns or table.columns, line.texts, line.values, strict=True)
        for index, (column, text, value) in enumerate(written):
            form = _cell_format(column, index, self._locale) | top
            if column.total == "count":
                form |= {"num_format": "0"}
            if text.endswith("%"):
                form |= {"num_format": '0.0 "%"'}
            style = self._style(form)
            cell = self._writer(column, style)((text, value))
            if (
                table.formulas
                and not line.is_part
                and column.total
                and isinstance(value, Decimal)
                and line.since < line.before
            ):
                formula = self._formula(column, index, starts[line.since], starts[line.before - 1], table)
                cell = formula_cell(formula, value, style) if formula else cell
            cells.append((index, cell))
        self._sheet.put_row(self._row, addressed(self._row, cells), len(cells))
        self._row += 1

    @staticmethod
    def _formula(column: ColumnPlan, index: int, first: int, last: int, table: TableLayout) -> str:
        """SUBTOTAL leaves out the subtotals among its rows (ECMA-376, part 1, 18.17.7.317)."""
        area = xl_range(first, index, last, index)
        number = {"sum": 9, "average": 1, "count": 3, "max": 4, "min": 5}.get(column.total or "")
        return f"SUBTOTAL({number},{area})" if number else ""

    def _cell_writer(self, column: ColumnPlan, index: int) -> CellWriter:
        return self._writer(column, self._style(_cell_format(column, index, self._locale)))

    def _writer(self, column: ColumnPlan, style: int) -> CellWriter:
        key = (column, style)
        writers = self._kept.writers
        if key not in writers:
            if len(writers) > _MANY:
                writers.clear()
            writers[key] = CellWriter(style, column.label)
        return writers[key]

    def _line(self, *cells: tuple[int, str, dict[str, object]]) -> None:
        """A row of texts: column, text, look."""
        written = [(column, text_cell(text, self._style(look), text[:20])) for column, text, look in cells]
        self._sheet.put_row(self._row, addressed(self._row, written), cells[-1][0] + 1)
        self._row += 1

    def _style(self, look: dict[str, object]) -> int:
        """The number of a look in the file."""
        return self._workbook.number_of(look)

    def _print_set_up(self, layout: Layout) -> None:
        if layout.page.landscape:
            self._sheet.set_landscape()
        self._sheet.set_paper(_PAPERS[layout.page.paper])
        self._sheet.fit_to_pages(1, 0)
        self._sheet.hide_gridlines(2)
        self._sheet.set_header(f"&L{_printed(self._look.organisation)}&R{_printed(layout.header)}")
        count = self._look.page_count.replace("&", "&&").format("&P", "&N")
        self._sheet.set_footer(f"&L{_printed(layout.footer)}&R{count}")
        if direction(self._look.house.locale) == "rtl":
            self._sheet.right_to_left()


def _printed(text: str) -> str:
    """A text for the head or the foot of a printed page, which hold 255 characters, and in which `&` begins a code."""
    line = _cut(" ".join(xml_safe(text).split()), _SIDE)
    while len(line.replace("&", "&&")) > _SIDE:
        line = line[:-1]
    return line.replace("&", "&&")


def _cut(text: str, most: int) -> str:
    """The beginning of a text that has so many characters as workbooks count them: in UTF-16."""
    return text.encode("utf-16-le")[: 2 * most].decode("utf-16-le", errors="ignore")


def _unique(name: str, taken: set[str]) -> str:
    """A sheet's name that no other sheet has, without regard to case."""
    found, number = name, 1
    while found.casefold() in taken:
        number += 1
        found = f"{_cut(name, 28 - len(str(number)))} ({number})"
    taken.add(found.casefold())
    return found


def sheet_name(text: str) -> str:
    """A text as a name that a sheet may have: 31 characters, none of them `[ ] : * ? /`, a backslash or no XML."""
    legal = re.sub(r"[\[\]:*?/\\\x00-\x1f]+", " ", xml_safe(text))
    name = _cut(" ".join(legal.split()).strip(" '"), 31).strip(" '")
    return "Report" if not name or name.casefold() == "history" else name


@lru_cache(maxsize=_MANY)
def _cell_format(column: ColumnPlan, index: int, locale: str) -> dict[str, object]:
    form = _side(column, index) | {"valign": "top"}
    if column.kind is ValueKind.TEXT:
        form["text_wrap"] = True
    elif column.pattern is not None:
        form["num_format"] = excel_pattern(column.pattern, is_date=column.kind is not ValueKind.NUMBER, locale=locale)
    return form


def _side(column: ColumnPlan, index: int) -> dict[str, object]:
    """Alignment; a text behind another column stands a little apart from it."""
    side: dict[str, object] = {"align": _SIDES[column.align]}
    return side | {"indent": 1} if column.align == "left" and index else side
