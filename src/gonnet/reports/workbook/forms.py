"""A workbook of the user's own, filled in: named cells, and one named row that becomes as many as there are rows."""

from __future__ import annotations

import datetime as dt
import io
from decimal import Decimal
from typing import Any

from gonnet.reports.layout.models import FormLayout, Layout, TableLayout
from gonnet.reports.plans.forms import place_of
from gonnet.reports.plans.models import FormPlan
from gonnet.reports.timeless import timeless
from gonnet.reports.workbook.cells import xml_safe


def fill_form(layout: Layout, form: FormLayout, author: str) -> bytes:
    """The bytes of the form, filled in; the same layout gives the same bytes.

    What was computed is computed anew by the program that opens it. openpyxl keeps cells, styles, formulas, charts and
    pictures; what it does not know (shapes, macros) is lost.
    """
    import openpyxl

    book = openpyxl.load_workbook(io.BytesIO(form.plan.data))
    for name, value in form.cells:
        sheet, row, column, _ = place_of(book, name, "", "")
        _write(book[sheet].cell(row, column), value)
    if form.plan.rows is not None:
        _fill_rows(book, form.plan, next(layout.tables()))
    book.properties.title, book.properties.creator = xml_safe(layout.title), author
    book.calculation.fullCalcOnLoad = True
    target = io.BytesIO()
    book.save(target)
    return timeless(target.getvalue())


def _fill_rows(book: Any, plan: FormPlan, table: TableLayout) -> None:  # noqa: ANN401
    from gonnet.reports.workbook.growing import grow

    assert plan.rows is not None
    name, row, first, _ = place_of(book, plan.rows, "", "")
    sheet = book[name]
    grow(book, sheet, row, max(table.height - 1, 0))
    for column, at in plan.columns.items():
        shown = zip(table.texts[at], table.values[at], strict=True)
        for number, (text, value) in enumerate(shown):
            cell = sheet.cell(row + number, column)
            _write(cell, value if isinstance(value, (Decimal, dt.date)) else text)
            if text and (address := table.link(at, number)):
                cell.hyperlink = address
    if not table.height:
        for column in plan.columns:
            sheet.cell(row, column).value = None
        _write(sheet.cell(row, first), table.empty)


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
