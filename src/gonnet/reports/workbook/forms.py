"""A workbook of the user's own, filled in: named cells, and one named row that becomes as many as there are rows."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Mapping, Sequence
from decimal import Decimal
from functools import partial
from typing import TYPE_CHECKING, Any

from gonnet.reports.layout.models import FormLayout, Layout, TableLayout
from gonnet.reports.plans.forms import place_of
from gonnet.reports.plans.models import FormPlan
from gonnet.reports.timeless import timeless
from gonnet.reports.workbook.cells import xml_safe
from gonnet.reports.workbook.spoken import by_drawing, spoken, with_spoken

if TYPE_CHECKING:
    from gonnet.reports.workbook.formulas import BeyondError, Value


def fill_form(layout: Layout, form: FormLayout, author: str) -> bytes:
    """The bytes of the form, filled in; the same layout gives the same bytes.

    Beside each formula stands what it comes to; a program that calculates does so anew. openpyxl keeps cells, styles,
    formulas, charts and pictures; what it does not know (shapes, macros) is lost.

    Raises:
        DataError: the form lacks a sheet, or a formula must become a value and is not computed here.
    """
    import openpyxl

    from gonnet.reports.workbook.choosing import fix_all, keep_sheets
    from gonnet.reports.workbook.formulas import Calculator

    book = openpyxl.load_workbook(io.BytesIO(form.plan.data))
    for name, value in form.cells:
        sheet, row, column, _ = place_of(book, name, "", "")
        _write(book[sheet].cell(row, column), value)
    if form.plan.rows is not None:
        _fill_rows(book, form.plan, next(layout.tables(), None))
    found = dict(Calculator(book).cells())
    if form.plan.only_values:
        fix_all(book, found)
    if form.sheets:
        keep_sheets(book, form.sheets, found)
    book.properties.title, book.properties.creator = xml_safe(layout.title), author
    book.calculation.fullCalcOnLoad = True
    target = io.BytesIO()
    book.save(target)
    said = by_drawing(book.worksheets, spoken(form.plan.data))
    return timeless(target.getvalue(), partial(_stored, _by_part(book.worksheets, found), said))


def _by_part(
    sheets: Sequence[Any], found: Mapping[tuple[str, int, int], Value | BeyondError]
) -> dict[str, dict[str, Any]]:
    """Part of the file → cell → what its formula comes to."""
    from openpyxl.utils import get_column_letter

    parts = {sheet.title: f"xl/worksheets/sheet{number}.xml" for number, sheet in enumerate(sheets, 1)}
    values: dict[str, dict[str, Any]] = {part: {} for part in parts.values()}
    for (title, row, column), value in found.items():
        if title in parts:
            values[parts[title]][f"{get_column_letter(column)}{row}"] = value
    return values


def _stored(
    values: Mapping[str, Mapping[str, Any]], said: Mapping[str, Sequence[str]], name: str, part: bytes
) -> bytes:
    """A part of the file with what openpyxl leaves out: values beside formulas, what pictures say."""
    from gonnet.reports.workbook.stored import with_values

    if name in said:
        return with_spoken(part, said[name])
    return with_values(part, values[name]) if name in values else part


def _fill_rows(book: Any, plan: FormPlan, table: TableLayout | None) -> None:  # noqa: ANN401
    """Let the named row become the rows of a table; without rows, or where a rule hides the table, it is emptied."""
    assert plan.rows is not None
    name, row, first, _ = place_of(book, plan.rows, "", "")
    sheet = book[name]
    if table is None or not table.height:
        for column in plan.columns:
            sheet.cell(row, column).value = None
        _write(sheet.cell(row, first), table.empty if table is not None else None)
        return
    from gonnet.reports.workbook.growing import grow

    grow(book, sheet, row, table.height - 1)
    for column, at in plan.columns.items():
        shown = zip(table.texts[at], table.values[at], strict=True)
        for number, (text, value) in enumerate(shown):
            cell = sheet.cell(row + number, column)
            _write(cell, value if isinstance(value, (Decimal, dt.date)) else text)
            if text and (address := table.link(at, number)):
                cell.hyperlink = address


def _write(cell: Any, value: object) -> None:  # noqa: ANN401
    """A value into a cell; a text stays a text, whatever it begins with."""
    look = cell.number_format
    match value:
        case bool() | None:
            cell.value = value
        case int() | float() | Decimal() | dt.date():
            cell.value = value.replace(tzinfo=None) if isinstance(value, dt.datetime) else value
            if look != "General":
                cell.number_format = look
        case _:
            cell.value = xml_safe(str(value))
            cell.data_type = "s"
