"""The rows of a sheet as they stand in its XML (ECMA-376, part 1, 18.3.1.73 and 18.3.1.4)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html import unescape
from typing import NamedTuple

from gonnet.arrivals.workbooks.areas import stays_in_sheet
from gonnet.arrivals.workbooks.strings import Strings, text_in
from gonnet.arrivals.workbooks.xml import is_plain, parsed, written

_BODY = re.compile(rb"<(?:\w+:)?sheetData(?:\s[^>]*)?(?:/>|>(.*?)</(?:\w+:)?sheetData>)", re.DOTALL)
_ROW = re.compile(rb"<row\b([^>]*?)(?:/>|>(.*?)</row>)", re.DOTALL)
_NUMBER = re.compile(rb'\br="(\d+)"')
_KEPT = re.compile(rb' (?:s|customFormat|ht|hidden|customHeight|outlineLevel|collapsed|thickTop|thickBot)="[^"<>]*"')
_HIDDEN = re.compile(rb' hidden="(?:1|true)"')
_CELL = re.compile(rb'<c r="([A-Z]+)\d+"([^>]*?)(?:/>|>(.*?)</c>)', re.DOTALL)
_SHARED = re.compile(rb'<c r="([A-Z]+)\d+"([^>]*?) t="s"([^>]*?)><v>(\d+)</v></c>')
_NAMED = re.compile(rb'<c r="([A-Z]+)\d+"')
_FORMULA = re.compile(rb"<f(?:\s[^>]*)?(?:/>|>([^<]*)</f>)")
_UNSAVED = re.compile(rb'<c r="([A-Z]+\d+)"[^>]*><f(?:\s[^>]*)?(?:/>|>[^<]*</f>)</c>')
_UNSAVED_OR_ZERO = re.compile(_UNSAVED.pattern[:-4] + rb"(?:<v>0</v>)?</c>")
_SUM = re.compile(rb'<c r="([A-Z]+)\d+"[^>]*><f(?:\s[^>]*)?>(?:SUM|SUBTOTAL)\((?:1?09,|9,)?\1\d+:\1\d+\)</f>')
_VALUE = re.compile(rb"<v>([^<]*)</v>")
_EXTRA = re.compile(rb'(<c [^>]*?) (?:cm|vm|ph)="[^"]*"')
_SAYS = re.compile(rb"<v>[^<]|<t(?:\s[^>]*)?>[^<]")
_GROUP = re.compile(rb'\bsi="(\d+)"')


class Line(NamedTuple):
    """A row as it stands in the file.

    Attributes:
        number: Its number.
        attributes: How it looks, as XML.
        cells: Its cells, as XML.
    """

    number: int
    attributes: bytes
    cells: bytes

    @property
    def is_blank(self) -> bool:
        """Whether no cell says anything."""
        return _SAYS.search(self.cells) is None


def apart(data: bytes) -> tuple[bytes, bytes]:
    """A sheet without its rows, and its rows, in XML in which tags can be found as they stand.

    Raises:
        ValueError: it cannot be read.
    """
    found = _BODY.search(data)
    if found is None:
        raise ValueError("it has no rows")
    without = data[: found.start()] + b"<sheetData/>" + data[found.end() :]
    body = found[1] or b""
    if not is_plain(body):
        whole = written(parsed(data))
        again = _BODY.search(whole)
        body = again[1] or b"" if again is not None else b""
    if b":sheetData" in data[found.start() : found.start() + 60]:
        without = written(parsed(data[: found.start()] + data[found.end() :]))
        without = without.replace(b">", f' xmlns="{_MAIN}">'.encode(), 1)
    return without, body


_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"


def lines_of(body: bytes, *, shows_all: bool) -> Iterator[Line]:
    """The rows of a sheet.

    Args:
        body: They, as XML.
        shows_all: Whether rows that a filter hid are shown.
    """
    number = 0
    for match in _ROW.finditer(body):
        said = _NUMBER.search(match[1])
        number = int(said[1]) if said is not None else number + 1
        attributes = b"".join(_KEPT.findall(match[1]))
        if shows_all:
            attributes = _HIDDEN.sub(b"", attributes)
        yield Line(number, attributes, match[2] or b"")


class Cells:
    """Reads the cells of rows, and makes them ready for parts.

    Args:
        strings: The texts that sheets share.
        keeps_formulas: Whether a formula that needs its own sheet alone stays; others become their values.
        is_calculated: Whether the program that saved the workbook calculated it; else a value of 0 is none.
    """

    def __init__(self, strings: Strings, *, keeps_formulas: bool, is_calculated: bool = True) -> None:
        self._strings, self._keeps = strings, keeps_formulas
        self._unsaved = _UNSAVED if is_calculated else _UNSAVED_OR_ZERO
        self._dropped: set[bytes] = set()
        self._patterns: dict[str, re.Pattern[bytes]] = {}

    def unsaved(self, line: Line) -> str | None:
        """The first cell whose formula has no value, as no program has calculated it."""
        found = self._unsaved.search(line.cells) if b"<f" in line.cells else None
        return found[1].decode() if found is not None else None

    @staticmethod
    def sums(line: Line) -> set[str]:
        """The columns whose cell is a formula that adds up cells of its own column."""
        return {found.decode() for found in _SUM.findall(line.cells)}

    def value(self, line: Line, column: str) -> str:
        """What the cell of a column says; empty where it says nothing."""
        if column not in self._patterns:
            pattern = rb'<c r="%s\d+"([^>]*?)(?:/>|>(.*?)</c>)' % column.encode()
            self._patterns[column] = re.compile(pattern, re.DOTALL)
        found = self._patterns[column].search(line.cells)
        return self._said(found[1], found[2] or b"") if found is not None else ""

    def values(self, line: Line) -> dict[str, str]:
        """Column → what its cell says, of those that say something."""
        said = ((match[1].decode(), self._said(match[2], match[3] or b"")) for match in _CELL.finditer(line.cells))
        return {column: text for column, text in said if text}

    def _said(self, attributes: bytes, inside: bytes) -> str:
        if b't="inlineStr"' in attributes:
            return text_in(inside)
        found = _VALUE.search(inside)
        if found is None:
            return ""
        text = unescape(found[1].decode("utf-8"))
        if b't="s"' in attributes:
            return self._strings.text(int(text))
        return {"1": "TRUE", "0": "FALSE"}.get(text, text) if b't="b"' in attributes else text

    def ready(self, line: Line) -> bytes:
        """The row for parts: with its texts in it, and a mark in the place of its number."""
        cells = line.cells
        if b"<f" in cells:
            cells = _FORMULA.sub(self._formula, cells)
        if b' cm="' in cells or b' vm="' in cells or b' ph="' in cells:
            cells = _EXTRA.sub(rb"\1", cells)
        cells = _NAMED.sub(b'<c r="\\1\0"', _SHARED.sub(self._with_text, cells))
        return b'<row r="\0"%s>%s</row>' % (line.attributes, cells)

    def _with_text(self, match: re.Match[bytes]) -> bytes:
        column, before, after, at = match.groups()
        inside = self._strings.inside(int(at))
        return b'<c r="%s\0"%s%s t="inlineStr"><is>%s</is></c>' % (column, before, after, inside)

    def _formula(self, match: re.Match[bytes]) -> bytes:
        if not self._keeps or b't="dataTable"' in match[0]:
            return b""
        group, text = _GROUP.search(match[0][: match[0].find(b">") + 1]), match[1]
        if text:
            stays = stays_in_sheet(unescape(text.decode("utf-8")))
            if group is not None and not stays:
                self._dropped.add(group[1])
        else:
            stays = group is not None and group[1] not in self._dropped
        return match[0] if stays else b""
