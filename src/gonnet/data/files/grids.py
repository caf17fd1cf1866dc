"""A workbook as texts, sheet by sheet: for what people fill in by hand, where every cell is looked at by itself."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import NamedTuple

from gonnet.data.files.sheet_xml import Cell
from gonnet.data.files.workbooks import opened, plain_text, sheets_of
from gonnet.data.types.target import Target


class Grid(NamedTuple):
    """A sheet.

    Attributes:
        rows: Its rows from the first one on, and of each its cells as texts: dates as ISO 8601 has them.
        without: Row and column (from 0) of cells that show an error, or a formula without a saved value.
    """

    rows: list[list[str]]
    without: frozenset[Cell]


def grids(path: Path, where: str) -> dict[str, Grid]:
    """Sheet → what it says, in the order of the workbook.

    Raises:
        DataError: the file is no workbook.
    """
    target = Target(name=path.name, where=where, scratch=path.parent)
    found = {}
    for name, _ in sheets_of(target, path, 1):
        sheet = opened(target, path, name)
        rows = [[_text(cell) for cell in row] for row in sheet.rows]
        found[name] = Grid(rows, frozenset((*sheet.blind.errors, *sheet.blind.unsaved)))
    return found


def _text(cell: object) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, dt.datetime) and cell.time() == dt.time():
        return cell.date().isoformat()
    return plain_text(cell).strip() if cell is not None else ""
