"""A sheet of a part as it is seen: columns, rows and cells with what they say and how they look."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple
from xml.etree import ElementTree as ET

from gonnet.arrivals.workbooks.xml import MAIN, parsed

_PLACE = re.compile(r"([A-Z]+)(\d+)")
_AREA = re.compile(r"([A-Z]+)(\d+):([A-Z]+)(\d+)")
_ROWS = re.compile(r"\$(\d+):\$(\d+)")
_PRINTED = re.compile(r"\$([A-Z]+)\$(\d+):\$([A-Z]+)\$(\d+)")
_POINTS = 0.75  # of a pixel, as office programs count them
_SIGN, _PADDING = 7, 5  # pixels of a digit of the usual face, and around a column's text (18.3.1.13)
_BLANKS = 50  # rows without anything that are shown between others
_USUAL_WIDTH, _USUAL_HEIGHT = 8.43, 15.0


class GridCell(NamedTuple):
    """A cell.

    Attributes:
        column: Its column, from 1.
        text: What it says, as the file has it.
        kind: `number`, `text`, `bool` or `error`.
        style: The number of its look.
        columns: How many columns it covers.
        rows: How many rows it covers.
    """

    column: int
    text: str
    kind: str
    style: int
    columns: int = 1
    rows: int = 1


@dataclass(slots=True)
class GridRow:
    """A row: its number, its height in points (None where its text says it), and its cells in order."""

    number: int
    height: float | None
    cells: list[GridCell] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class Grid:
    """A sheet.

    Attributes:
        name: Its name.
        widths: Column → its width in points.
        first: The first column that is seen.
        last: The last one.
        rows: Its rows, in order.
        height: The height of a row that says none, in points.
        repeated: The rows that begin each page.
        breaks: Rows below which a page ends.
        is_wide: Whether its pages are wider than high.
        head: What stands at the head of each page, in the codes of workbooks.
        foot: The same for the foot.
    """

    name: str
    widths: Mapping[int, float]
    first: int
    last: int
    rows: Sequence[GridRow]
    height: float
    repeated: frozenset[int]
    breaks: frozenset[int]
    is_wide: bool
    head: str
    foot: str


def grid_of(name: str, data: bytes, names: Mapping[str, str]) -> Grid:
    """A sheet of a part.

    Args:
        name: Its name.
        data: It, as XML, with its texts in its cells.
        names: What is printed of it, by `Print_Titles` and `Print_Area`.
    """
    root = parsed(data)
    covered, hidden = _merged(root), set[tuple[int, int]]()
    for (row, column), (columns, rows) in covered.items():
        hidden |= {(row + y, column + x) for y in range(rows) for x in range(columns)} - {(row, column)}
    lines = list(_lines(root, covered, hidden))
    first, last, lines = _seen(lines, names.get("_xlnm.Print_Area", ""))
    usual = root.find(f"{MAIN}sheetFormatPr")
    about = usual.attrib if usual is not None else {}
    width = float(about.get("defaultColWidth", _USUAL_WIDTH))
    titles = [range(int(begin), int(end) + 1) for begin, end in _ROWS.findall(names.get("_xlnm.Print_Titles", ""))]
    setup = root.find(f"{MAIN}pageSetup")
    return Grid(
        name=name,
        widths=_widths(root, first, last, width),
        first=first,
        last=last,
        rows=lines,
        height=float(about.get("defaultRowHeight", _USUAL_HEIGHT)),
        repeated=frozenset(number for part in titles for number in part),
        breaks=frozenset(int(one.get("id", "0")) for part in root.iter(f"{MAIN}rowBreaks") for one in part),
        is_wide=setup is not None and setup.get("orientation") == "landscape",
        head=_said(root, "oddHeader"),
        foot=_said(root, "oddFooter"),
    )


def column_number(letters: str) -> int:
    """The number of a column, from 1."""
    found = 0
    for letter in letters:
        found = 26 * found + ord(letter) - 64
    return found


def _said(root: ET.Element, name: str) -> str:
    found = next(root.iter(f"{MAIN}{name}"), None)
    return (found.text or "") if found is not None else ""


def _merged(root: ET.Element) -> dict[tuple[int, int], tuple[int, int]]:
    """Row and column of the first cell of an area → how many columns and rows it has."""
    found = {}
    for one in root.iter(f"{MAIN}mergeCell"):
        if area := _AREA.fullmatch(one.get("ref", "")):
            left, top, right, bottom = column_number(area[1]), int(area[2]), column_number(area[3]), int(area[4])
            found[top, left] = (right - left + 1, bottom - top + 1)
    return found


def _lines(
    root: ET.Element, covered: Mapping[tuple[int, int], tuple[int, int]], hidden: set[tuple[int, int]]
) -> Iterator[GridRow]:
    """The rows that are seen, with those of which the file says nothing."""
    last = 0
    for one in root.iter(f"{MAIN}row"):
        row = _row(one, covered, hidden)
        yield from (GridRow(number, None) for number in range(max(last + 1, row.number - _BLANKS), row.number))
        last = row.number
        if one.get("hidden") not in ("1", "true") and float(one.get("ht", "1")) > 0:
            yield row


def _row(one: ET.Element, covered: Mapping[tuple[int, int], tuple[int, int]], hidden: set[tuple[int, int]]) -> GridRow:
    number = int(one.get("r", "0"))
    row = GridRow(number, float(one.attrib["ht"]) if "ht" in one.attrib else None)
    for cell in one:
        place = _PLACE.fullmatch(cell.get("r", ""))
        column = column_number(place[1]) if place is not None else 0
        if column and (number, column) not in hidden:
            columns, rows = covered.get((number, column), (1, 1))
            text, kind = _value(cell)
            row.cells.append(GridCell(column, text, kind, int(cell.get("s", "0")), columns, rows))
    return row


def _value(cell: ET.Element) -> tuple[str, str]:
    kind = cell.get("t", "n")
    if kind == "inlineStr":
        return "".join(text.text or "" for text in cell.iter(f"{MAIN}t")), "text"
    found = cell.find(f"{MAIN}v")
    text = (found.text or "") if found is not None else ""
    if kind == "b":
        return ("TRUE" if text == "1" else "FALSE"), "bool"
    return text, {"n": "number", "e": "error"}.get(kind, "text")


def _seen(rows: list[GridRow], printed: str) -> tuple[int, int, list[GridRow]]:
    """The first and the last column that is seen, and the rows: what is printed, or all that say something."""
    if area := _PRINTED.search(printed):
        first, top, last, bottom = column_number(area[1]), int(area[2]), column_number(area[3]), int(area[4])
        return first, last, [row for row in rows if top <= row.number <= bottom]
    saying = [row for row in rows if any(cell.text for cell in row.cells)]
    last = max((cell.column + cell.columns - 1 for row in saying for cell in row.cells), default=1)
    end = saying[-1].number if saying else 0
    return 1, last, [row for row in rows if row.number <= end]


def _widths(root: ET.Element, first: int, last: int, usual: float) -> dict[int, float]:
    found = {column: _points(usual) for column in range(first, last + 1)}
    for one in root.iter(f"{MAIN}col"):
        for column in range(max(first, int(one.get("min", "1"))), min(last, int(one.get("max", "1"))) + 1):
            is_hidden = one.get("hidden", "0") in ("1", "true")
            found[column] = 0.0 if is_hidden else _points(float(one.get("width", usual)))
    return found


def _points(width: float) -> float:
    """The width of a column of so many signs."""
    return (int(width * _SIGN + 0.5) + (_PADDING if width == _USUAL_WIDTH else 0)) * _POINTS
