"""Cells of a workbook that show something and give no value: errors, and formulas whose value was not saved.

XLSX: ECMA-376, part 1, 18.3.1.4 (`c`, with `t="e"` for an error, `f` for a formula and `v` for its value). ODS:
OpenDocument 1.3, part 3, 19.642 (`table:formula`) and 19.385 (`office:value-type`).
"""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from gonnet.data.files.sheet_xml import Cell, ods_cells, part_of, place, xlsx_cells

ERROR = re.compile(r"#(N/A|DIV/0!|REF!|VALUE!|NAME\?|NUM!|NULL!|SPILL!|CALC!|GETTING_DATA)|Err:[0-9]{3}")
"""What spreadsheet programs show where a formula fails."""

_SIGNS = (b"<f>", b"<f ", b"<f/", b":f>", b":f ", b't="e"', b':formula="')


@dataclass(slots=True)
class Blind:
    """Cells without a usable value.

    Attributes:
        errors: Row and column (from 0) → the error shown.
        unsaved: Those with a formula of which no value was saved.
    """

    errors: dict[Cell, str] = field(default_factory=dict)
    unsaved: set[Cell] = field(default_factory=set)


def blind(path: Path, sheet: str) -> Blind:
    """The cells of a sheet without a usable value; none for kinds of files that do not show them."""
    found = Blind()
    if not zipfile.is_zipfile(path):
        return found
    with zipfile.ZipFile(path) as book:
        names = set(book.namelist())
        if "content.xml" in names:
            part = "content.xml"
        elif "xl/workbook.xml" not in names or (part := part_of(book, sheet)) not in names:
            return found
        with book.open(part) as file:
            if not _shows_any(file):
                return found
        with book.open(part) as file:
            for at, error in _ods(file, sheet) if part == "content.xml" else _xlsx(file):
                if error:
                    found.errors[at] = error
                else:
                    found.unsaved.add(at)
    return found


def _shows_any(file: IO[bytes]) -> bool:
    tail = b""
    while block := file.read(1 << 20):
        if any(sign in tail + block for sign in _SIGNS):
            return True
        tail = block[-32:]
    return False


def _xlsx(file: IO[bytes]) -> Iterator[tuple[Cell, str]]:
    """Place of each such cell, and its error; empty for a formula without a value."""
    for node, parts in xlsx_cells(file):
        if node.get("t") == "e":
            yield place(node.get("r", "")), parts.get("v") or "#N/A"
        elif "f" in parts and not parts.get("v") and node.get("t") != "str" and "is" not in parts:
            yield place(node.get("r", "")), ""


def _ods(file: IO[bytes], sheet: str) -> Iterator[tuple[Cell, str]]:
    for at, given, node in ods_cells(file, sheet):
        shown = "".join(node.itertext())
        if "formula" in given and ERROR.fullmatch(shown):
            yield at, shown
        elif "formula" in given and "value-type" not in given:
            yield at, ""


def formulas(path: Path, sheet: str) -> set[Cell]:
    """Where the formulas of a sheet stand."""
    if not zipfile.is_zipfile(path):
        return set()
    with zipfile.ZipFile(path) as book:
        part = "content.xml" if "content.xml" in book.namelist() else part_of(book, sheet)
        with book.open(part) as file:
            if not _shows_any(file):
                return set()
        with book.open(part) as file:
            if part == "content.xml":
                return {at for at, given, _ in ods_cells(file, sheet) if "formula" in given}
            return {place(node.get("r", "")) for node, parts in xlsx_cells(file) if "f" in parts}
