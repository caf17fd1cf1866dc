"""Whole numbers of a workbook that no binary number holds, as the file itself writes them.

A spreadsheet counts in binary numbers (IEEE 754), which cannot tell whole numbers from 2^53 on apart. XLSX (ECMA-376,
part 1, 18.3.1.4) and ODS (OpenDocument 1.3, part 3, 19.389) write numbers as text; other kinds do not.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO
from xml.etree import ElementTree

from gonnet.data.engine import EXACT

Cell = tuple[int, int]
"""Row and column, from 0."""


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
    for place, written in cells:
        if written.lstrip("-").isdecimal() and abs(int(written)) >= EXACT:
            yield place, int(written)


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


def _xlsx(file: IO[bytes]) -> Iterator[tuple[Cell, str]]:
    """Place and text of every number of a sheet."""
    for _, node in ElementTree.iterparse(file):
        kind = node.tag.rpartition("}")[2]
        if kind == "c":
            value = next((part.text for part in node if part.tag.endswith("}v")), None)
            if value and node.get("t", "n") == "n":
                yield place(node.get("r", "")), value.strip()
        elif kind == "row":
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


def _ods(file: IO[bytes], sheet: str) -> Iterator[tuple[Cell, str]]:
    row = column = 0
    is_in = False
    for event, node in ElementTree.iterparse(file, ("start", "end")):
        kind = node.tag.rpartition("}")[2]
        given = {name.rpartition("}")[2]: value for name, value in node.items()}
        if kind == "table":
            is_in, row = event == "start" and given.get("name") == sheet, 0
        elif is_in and event == "end" and kind in ("table-cell", "covered-table-cell"):
            if "value" in given:
                yield (row, column), given["value"]
            column += int(given.get("number-columns-repeated", "1"))
        elif is_in and kind == "table-row":
            column = 0
            if event == "end":
                row += int(given.get("number-rows-repeated", "1"))
                node.clear()
