"""The parts of a workbook's file that readers of cells do not give: where a sheet is, and what stands at each cell.

XLSX: ECMA-376, part 1, 18.3.1.4. ODS: OpenDocument 1.3, part 3, 9.1.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator, Mapping
from typing import IO
from xml.etree import ElementTree

Cell = tuple[int, int]
"""Row and column, from 0."""


def part_of(book: zipfile.ZipFile, sheet: str) -> str:
    """The part of an XLSX with a sheet; empty where it cannot be found."""
    number = ""
    for node in ElementTree.fromstring(book.read("xl/workbook.xml")).iter():
        if node.tag.endswith("}sheet") and node.get("name") == sheet:
            number = next((value for name, value in node.items() if name.endswith("}id")), "")
    for node in ElementTree.fromstring(book.read("xl/_rels/workbook.xml.rels")):
        if number and node.get("Id") == number:
            target = node.get("Target", "")
            return target.lstrip("/") if target.startswith("/") else f"xl/{target}"
    return ""


def xlsx_cells(file: IO[bytes]) -> Iterator[tuple[ElementTree.Element, Mapping[str, str]]]:
    """Each cell of a sheet of an XLSX, with the texts of its parts (`v`, `f`)."""
    for _, node in ElementTree.iterparse(file):
        kind = node.tag.rpartition("}")[2]
        if kind == "c":
            yield node, {part.tag.rpartition("}")[2]: part.text or "" for part in node}
        elif kind == "row":
            node.clear()


def ods_cells(file: IO[bytes], sheet: str) -> Iterator[tuple[Cell, Mapping[str, str], ElementTree.Element]]:
    """Place, attributes without their namespace, and node of each cell of a sheet of an ODS."""
    row = column = 0
    is_in = False
    for event, node in ElementTree.iterparse(file, ("start", "end")):
        kind = node.tag.rpartition("}")[2]
        given = {name.rpartition("}")[2]: value for name, value in node.items()}
        if kind == "table":
            is_in, row = event == "start" and given.get("name") == sheet, 0
        elif is_in and event == "end" and kind in ("table-cell", "covered-table-cell"):
            yield (row, column), given, node
            column += int(given.get("number-columns-repeated", "1"))
        elif is_in and kind == "table-row":
            column = 0
            if event == "end":
                row += int(given.get("number-rows-repeated", "1"))
                node.clear()


def place(name: str) -> Cell:
    """Row and column of a cell such as `AB12`, from 0."""
    letters = name.rstrip("0123456789")
    column = 0
    for letter in letters:
        column = column * 26 + ord(letter) - 64
    return int(name[len(letters) :]) - 1, column - 1


def cell_name(row: int, column: int) -> str:
    """What spreadsheet programs call a cell, such as `AB12`; row and column from 0."""
    letters = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, 26)
        letters = chr(65 + rest) + letters
    return f"{letters}{row + 1}"
