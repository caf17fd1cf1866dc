"""Workbooks: XLSX, XLS, ODS, through one reader."""

from __future__ import annotations

import datetime as dt
import re
import zipfile
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import reduce
from pathlib import Path

from python_calamine import CalamineError, CalamineWorkbook

from gonnet.data.engine import EXACT, Engine
from gonnet.data.files.cells import Blind, blind
from gonnet.data.files.exact_digits import digits
from gonnet.data.files.headings import header_rows, joined, named, require_empty, unnamed
from gonnet.data.files.sheet_xml import Cell, cell_name
from gonnet.data.types.narrowing import taken
from gonnet.data.types.staging import Stager
from gonnet.data.types.target import Control, Hint, Target
from gonnet.errors import DataError, meant
from gonnet.findings import Finding, Weight
from gonnet.jobs.sources import FileDataSet

_MOST_BYTES = 4_000_000_000
_MOST_CELLS = 100_000_000
_SHOWN = 3
_DIGITS = 15  # that spreadsheet programs keep of a number
_SHEET = re.compile(r"xl/worksheets/[^/]+\.xml")
_DIMENSION = re.compile(rb'<(?:\w+:)?dimension ref="(?:[A-Z]+[0-9]+:)?([A-Z]+[0-9]+)"')
_CELL = re.compile(rb'<(?:\w+:)?c r="([A-Z]+[0-9]+)"')


def load_workbook(engine: Engine, target: Target, path: Path, spec: FileDataSet) -> None:
    """Make the target's table from a sheet.

    Args:
        engine: The engine.
        target: The data set.
        path: The workbook.
        spec: The sheet (the first by default), the rows that name its columns, and what is left out.

    Raises:
        DataError: the file is no workbook, the sheet is not there or empty.
    """
    sheet = opened(target, path, spec.sheet)
    first, last = (row + spec.skip for row in header_rows(spec.header))
    if len(sheet.rows) < last or not sheet.rows:
        raise DataError(f"{path.name} has no row {last}", where=target.where, fix="That row must name the columns")
    rows, begins = [list(row) for row in sheet.rows], max(last, spec.skip)
    width = max((len(row) for row in rows), default=0)
    found = joined(rows[first - 1 : last], width) if last > spec.skip else [""] * width
    names = named(found, spec.columns, path.name, target)
    at = [(row, number) for number, row in enumerate(rows[begins:], begins)]
    without = {row for row, _ in (*sheet.blind.errors, *sheet.blind.unsaved)}
    at = [(row, number) for row, number in at if number in without or any(cell not in ("", None) for cell in row)]
    _tell_blind(target, path, sheet, names, {number for _, number in at})
    _leave_out_unnamed(target, path, names, [row for row, _ in at])
    kept = [(index, name) for index, name in enumerate(names) if name is not None]
    body = [[row[index] for index, _ in kept] for row, _ in at]
    _stage(engine, target, path, [name for _, name in kept], body)


def _leave_out_unnamed(target: Target, path: Path, names: list[str | None], rows: Sequence[Sequence[object]]) -> None:
    """Leave out columns without a name: those beside the table, and those without a value.

    Raises:
        DataError: one among the others has values.
    """
    beside = len(names)
    while beside and (names[beside - 1] is None or unnamed(names[beside - 1]) is not None):
        beside -= 1
    for index, name in enumerate(names):
        if (number := unnamed(name)) is None:
            continue
        values = [row[index] for row in rows if row[index] not in ("", None)]
        if index < beside or not values:
            require_empty(number, values, path.name, target)
        else:
            what = f"column {number} of {path.name}, beside the table, has no name and is left out"
            text = f"data set '{target.name}': {what}"
            target.findings.append(Finding(weight=Weight.NOTE, text=text))
        names[index] = None


def _stage(engine: Engine, target: Target, path: Path, names: list[str], body: list[list[object]]) -> None:
    """Make the target's table of the cells, without those that the job leaves out."""
    control = body.pop() if target.last is not None and body else None
    body = _narrowed(engine, target, names, body)
    _require_exact_keys(names, body, path, target)
    columns = [_values([row[index] for row in body]) for index in range(len(names))]
    _tell_digits(target, names, columns)
    if control is not None:
        cells = {name: plain_text(cell) for name, cell in zip(names, control, strict=True) if cell not in ("", None)}
        target.controls.append(Control(file=path.name, first=0, last=len(body) - 1, cells=cells))
    stager = Stager(target, names)
    stager.write([list(zip(*columns, strict=True))] if body else [])
    hints = stager.dated_texts()
    empty = {name: Hint.TEXT for name, values in zip(names, columns, strict=True) if not any(values)}
    stager.assign_types(engine, hints | empty)


def _narrowed(engine: Engine, target: Target, names: list[str], body: list[list[object]]) -> list[list[object]]:
    """The rows that are taken, without texts that stand for no value: what is left says of which kind a column is."""
    words = [set(target.writing.missing_of(name)) for name in names]
    if any(words):
        body = [[_emptied(cell, word) for cell, word in zip(row, words, strict=True)] for row in body]
    if target.rows is None or not body:
        return body
    cells = [[None if cell in ("", None) else plain_text(cell) for cell in row] for row in body]
    return [body[at] for at in taken(engine, target, names, cells)]


def _emptied(cell: object, words: Collection[str]) -> object:
    return "" if isinstance(cell, str) and cell.strip() in words else cell


def _tell_blind(target: Target, path: Path, sheet: Sheet, names: Sequence[str | None], rows: Collection[int]) -> None:
    """Tell which columns have cells that show something and give no value."""
    for index, name in enumerate(names):
        if name is None:
            continue
        errors = [(at, shown) for (row, at), shown in sheet.blind.errors.items() if at == index and row in rows]
        unsaved = [(row, at) for row, at in sheet.blind.unsaved if at == index and row in rows]
        where = f"data set '{target.name}': column '{name}' has"
        if errors:
            first = min(place for place in sheet.blind.errors if place[1] == index and place[0] in rows)
            many = f"{len(errors):,} cell{'s' if len(errors) > 1 else ''} with an error"
            text = f"{where} {many} ({sheet.blind.errors[first]} in {cell_name(*first)}), read as empty"
            target.findings.append(Finding(weight=Weight.ATTENTION, text=text))
        if unsaved:
            many = f"{len(unsaved):,} formula{'s' if len(unsaved) > 1 else ''} without a saved value"
            text = (
                f"{where} {many} (the first is {cell_name(*min(unsaved))}), read as empty. "
                f"Open {path.name} in a spreadsheet program and save it"
            )
            target.findings.append(Finding(weight=Weight.ATTENTION, text=text))
    merged = [first for first, last in sheet.merged if first != last and first[0] in rows]
    if merged:
        many = f"{len(merged):,} merged cell{'s' if len(merged) > 1 else ''} (the first is {cell_name(*min(merged))})"
        text = f"data set '{target.name}': among the rows are {many}; only the first of the cells has the value"
        target.findings.append(Finding(weight=Weight.ATTENTION, text=text))


def _tell_digits(target: Target, names: Sequence[str], columns: Sequence[Sequence[object]]) -> None:
    """Tell which columns have numbers of more digits than spreadsheet programs keep."""
    for name, values in zip(names, columns, strict=True):
        large = [value for value in values if isinstance(value, Decimal) and len(value.as_tuple().digits) >= _DIGITS]
        large = [value for value in large if value != value.to_integral_value()]
        if large and name not in target.text:
            text = (
                f"data set '{target.name}': column '{name}' has numbers of {_DIGITS} digits or more, such as "
                f"{large[0]}; further digits are lost in most files of spreadsheet programs"
            )
            target.findings.append(Finding(weight=Weight.NOTE, text=text))


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheet:
    """A sheet of a workbook as it is read.

    Attributes:
        rows: Its rows from the first one on, and of each its cells from the first one on.
        blind: Its cells that give no value.
        merged: The first and the last cell of each merged range, as row and column from 0.
    """

    rows: Sequence[Sequence[object]]
    blind: Blind
    merged: Sequence[tuple[Cell, Cell]]


def opened(target: Target, path: Path, sheet: str | None) -> Sheet:
    """A sheet of a workbook; the first by default.

    Raises:
        DataError: the file is no workbook, or the sheet is not there.
    """
    try:
        _require_within(path, target)
        book = CalamineWorkbook.from_path(str(path))
        name = sheet if sheet is not None else book.sheet_names[0]
        if name not in book.sheet_names:
            known = list(book.sheet_names)
            raise DataError(
                f"{path.name} has no sheet '{name}'", where=target.where, fix=meant(name, known, noun="sheet")
            )
        read = book.get_sheet_by_name(name)
        rows: list[list[object]] = [list(row) for row in read.to_python(skip_empty_area=False)]
        if any(map(_has_inexact, zip(*rows, strict=False))):
            for (at, column), number in digits(path, name).items():
                rows[at][column] = number
        without = blind(path, name)
        for at, column in without.errors:
            if at < len(rows) and column < len(rows[at]):
                rows[at][column] = ""
        return Sheet(rows=rows, blind=without, merged=read.merged_cell_ranges or ())
    except (CalamineError, OSError, IndexError) as error:
        raise DataError(
            f"{path.name} is not a readable workbook: {error}", where=target.where, fix="Save it anew"
        ) from error


def _is_inexact(cell: object) -> bool:
    """Whether a cell is a number so large that another one may have the same binary form."""
    return isinstance(cell, float) and abs(cell) >= EXACT


def sheets_of(target: Target, path: Path, most: int) -> list[tuple[str, Sequence[Sequence[object]]]]:
    """The name of each sheet and its first rows.

    Raises:
        DataError: the file is no workbook.
    """
    try:
        _require_within(path, target)
        book = CalamineWorkbook.from_path(str(path))
        sheets = [book.get_sheet_by_name(name) for name in book.sheet_names]
        return [(sheet.name, sheet.to_python(skip_empty_area=False, nrows=most)) for sheet in sheets]
    except (CalamineError, OSError) as error:
        what = f"{path.name} is not a readable workbook: {error}"
        raise DataError(what, where=target.where, fix="Save it anew") from error


def _has_inexact(column: Sequence[object]) -> bool:
    numbers = [cell for cell in column if type(cell) is float]
    return bool(numbers) and (max(numbers) >= EXACT or min(numbers) <= -EXACT)


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
        return _numbers(found)
    if len(kinds) <= 1 or kinds <= {dt.date, dt.datetime}:
        return found
    return [None if cell is None else plain_text(cell) for cell in found]


def _numbers(cells: Sequence[object]) -> list[object]:
    """The numbers of a column: whole ones where all are."""
    if not _has_inexact(cells) and all(type(cell) is not float or cell.is_integer() for cell in cells):
        return [int(cell) if type(cell) is float else cell for cell in cells]
    decimals = [None if cell is None else _decimal(cell) for cell in cells]
    if all(cell is None or cell == cell.to_integral_value() for cell in decimals):
        return [None if cell is None else int(cell) for cell in decimals]
    return list(decimals)


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
