"""Workbooks: XLSX, XLS, ODS, through one reader."""

from __future__ import annotations

import datetime as dt
import re
import zipfile
from collections.abc import Sequence
from decimal import Decimal
from functools import reduce
from pathlib import Path

from python_calamine import CalamineError, CalamineWorkbook

from gonnet.data.engine import Engine
from gonnet.data.files.exact_digits import EXACT, digits
from gonnet.data.files.text_files import require_names
from gonnet.data.types.staging import Hint, Stager, Target
from gonnet.errors import DataError, meant

_MOST_BYTES = 4_000_000_000
_MOST_CELLS = 100_000_000
_SHOWN = 3
_DIGITS = 15  # that spreadsheet programs keep of a number
_SHEET = re.compile(r"xl/worksheets/[^/]+\.xml")
_DIMENSION = re.compile(rb'<(?:\w+:)?dimension ref="(?:[A-Z]+[0-9]+:)?([A-Z]+[0-9]+)"')
_CELL = re.compile(rb'<(?:\w+:)?c r="([A-Z]+[0-9]+)"')


def load_workbook(engine: Engine, target: Target, path: Path, sheet: str | None, header: int) -> None:
    """Make the target's table from a sheet.

    Args:
        engine: The engine.
        target: The data set.
        path: The workbook.
        sheet: The sheet's name; the first when None.
        header: The row with the column names, from 1.

    Raises:
        DataError: the file is no workbook, the sheet is not there or empty.
    """
    rows = _rows(target, path, sheet)[header - 1 :]
    if not rows:
        raise DataError(f"{path.name} has no row {header}", where=target.where, fix="That row must name the columns")
    names = [str(cell).strip() for cell in rows[0]]
    while names and not names[-1]:
        names.pop()
    require_names(names, path, target)
    body = [row[: len(names)] for row in rows[1:] if any(cell not in ("", None) for cell in row)]
    _require_exact_keys(names, body, path, target)
    columns = [_values([row[index] for row in body]) for index in range(len(names))]
    stager = Stager(target, names)
    stager.write([list(zip(*columns, strict=True))] if body else [])
    stager.assign_types(
        engine, {name: Hint.TEXT for name, values in zip(names, columns, strict=True) if not any(values)}
    )


def _rows(target: Target, path: Path, sheet: str | None) -> list[list[object]]:
    try:
        _require_within(path, target)
        book = CalamineWorkbook.from_path(str(path))
        name = sheet if sheet is not None else book.sheet_names[0]
        if name not in book.sheet_names:
            known = list(book.sheet_names)
            raise DataError(
                f"{path.name} has no sheet '{name}'", where=target.where, fix=meant(name, known, noun="sheet")
            )
        rows: list[list[object]] = [list(row) for row in book.get_sheet_by_name(name).to_python(skip_empty_area=False)]
        if any(_is_inexact(cell) for row in rows for cell in row):
            for (at, column), number in digits(path, name).items():
                rows[at][column] = number
        return rows
    except (CalamineError, OSError, IndexError) as error:
        raise DataError(
            f"{path.name} is not a readable workbook: {error}", where=target.where, fix="Save it anew"
        ) from error


def _is_inexact(cell: object) -> bool:
    """Whether a cell is a number so large that another one may have the same binary form."""
    return isinstance(cell, float) and abs(cell) >= EXACT


def _require_exact_keys(names: Sequence[str], body: Sequence[Sequence[object]], path: Path, target: Target) -> None:
    """Refuse keys of which the file has lost digits: two of them may have become one.

    Raises:
        DataError: there are some; names them.
    """
    for index, name in enumerate(names):
        if name not in target.text:
            continue
        cells = [cell for cell in (row[index] for row in body) if isinstance(cell, (int, float))]
        lost = [plain_text(cell) for cell in cells if _is_inexact(cell)]
        if any(abs(cell) >= 10**_DIGITS for cell in cells):
            many = f"{path.name}: keys in '{name}' are numbers of more than {_DIGITS} digits"
            target.notes.append(f"{many}; most programs keep only {_DIGITS} of a number: make such keys text")
        if lost:
            shown = ", ".join(dict.fromkeys(lost[:_SHOWN])) + (" …" if len(lost) > _SHOWN else "")
            what = f"{path.name} keeps the keys in '{name}' as numbers that cannot have so many digits ({shown})"
            fix = "Make them text in the program that they come from, and save the file again"
            raise DataError(what, where=target.where, fix=fix)


def _require_within(path: Path, target: Target) -> None:
    """Refuse a sheet whose cells lie so far apart that it would fill the memory: the reader takes all between them.

    The extent of a sheet stands at its head (ECMA-376, part 1, 18.3.1.35), and its last cell at its end.

    Raises:
        DataError: there is such a sheet.
    """
    if not zipfile.is_zipfile(path):
        return
    with zipfile.ZipFile(path) as book:
        size = sum(entry.file_size for entry in book.infolist())
        if size > _MOST_BYTES:
            what = f"{path.name} has {size / 1e9:,.1f} GB when it is unpacked, and {_MOST_BYTES / 1e9:.0f} are the most"
            raise DataError(what, where=target.where, fix="Export it as CSV or Parquet")
        for entry in book.infolist():
            if _SHEET.fullmatch(entry.filename) is None:
                continue
            rows, columns = _extent(book, entry)
            if rows * columns > _MOST_CELLS:
                what = f"{path.name}: a sheet has {rows:,} rows and {columns:,} columns, nearly all of them empty"
                fix = "Delete the cells far below or far to the right, and save it again"
                raise DataError(what, where=target.where, fix=fix)


def _extent(book: zipfile.ZipFile, entry: zipfile.ZipInfo) -> tuple[int, int]:
    """The last row and the last column of a sheet, from 1."""
    head = tail = b""
    with book.open(entry) as file:
        while block := file.read(1 << 20):
            head = head or block[:4096]
            tail = (tail + block)[-8192:]
    rows = columns = 1
    cells = [found.group(1) for found in _DIMENSION.finditer(head)] + _CELL.findall(tail)[-1:]
    for cell in cells:
        letters, number = re.fullmatch(rb"([A-Z]+)([0-9]+)", cell).groups()  # type: ignore[union-attr]
        rows = max(rows, int(number))
        columns = max(columns, reduce(lambda at, letter: at * 26 + letter - 64, letters, 0))
    return rows, columns


def _values(cells: Sequence[object]) -> list[object]:
    """The values of a column: numbers as the decimals a reader of the cells sees; mixed kinds as text."""
    found = [None if cell in ("", None) else cell for cell in cells]
    kinds = {type(cell) for cell in found if cell is not None}
    if kinds and kinds <= {int, float}:
        decimals = [None if cell is None else _decimal(cell) for cell in found]
        if all(cell is None or cell == cell.to_integral_value() for cell in decimals):
            return [None if cell is None else int(cell) for cell in decimals]
        return list(decimals)
    if len(kinds) <= 1 or kinds <= {dt.date, dt.datetime}:
        return found
    return [None if cell is None else plain_text(cell) for cell in found]


def _decimal(cell: object) -> Decimal:
    """A number as whoever reads the cell sees it: whole ones with all their digits, others with fifteen."""
    if isinstance(cell, float) and not (cell.is_integer() and abs(cell) < EXACT):
        return Decimal(f"{cell:.15g}")
    assert isinstance(cell, (int, float))
    return Decimal(int(cell))


def plain_text(value: object) -> str:
    """A workbook's value as text: a number that is whole has no decimals (`1042`, never `1042.0`)."""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, float):
        return f"{value:.15g}"
    return str(value)
