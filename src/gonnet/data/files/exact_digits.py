"""Whole numbers of a workbook that no binary number holds, as the file itself writes them.

A spreadsheet counts in binary numbers (IEEE 754), which cannot tell whole numbers from 2^53 on apart. XLSX (ECMA-376,
part 1, 18.3.1.4) and ODS (OpenDocument 1.3, part 3, 19.389) write numbers as text; other kinds do not.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from gonnet.data.engine import EXACT
from gonnet.data.files.sheet_xml import Cell, ods_cells, part_of, place, xlsx_cells


def digits(path: Path, sheet: str) -> dict[Cell, int]:
    """Row and column (from 0) of each whole number too large to be exact → the number, if its digits are there.

    Nothing for a file that does not write them, and for numbers that it writes with an exponent.
    """
    if not zipfile.is_zipfile(path):
        return {}
    with zipfile.ZipFile(path) as book:
        names = set(book.namelist())
        if "content.xml" in names:
            with book.open("content.xml") as file:
                return dict(_large(_ods(file, sheet)))
        if "xl/workbook.xml" in names and (part := part_of(book, sheet)) in names:
            with book.open(part) as file:
                return dict(_large(_xlsx(file)))
    return {}


def _large(cells: Iterator[tuple[Cell, str]]) -> Iterator[tuple[Cell, int]]:
    for at, written in cells:
        if written.lstrip("-").isdecimal() and abs(int(written)) >= EXACT:
            yield at, int(written)


def _xlsx(file: IO[bytes]) -> Iterator[tuple[Cell, str]]:
    """Place and text of every number of a sheet."""
    for node, parts in xlsx_cells(file):
        if parts.get("v") and node.get("t", "n") == "n":
            yield place(node.get("r", "")), parts["v"].strip()


def _ods(file: IO[bytes], sheet: str) -> Iterator[tuple[Cell, str]]:
    for at, given, _ in ods_cells(file, sheet):
        if "value" in given:
            yield at, given["value"]
