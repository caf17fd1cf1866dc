"""Workbooks to test with."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import openpyxl


def book(*rows: Sequence[object], merged: str = "", errors: Sequence[str] = ()) -> Callable[[Path], None]:
    """What writes a workbook of one sheet: with a merged range, and with cells that have an error."""

    def write(path: Path) -> None:
        made = openpyxl.Workbook()
        sheet = made.active
        assert sheet is not None
        for row in rows:
            sheet.append(list(row))
        for place in errors:
            sheet[place].data_type = "e"
        if merged:
            sheet.merge_cells(merged)
        made.save(path)

    return write
