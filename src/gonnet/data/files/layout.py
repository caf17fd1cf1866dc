"""Where the table of a file is: on which sheet, below which titles, with names in one row or in two, or in none."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice
from pathlib import Path
from typing import Any

from gonnet.data.files.headings import header_rows, joined
from gonnet.data.files.text_files import SEPARATORS, as_utf8
from gonnet.data.files.workbooks import sheets_of
from gonnet.data.types.target import Target
from gonnet.jobs.sources import FileDataSet

_LOOKED_AT = 200  # rows that show how wide a table is
_TITLES = 40  # rows that titles may take
_MOST = 0.6  # of the columns that a row with names must fill
_NUMBER = re.compile(r"[-+(]?[\s$€£]*[0-9][0-9.,' /:-]*[-)%€]?")
_YEAR = range(1800, 2101)

_Rows = Sequence[Sequence[Any]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """Where a table is.

    Attributes:
        sheet: The sheet; None for the first one, and for what has none.
        header: The row that names the columns, from 1; two where two do; 0 where none does.
        columns: Number of a column that has no name, or one that another has too → a name for it.
    """

    sheet: str | None = None
    header: int | tuple[int, int] = 1
    columns: Mapping[int, str] = field(default_factory=dict)


def laid_out(path: Path, spec: FileDataSet, target: Target) -> Layout:
    """Where the table of a text file or a workbook is, as far as `spec` does not say.

    Raises:
        DataError: the file cannot be read.
    """
    if path.suffix.lower() in (".csv", ".tsv", ".txt"):
        rows = _text_rows(path, spec, target)
        return _layout(rows)
    found: list[tuple[str, _Rows]] = [
        (name, rows) for name, rows in sheets_of(target, path, _LOOKED_AT) if spec.sheet in (None, name)
    ]
    name, most = max(found, key=lambda pair: sum(_count(row) for row in pair[1]), default=(None, ()))
    is_first = bool(found) and found[0][0] == name
    return replace(_layout(most), sheet=spec.sheet or (None if is_first else name))


def _layout(rows: _Rows) -> Layout:
    header = header_of(rows)
    first, last = header_rows(header)
    width = max(_width(rows), max((len(_stripped(row)) for row in rows[first - 1 : last]), default=0))
    names = joined(rows[first - 1 : last], width) if last else [""] * width
    given: dict[int, str] = {}
    taken = {name.casefold() for name in names}
    seen: set[str] = set()
    for at, name in enumerate(names):
        is_filled = any(at < len(row) and not _is_empty(row[at]) for row in rows[last:])
        if (not name and is_filled) or name.casefold() in seen:
            free = f"{name or 'column'}_{at + 1}"
            given[at + 1] = free if free.casefold() not in taken else f"{free}_"
        seen |= {name.casefold()} - {""}
    return Layout(header=header, columns=given)


def _text_rows(path: Path, spec: FileDataSet, target: Target) -> list[list[str]]:
    with as_utf8(path, target, spec.encoding).open(encoding="utf-8-sig", newline="") as lines:
        head = [line for line in islice(lines, _LOOKED_AT) if len(line) < csv.field_size_limit()]
    ways = [list(csv.reader(head, delimiter=sign)) for sign in SEPARATORS]
    return max(ways, key=lambda rows: (_width(rows) > 1, sum(len(row) == _width(rows) for row in rows), _width(rows)))


def header_of(rows: _Rows) -> int | tuple[int, int]:
    """The row, or the two, with the names of a table's columns, from 1; 0 where its first row has values."""
    width = _width(rows)
    for number, row in enumerate(rows[:_TITLES], 1):
        cells = [cell for cell in row if not _is_empty(cell)]
        if len(cells) < max(1, _MOST * width) or (width > 1 and len(cells) < 2):
            continue
        below = next((other for other in rows[number:] if _count(other)), [])
        if _is_heading(row):
            upper = rows[number - 2] if number > 1 else []
            if _is_heading(upper) and _is_above(upper, row, width):
                return number - 1, number
            return (number, number + 1) if _are_two(row, below, rows[number + 1 :], width) else number
        return 0 if _kinds(row) == _kinds(below) or not below else number
    return 1


def _are_two(row: Sequence[object], below: Sequence[object], rest: _Rows, width: int) -> bool:
    """Whether the row below one with names has names too: it fills what the first leaves open."""
    if not below or not _is_heading(below) or not any(not _is_heading(other) for other in rest[:5] if _count(other)):
        return False
    return any(_is_empty(cell) for cell in row[:width]) and len(set(joined([row, below], width))) == width


def _is_above(upper: Sequence[object], lower: Sequence[object], width: int) -> bool:
    """Whether a row has names of groups, and no title: it reaches over the table, each cell over one that is filled."""
    is_title = _count(upper) == 1 and not _is_empty(upper[0])
    if is_title or 2 * len(_stripped(upper)) <= width:
        return False
    return all(_is_empty(cell) or not _is_empty(under) for cell, under in zip(upper, lower, strict=False))


def _is_heading(row: Sequence[object]) -> bool:
    cells = [cell for cell in row if not _is_empty(cell)]
    values = [cell for cell in cells if not _is_text(cell)]
    return len(values) < len(cells) and (not values or _are_years(values))


def _are_years(cells: Sequence[object]) -> bool:
    """Whether numbers are years one after another, as wide tables have them for names."""
    try:
        years = [int(float(str(cell))) for cell in cells]
    except ValueError:
        return False
    return len(years) > 1 and all(year in _YEAR for year in years) and years == sorted(set(years))


def _kinds(row: Sequence[object]) -> list[str]:
    return ["" if _is_empty(cell) else "text" if _is_text(cell) else "value" for cell in row]


def _is_text(cell: object) -> bool:
    return isinstance(cell, str) and not _NUMBER.fullmatch(cell.strip())


def _width(rows: _Rows) -> int:
    """How many columns most rows fill."""
    counts = Counter(len(_stripped(row)) for row in rows if _count(row))
    wide = {width: count for width, count in counts.items() if width > 1}
    return max(wide or counts or {0: 0}, key=lambda width: ((wide or counts or {0: 0})[width], width))


def _stripped(row: Sequence[object]) -> list[object]:
    cells = list(row)
    while cells and _is_empty(cells[-1]):
        cells.pop()
    return cells


def _count(row: Sequence[object]) -> int:
    return sum(not _is_empty(cell) for cell in row)


def _is_empty(cell: object) -> bool:
    return cell is None or (isinstance(cell, str) and not cell.strip())
