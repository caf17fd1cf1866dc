"""A workbook of the user's own, filled in: named cells, and one named row that becomes as many as there are rows."""

from __future__ import annotations

import datetime as dt
import io
import re
import zipfile
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

from gonnet.errors import JobError, meant
from gonnet.jobs.models import Form
from gonnet.reports.cells import xml_safe
from gonnet.reports.laid import LaidForm, LaidTable, Layout
from gonnet.reports.planned import PlannedForm, PlannedTable
from gonnet.wording.template import Template

_MADE = "2000-01-01T00:00:00Z"
_ZIPPED = (1980, 1, 1, 0, 0, 0)
_AREA = re.compile(r"^\$?([A-Z]{1,3})\$?(\d+)(?::\$?([A-Z]{1,3})\$?(\d+))?$")


def planned_form(
    form: Form, cells: Sequence[tuple[str, Template]], table: PlannedTable | None, folder: Path, where: str
) -> PlannedForm:
    """Open a form and look whether it has what the job fills in.

    Raises:
        JobError: it cannot be opened, lacks a name, or its row names a column that the table does not have.
    """
    data, book = _opened(folder / form.file, form.file, where)
    for name, _ in cells:
        _place(book, name, form.file, where)
    columns: dict[int, int] = {}
    if form.rows is not None:
        if table is None:
            raise JobError("a form with `rows` needs a table among the report's blocks", where=where, fix="Add one")
        sheet, row, first, last = _place(book, form.rows, form.file, where)
        known = {text: at for at, column in enumerate(table.columns) for text in (column.label, column.field)}
        for cell in book[sheet][row][first - 1 : last]:
            if cell.value is None or cell.data_type == "f":
                continue
            if str(cell.value) not in known:
                what = f"{form.file}, cell {cell.coordinate}: the report's table has no column '{cell.value}'"
                raise JobError(what, where=where, fix=meant(str(cell.value), sorted(known), noun="column"))
            columns[cell.column] = known[str(cell.value)]
    return PlannedForm(data=data, cells=tuple(cells), rows=form.rows, columns=columns)


def _opened(path: Path, name: str, where: str) -> tuple[bytes, Any]:
    try:
        import openpyxl
    except ModuleNotFoundError as error:
        raise JobError(
            "what fills in workbooks is not installed", where=where, fix="pip install 'gonnet[forms]'"
        ) from error
    try:
        data = path.read_bytes()
        return data, openpyxl.load_workbook(io.BytesIO(data))
    except OSError as error:
        raise JobError(
            f"the form {name} cannot be read: {error.strerror}", where=where, fix="Check the file"
        ) from error
    except Exception as error:  # whatever a broken workbook makes the reader raise
        raise JobError(f"{name} is no workbook (.xlsx)", where=where, fix="Save it as one") from error


def _place(book: Any, name: str, file: str, where: str) -> tuple[str, int, int, int]:  # noqa: ANN401  openpyxl is loaded late
    """Sheet, row, first and last column (from 1) of a defined name.

    Raises:
        JobError: there is no such name, or it is not of cells in one row.
    """
    known = {**book.defined_names, **{n: d for sheet in book.worksheets for n, d in sheet.defined_names.items()}}
    if name not in known:
        fix = meant(name, sorted(known), noun="name")
        raise JobError(f"{file} has no cell or row that is named '{name}'", where=where, fix=fix)
    places = list(known[name].destinations)
    found = _AREA.match(places[0][1]) if len(places) == 1 else None
    if found is None or (found[4] is not None and found[4] != found[2]):
        raise JobError(f"'{name}' in {file} is not a cell, nor cells of one row", where=where, fix="Name it anew")
    from openpyxl.utils import column_index_from_string as number

    return places[0][0], int(found[2]), number(found[1]), number(found[3] or found[1])


def fill_form(layout: Layout, form: LaidForm, author: str) -> bytes:
    """The bytes of the form, filled in; the same layout gives the same bytes.

    What was computed is computed anew by the program that opens it. openpyxl keeps cells, styles, formulas, charts and
    pictures; what it does not know (shapes, macros) is lost.
    """
    import openpyxl

    book = openpyxl.load_workbook(io.BytesIO(form.plan.data))
    for name, value in form.cells:
        sheet, row, column, _ = _place(book, name, "", "")
        _write(book[sheet].cell(row, column), value)
    if form.plan.rows is not None:
        _fill_rows(book, form.plan, next(layout.tables()))
    book.properties.title, book.properties.creator = xml_safe(layout.title), author
    book.calculation.fullCalcOnLoad = True
    target = io.BytesIO()
    book.save(target)
    return _timeless(target.getvalue())


def _fill_rows(book: Any, plan: PlannedForm, table: LaidTable) -> None:  # noqa: ANN401
    from gonnet.reports.growing import grow

    assert plan.rows is not None
    name, row, first, _ = _place(book, plan.rows, "", "")
    sheet = book[name]
    grow(book, sheet, row, max(table.height - 1, 0))
    for column, at in plan.columns.items():
        shown = zip(table.texts[at], table.values[at], strict=True)
        for number, (text, value) in enumerate(shown):
            _write(sheet.cell(row + number, column), value if isinstance(value, (Decimal, dt.date)) else text)
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


def _timeless(data: bytes) -> bytes:
    """The same file with one date for all: when it was made is no part of what it says."""
    target = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as source, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as packed:
        for name in source.namelist():
            part = source.read(name)
            if name == "docProps/core.xml":
                part = re.sub(rb"(<dcterms:\w+[^>]*>)[^<]*(</dcterms:)", rb"\g<1>" + _MADE.encode() + rb"\g<2>", part)
            packed.writestr(zipfile.ZipInfo(name, _ZIPPED), part, zipfile.ZIP_DEFLATED)
    return target.getvalue()
