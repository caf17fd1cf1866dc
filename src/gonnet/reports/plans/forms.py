"""A workbook of the user's own, looked at once for the run: whether it has what the job fills in, and where."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from gonnet.errors import JobError, meant
from gonnet.jobs.reach import Reach
from gonnet.jobs.reports import Form
from gonnet.reports.plans.models import FormPlan, TablePlan
from gonnet.wording.template import Template

_AREA = re.compile(r"^\$?([A-Z]{1,3})\$?(\d+)(?::\$?([A-Z]{1,3})\$?(\d+))?$")


def plan_form(
    form: Form,
    cells: Sequence[tuple[str, Template]],
    sheets: Sequence[Template],
    table: TablePlan | None,
    reach: Reach,
    where: str,
) -> FormPlan:
    """Open a form and look whether it has what the job fills in.

    Raises:
        JobError: it cannot be opened, lacks a name, or its row names a column that the table does not have.
    """
    data, book = _opened(reach.file(form.file, where), form.file, where)
    for name, _ in cells:
        place_of(book, name, form.file, where)
    columns: dict[int, int] = {}
    sheet = ""
    if form.rows is not None:
        if table is None:
            raise JobError("a form with `rows` needs a table among the report's blocks", where=where, fix="Add one")
        sheet, row, first, last = place_of(book, form.rows, form.file, where)
        known = {text: at for at, column in enumerate(table.columns) for text in (column.label, column.field)}
        for cell in book[sheet][row][first - 1 : last]:
            if cell.value is None or cell.data_type == "f":
                continue
            if str(cell.value) not in known:
                what = f"{form.file}, cell {cell.coordinate}: the report's table has no column '{cell.value}'"
                raise JobError(what, where=where, fix=meant(str(cell.value), sorted(known), noun="column"))
            columns[cell.column] = known[str(cell.value)]
    return FormPlan(
        data=data,
        cells=tuple(cells),
        rows=form.rows,
        columns=columns,
        rows_sheet=sheet,
        sheets=tuple(sheets),
        only_values=form.formulas == "values",
    )


def _opened(path: Path, name: str, where: str) -> tuple[bytes, Any]:
    try:
        import openpyxl
    except ModuleNotFoundError as error:
        raise JobError(
            "the library that fills in workbooks is not installed", where=where, fix="pip install 'gonnet[forms]'"
        ) from error
    try:
        data = path.read_bytes()
        return data, openpyxl.load_workbook(io.BytesIO(data))
    except OSError as error:
        raise JobError(
            f"the form {name} cannot be read: {error.strerror}", where=where, fix="Check the file"
        ) from error
    except Exception as error:  # whatever a broken workbook makes the reader raise
        raise JobError(f"{name} is not a workbook (.xlsx)", where=where, fix="Save it as one") from error


def place_of(book: Any, name: str, file: str, where: str) -> tuple[str, int, int, int]:  # noqa: ANN401  openpyxl is loaded late
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
