"""Making one row of a sheet many: what stands below moves down, and whatever refers to it follows.

A range that holds the row grows with it, as it does when rows are inserted by hand; a single cell of the row stays the
first. openpyxl moves cells and their styles, and nothing that refers to them.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from copy import copy
from typing import Any

from openpyxl.cell.cell import MergedCell
from openpyxl.formatting.formatting import ConditionalFormattingList
from openpyxl.formula.tokenizer import Token, Tokenizer
from openpyxl.formula.translate import Translator
from openpyxl.workbook.workbook import Workbook
from openpyxl.worksheet.cell_range import CellRange, MultiCellRange
from openpyxl.worksheet.worksheet import Worksheet

_CELL = r"(\$?[A-Z]{1,3}\$?)(\d+)"
_REFERENCE = re.compile(rf"^((?:'(?:[^']|'')+'|[^'!\[\]]+)!)?{_CELL}(?::{_CELL})?$")


def grow(book: Workbook, sheet: Worksheet, row: int, more: int) -> None:
    """Give `sheet` as many more rows like row `row` below it, with its styles and its formulas.

    Args:
        book: The workbook.
        sheet: One of its sheets.
        row: The row, from 1.
        more: How many; 0 changes nothing.
    """
    if not more:
        return
    heights = {at: copy(found) for at, found in sheet.row_dimensions.items() if at > row}
    merged = [CellRange(found.coord) for found in sheet.merged_cells.ranges]
    for found in merged:
        sheet.unmerge_cells(found.coord)
    sheet.insert_rows(row + 1, more)
    _move_heights(sheet, heights, row, more)
    _follow_formulas(book, sheet, row, more)
    _copy_row(sheet, row, more)
    for found in merged:
        sheet.merge_cells(_grown_range(found, row, more).coord)
    _follow_settings(sheet, row, more)
    _follow_names(book, sheet, row, more)
    _follow_drawings(book, sheet, row, more)


def grown(reference: str, title: str, own: bool, row: int, more: int) -> str:
    """A reference after sheet `title` grew; unchanged where it is to another sheet.

    Args:
        reference: Such as `B8`, `$B$8:$B$12` or `'Milk 2026'!B8:C8`.
        title: The sheet that grew.
        own: Whether a reference that names no sheet is to it.
        row: The row that became many.
        more: How many rows were added.
    """
    found = _REFERENCE.match(reference)
    if found is None:
        return reference
    sheet, first, start, last, end = found.groups()
    if sheet is None and not own:
        return reference
    if sheet is not None and sheet[:-1].strip("'").replace("''", "'") != title:
        return reference
    begin = int(start) + (more if int(start) > row else 0)
    text = f"{sheet or ''}{first}{begin}"
    if last is None:
        return text
    return f"{text}:{last}{int(end) + (more if int(end) >= row else 0)}"


def _grown_range(found: CellRange, row: int, more: int) -> CellRange:
    top = found.min_row + (more if found.min_row > row else 0)
    # What is merged or conditional in the row itself is copied with it, not stretched.
    bottom = found.max_row + (more if found.max_row > row else 0)
    return CellRange(min_col=found.min_col, max_col=found.max_col, min_row=top, max_row=bottom)


def _move_heights(sheet: Worksheet, heights: dict[int, Any], row: int, more: int) -> None:
    for at in heights:
        del sheet.row_dimensions[at]
    for at, found in heights.items():
        found.index = at + more
        sheet.row_dimensions[at + more] = found
    for at in range(row + 1, row + more + 1):
        sheet.row_dimensions[at].height = sheet.row_dimensions[row].height


def _copy_row(sheet: Worksheet, row: int, more: int) -> None:
    cells: Any = sheet[row]
    for source in cells:
        if isinstance(source, MergedCell):
            continue
        for at in range(row + 1, row + more + 1):
            target: Any = sheet.cell(at, source.column)
            target._style = copy(source._style)  # openpyxl's own documentation copies styles so
            if source.data_type == "f" and isinstance(source.value, str):
                target.value = Translator(source.value, source.coordinate).translate_formula(target.coordinate)


def _follow_formulas(book: Workbook, sheet: Worksheet, row: int, more: int) -> None:
    for other in book.worksheets:
        own = other is sheet
        for line in other.iter_rows():
            for cell in line:
                if cell.data_type == "f" and isinstance(cell.value, str):
                    # A formula of the row itself speaks of its own row; only its copies move.
                    cell.value = _followed(cell.value, lambda text, own=own: grown(text, sheet.title, own, row, more))  # type: ignore[misc]


def _followed(formula: str, follow: Callable[[str], str]) -> str:
    tokens = Tokenizer(formula)
    for token in tokens.items:
        if token.type == Token.OPERAND and token.subtype == Token.RANGE:
            token.value = follow(token.value)
    return str(tokens.render())  # type: ignore[no-untyped-call]  # a gap in its stub


def _follow_settings(sheet: Worksheet, row: int, more: int) -> None:
    def stretched(text: str) -> str:
        return " ".join(grown(part, sheet.title, True, row, more) for part in str(text).split())

    rules = ConditionalFormattingList()
    for area in sheet.conditional_formatting:
        for rule in area.rules:
            rules.add(_widened(area.sqref, row, more), rule)
    sheet.conditional_formatting = rules
    for validation in sheet.data_validations.dataValidation:
        validation.sqref = MultiCellRange(_widened(validation.sqref, row, more))
    for listed in sheet.tables.values():
        listed.ref = stretched(listed.ref)
        if listed.autoFilter is not None:
            listed.autoFilter.ref = stretched(listed.autoFilter.ref)
    if sheet.auto_filter.ref:
        sheet.auto_filter.ref = stretched(sheet.auto_filter.ref)
    if sheet.print_area:
        areas = [part.rpartition("!")[2] for part in str(sheet.print_area).split(",")]
        sheet.print_area = ",".join(stretched(part) for part in areas)


def _widened(areas: MultiCellRange, row: int, more: int) -> str:
    """Areas of conditions and validations: one of the row is one of all rows."""
    found = []
    for area in areas.ranges:
        top = area.min_row + (more if area.min_row > row else 0)
        bottom = area.max_row + (more if area.max_row >= row else 0)
        found.append(CellRange(min_col=area.min_col, max_col=area.max_col, min_row=top, max_row=bottom).coord)
    return " ".join(found)


def _follow_names(book: Workbook, sheet: Worksheet, row: int, more: int) -> None:
    for named, own in (
        (book.defined_names, False),
        *((other.defined_names, other is sheet) for other in book.worksheets),
    ):
        for name in named.values():
            name.value = ",".join(
                grown(part, sheet.title, own, row, more) for part in (name.attr_text or "").split(",")
            )


def _follow_drawings(book: Workbook, sheet: Worksheet, row: int, more: int) -> None:
    pictures: Any = sheet
    for drawn in (*charts_of(sheet), *pictures._images):
        for corner in (getattr(drawn.anchor, "_from", None), getattr(drawn.anchor, "to", None)):
            if corner is not None and corner.row >= row:  # anchors count from 0
                corner.row += more
    for other in book.worksheets:
        for chart in charts_of(other):
            for source in sources_of(chart):
                # A chart of one cell of the row is meant of all the rows that it becomes.
                source.f = grown(_as_range(source.f, row), sheet.title, False, row, more)
                for kept in ("numCache", "strCache"):
                    if hasattr(source, kept):
                        setattr(source, kept, None)


def charts_of(sheet: Any) -> list[Any]:  # noqa: ANN401  openpyxl's types have no list of charts
    """The charts on a sheet."""
    return list(sheet._charts)


def _as_range(reference: str, row: int) -> str:
    found = _REFERENCE.match(reference)
    if found is None or found[4] is not None or int(found[3]) != row:
        return reference
    return f"{reference}:{found[2]}{found[3]}"


def sources_of(chart: Any) -> list[Any]:  # noqa: ANN401  openpyxl's charts have no common type
    """Every reference of a chart's series, of the charts that share its axes too."""
    found: list[Any] = []
    for part in (chart, *getattr(chart, "_charts", [])):
        for series in part.series:
            for data in (
                series.val,
                series.cat,
                series.tx,
                getattr(series, "xVal", None),
                getattr(series, "yVal", None),
            ):
                for name in ("numRef", "strRef"):
                    source = getattr(data, name, None)
                    if source is not None and all(source is not known for known in found):
                        found.append(source)
    return found
