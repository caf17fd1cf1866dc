"""The rows of a sheet as they stand in its XML (ECMA-376, part 1, 18.3.1.73 and 18.3.1.4)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal, InvalidOperation
from html import unescape
from typing import NamedTuple

from gonnet.arrivals.workbooks.areas import stays_in_sheet
from gonnet.arrivals.workbooks.strings import Strings, text_in
from gonnet.arrivals.workbooks.xml import SPACE, is_plain, parsed, written

_NUMBER = re.compile(rb'\br="(\d+)"')
_KEPT = re.compile(rb' (?:s|customFormat|ht|hidden|customHeight|outlineLevel|collapsed|thickTop|thickBot)="[^"<>]*"')
_HIDDEN = re.compile(rb' hidden="(?:1|true)"')
_CELL = re.compile(rb'<c r="([A-Z]+)\d+"([^>]*?)(?:/>|>(.*?)</c>)', re.DOTALL)
_SHARED = re.compile(rb'<c r="([A-Z]+\d+)"([^>]*?) t="s"([^>]*?)><v>(\d+)</v></c>')
_NAMED = re.compile(rb'<c r="[A-Z]+')
_FORMULA = re.compile(rb"<f(?:\s[^>]*)?(?:/>|>([^<]*)</f>)")
_WITHOUT = rb'<c r="([A-Z]+\d+)"[^>]*><f(?:\s[^>]*)?(?:/>|>[^<]*</f>)'
_UNSAVED = re.compile(_WITHOUT + rb"</c>")
_UNSAVED_OR_ZERO = re.compile(_WITHOUT + rb"(?:<v>0</v>)?</c>")
_SUM = re.compile(rb'<c r="([A-Z]+)\d+"[^>]*><f(?:\s[^>]*)?>(?:SUM\(|SUBTOTAL\((?:10)?9,)\1\d+:\1\d+\)</f>')
_VALUE = re.compile(rb"<v>([^<]*)</v>")
_EXTRA = re.compile(rb'(<c [^>]*?) (?:cm|vm|ph)="[^"]*"')
_SAYS = re.compile(rb"<v>[^<]|<t(?:\s[^>]*)?>[^<]")
_GROUP = re.compile(rb'\bsi="(\d+)"')
_SLASH = ord("/")


class Line(NamedTuple):
    """A row as it stands in the file.

    Attributes:
        number: Its number.
        body: All rows of its sheet, as XML.
        looks: Where in `body` its attributes are.
        place: Where in `body` its cells are.
    """

    number: int
    body: bytes
    looks: tuple[int, int]
    place: tuple[int, int]

    @property
    def cells(self) -> bytes:
        """Its cells, as XML."""
        return self.body[self.place[0] : self.place[1]]

    @property
    def attributes(self) -> bytes:
        """How it looks, as XML."""
        return b"".join(_KEPT.findall(self.body, *self.looks))


def number_of(text: str) -> Decimal | None:
    """A number as a file has it; None for what is none."""
    try:
        found = Decimal(text)
    except InvalidOperation:
        return None
    return found if found.is_finite() else None


def apart(data: bytes) -> tuple[bytes, bytes]:
    """A sheet without its rows, and its rows, in XML in which tags can be found as they stand.

    Raises:
        ValueError: it cannot be read.
    """
    begin = data.find(b"<sheetData")
    if begin < 0 or not is_plain(data[begin:]):
        data = written(parsed(data)).replace(b">", f' xmlns="{SPACE}">'.encode(), 1)
        begin = data.find(b"<sheetData")
    if begin < 0:
        raise ValueError("a sheet has no rows")
    end = data.rfind(b"</sheetData>")
    if end < 0:  # it has none
        return data, b""
    first = data.find(b">", begin) + 1
    return data[:begin] + b"<sheetData/>" + data[end + len(b"</sheetData>") :], data[first:end]


def lines_of(body: bytes) -> Iterator[Line]:
    """The rows of a sheet."""
    at, number, length = 0, 0, len(body)
    while at < length:
        end = body.find(b">", at)  # of its first tag: no attribute has this sign
        if end < 0:
            return
        said = _NUMBER.search(body, at, end)
        before, number = number, int(said[1]) if said is not None else number + 1
        if number <= before:
            raise ValueError(f"row {number} comes after row {before}")
        if body[end - 1] == _SLASH:
            yield Line(number, body, (at, end - 1), (end, end))
            at = end + 1
            continue
        last = body.find(b"</row>", end)
        if last < 0:
            raise ValueError("a row has no end")
        yield Line(number, body, (at, end), (end + 1, last))
        at = last + len(b"</row>")


class Cells:
    """Reads the cells of rows, and makes them ready for parts.

    Args:
        strings: The texts that sheets share.
        keeps_formulas: Whether a formula that needs its own sheet alone stays; others become their values.
        shows_all: Whether rows that a filter hid are shown.
        is_calculated: Whether the program that saved the workbook calculated it; else a value of 0 is none.
    """

    def __init__(
        self, strings: Strings, *, keeps_formulas: bool, shows_all: bool = False, is_calculated: bool = True
    ) -> None:
        self._strings, self._keeps, self._shows_all = strings, keeps_formulas, shows_all
        self._unsaved = _UNSAVED if is_calculated else _UNSAVED_OR_ZERO
        self._dropped: set[bytes] = set()
        self._patterns: dict[str, re.Pattern[bytes]] = {}

    @staticmethod
    def is_blank(line: Line) -> bool:
        """Whether no cell of a row says anything."""
        return _SAYS.search(line.body, *line.place) is None

    def unsaved(self, line: Line) -> str | None:
        """The first cell whose formula has no value, as no program has calculated it."""
        if line.body.find(b"<f", *line.place) < 0:
            return None
        found = self._unsaved.search(line.body, *line.place)
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
        found = self._patterns[column].search(line.body, *line.place)
        return self._said(found[1], found[2] or b"") if found is not None else ""

    def values(self, line: Line) -> dict[str, str]:
        """Column → what its cell says, of those that say something."""
        found = _CELL.finditer(line.body, *line.place)
        said = ((match[1].decode(), self._said(match[2], match[3] or b"")) for match in found)
        return {column: text for column, text in said if text}

    def _said(self, attributes: bytes, inside: bytes) -> str:
        if b't="inlineStr"' in attributes:
            return text_in(inside)
        found = _VALUE.search(inside)
        if found is None:
            return ""
        text = found[1].decode("utf-8")
        if b't="s"' in attributes:
            return self._strings.text(int(text))
        if b't="b"' in attributes:
            return {"1": "TRUE", "0": "FALSE"}.get(text, text)
        return unescape(text) if "&" in text else text

    def ready(self, line: Line, number: int) -> bytes:
        """The row for a part, in which it has this number and its texts in it."""
        cells, attributes = line.cells, line.attributes
        if b"<f" in cells:
            cells = _FORMULA.sub(self._formula, cells)
        if b' cm="' in cells or b' vm="' in cells or b' ph="' in cells:
            cells = _EXTRA.sub(rb"\1", cells)
        if self._shows_all:
            attributes = _HIDDEN.sub(b"", attributes)
        cells = _SHARED.sub(self._with_text, cells)
        if number != line.number:
            was, now = b'%d"' % line.number, b'%d"' % number
            for start in _NAMED.findall(cells):
                cells = cells.replace(start + was, start + now)
        return b'<row r="%d"%s>%s</row>' % (number, attributes, cells)

    def _with_text(self, match: re.Match[bytes]) -> bytes:
        place, before, after, at = match.groups()
        inside = self._strings.inside(int(at))
        return b'<c r="%s"%s%s t="inlineStr"><is>%s</is></c>' % (place, before, after, inside)

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
