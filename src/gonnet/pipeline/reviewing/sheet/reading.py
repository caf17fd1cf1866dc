"""Reading a sheet that came back, whatever program saved it: what stands in each line, and what cannot be used."""

from __future__ import annotations

import csv
import datetime as dt
import io
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from python_calamine import CalamineError, CalamineSheet, CalamineWorkbook

from gonnet.data.files.cells import formulas
from gonnet.errors import DataError
from gonnet.pipeline.reviewing.sheet.lines import KEY, MARK, RUN
from gonnet.pipeline.reviewing.sheet.writing import SHEET

_NEEDED = (KEY, RUN, MARK)
_FIRST_LINES = 20  # among which the headings stand
_SIGNS = ",;\t"
_ANEW = "Write it anew with `gonnet review RUN --sheet FILE`, and decide there"


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A line of a sheet.

    Attributes:
        number: Its number in the file, from 1.
        cells: Heading → its text, of the cells that say something.
        unusable: Heading → why what stands there is no text.
    """

    number: int
    cells: Mapping[str, str]
    unusable: Mapping[str, str]


def read_sheet(path: Path) -> tuple[Line, ...]:
    """The lines of a sheet that say something, in order.

    Raises:
        DataError: it cannot be read, or lacks a heading by which lines are known.
    """
    try:
        rows = list(_of_text(path) if path.suffix.casefold() in (".csv", ".txt", ".tsv") else _of_workbook(path))
    except OSError as error:
        raise DataError(
            f"this sheet cannot be read: {error.strerror}", where=str(path), fix="Check the file"
        ) from error
    first = next((at for at, row in enumerate(rows[:_FIRST_LINES]) if set(_NEEDED) <= set(_texts(row))), None)
    if first is None:
        what = f"this is not the sheet of a review: it has no columns {', '.join(_NEEDED)}"
        raise DataError(what, where=str(path), fix=_ANEW)
    headings = _texts(rows[first])
    twice = next((one for one in headings if one and headings.count(one) > 1), None)
    if twice is not None:
        raise DataError(f"two columns are called '{twice}'", where=str(path), fix="Keep one of them")
    lines = (_line(number, headings, row) for number, row in enumerate(rows[first + 1 :], first + 2))
    return tuple(line for line in lines if line.cells or line.unusable)


@dataclass(frozen=True, slots=True)
class _Unusable:
    """What stands in a cell and is no text of its own."""

    why: str


def _texts(row: Sequence[object]) -> list[str]:
    return [cell.strip() if isinstance(cell, str) else "" for cell in row]


def _line(number: int, headings: Sequence[str], row: Sequence[object]) -> Line:
    cells: dict[str, str] = {}
    unusable: dict[str, str] = {}
    for heading, cell in zip(headings, row, strict=False):
        found = _plain(cell)
        if isinstance(found, _Unusable):
            unusable[heading] = found.why
        elif heading and found:
            cells[heading] = found
    return Line(number=number, cells=cells, unusable=unusable)


def _plain(cell: object) -> str | _Unusable:
    match cell:
        case _Unusable():
            return cell
        case None:
            return ""
        case bool():
            return str(cell).lower()
        case float() if cell.is_integer():
            return str(int(cell))
        case dt.date() | dt.time():
            return cell.isoformat()
        case _:
            return str(cell).strip()


def _of_workbook(path: Path) -> Iterator[list[object]]:
    try:
        with CalamineWorkbook.from_path(str(path)) as book:
            name = SHEET if SHEET in book.sheet_names else book.sheet_names[0]
            sheet = book.get_sheet_by_name(name)
            rows: list[list[object]] = [[*row] for row in sheet.to_python(skip_empty_area=False)]
            for row, column, why in (*_merged(sheet), *((*cell, "a formula") for cell in formulas(path, name))):
                if row < len(rows) and column < len(rows[row]):
                    rows[row][column] = _Unusable(why)
    except (CalamineError, zipfile.BadZipFile, IndexError) as error:
        raise DataError("this is no workbook that can be read", where=str(path), fix=_ANEW) from error
    yield from rows


def _merged(sheet: CalamineSheet) -> Iterator[tuple[int, int, str]]:
    """Every cell that is merged with others: nobody knows of which lines it is."""
    for (top, left), (bottom, right) in sheet.merged_cell_ranges or ():
        for row in range(top, bottom + 1):
            for column in range(left, right + 1):
                yield row, column, "merged with other cells"


def _of_text(path: Path) -> Iterator[list[object]]:
    data = path.read_bytes()
    try:
        text = data.decode("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
    except UnicodeError:
        text = data.decode("ascii", errors="replace")  # nobody knows what its other letters are
    head = text.partition("\n")[0]
    sign = max(_SIGNS, key=head.count)
    for row in csv.reader(io.StringIO(text, newline=""), delimiter=sign):
        yield [*row]
