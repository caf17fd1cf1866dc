"""Making a workbook of some sheets or rows of another one, with nothing else of it (ECMA-376, part 1)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from xml.sax.saxutils import escape, quoteattr

from gonnet.arrivals.workbooks.areas import RowMap
from gonnet.arrivals.workbooks.book import Book, Sheet
from gonnet.arrivals.workbooks.sheets import Cells, number_of
from gonnet.arrivals.workbooks.xml import SPACE

_XML = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_TYPE = "application/vnd.openxmlformats-officedocument"
_TEXT = re.compile(rb"<t(?:\s[^>]*)?>([^<]*)</t>|<v>([^<]*)</v>")
_CELL = re.compile(rb'<c r="([A-Z]+)(\d+)"([^>]*?)(?:/>|>(.*?)</c>)', re.DOTALL)
_STYLE = re.compile(rb' s="\d+"')
_OTHER = re.compile(rb'\bt="(?:str|b|inlineStr|d)"')
_ROWS = re.compile(r"\$(\d+):\$(\d+)")
_COLUMNS = re.compile(r"\$([A-Z]+):\$([A-Z]+)")
_AREA = re.compile(r"\$([A-Z]+)\$(\d+):\$([A-Z]+)\$(\d+)")

Member = tuple[str, bytes, bool]
"""Name and bytes of a part of a file, and whether other files have the same one."""


@dataclass(frozen=True, slots=True)
class Cut:
    """A sheet of a part.

    Attributes:
        name: Its name.
        data: Its XML.
        links: Where its links lead, in order.
        names: What is printed of it: name → areas.
    """

    name: str
    data: bytes
    links: Sequence[str]
    names: Mapping[str, str]


def part_of(book: Book, wanted: Mapping[str, Sequence[int]], title: str) -> Iterator[Member]:
    """The parts of a workbook with some sheets, or some of their rows; the same input gives the same bytes.

    Args:
        book: The workbook.
        wanted: Sheet → the rows of it; of one that is somebody's as a whole they do not matter.
        title: What it is called.
    """
    sheets = sheets_of(book, wanted)
    count = range(1, len(sheets) + 1)
    yield "[Content_Types].xml", _content_types(len(sheets), has_theme=bool(book.theme)), False
    yield "_rels/.rels", _relations([("officeDocument", "xl/workbook.xml"), *_ABOUT]), True
    yield "docProps/core.xml", _core(title), False
    yield "xl/workbook.xml", _workbook(book, sheets), False
    parts = [("worksheet", f"worksheets/sheet{at}.xml") for at in count]
    more = [("styles", "styles.xml"), *([("theme", "theme/theme1.xml")] if book.theme else [])]
    yield "xl/_rels/workbook.xml.rels", _relations([*parts, *more]), False
    yield "xl/styles.xml", _XML.encode() + book.styles.replace(b">", f' xmlns="{SPACE}">'.encode(), 1), True
    if book.theme:
        yield "xl/theme/theme1.xml", book.theme, True
    for at, sheet in zip(count, sheets, strict=True):
        yield f"xl/worksheets/sheet{at}.xml", sheet.data, False
        if sheet.links:
            yield f"xl/worksheets/_rels/sheet{at}.xml.rels", _links(sheet.links), False


def sheets_of(book: Book, wanted: Mapping[str, Sequence[int]]) -> list[Cut]:
    """The sheets of a part.

    Args:
        book: The workbook.
        wanted: Sheet → the rows of it; of one that is somebody's as a whole they do not matter.
    """
    return [_cut(book, book.sheets[name], rows) for name, rows in wanted.items()]


def _cut(book: Book, sheet: Sheet, wanted: Sequence[int]) -> Cut:
    cells = Cells(book.strings, keeps_formulas=sheet.header is None, shows_all=sheet.furniture.is_filtered)
    if sheet.header is None:
        rows, found = None, [cells.ready(line, line.number) for line in sheet.rows.every()]
    else:
        rows = RowMap([*sheet.rows.up_to(sheet.header), *wanted, *sheet.totals], sheet.header)
        found = list(_rows(sheet, cells, rows))
    body = b"".join(found)
    says = _Texts(body)
    before, after, links = sheet.furniture.around(rows, says.has)
    data = b'%s<worksheet xmlns="%s">%s<sheetData>%s</sheetData>%s</worksheet>' % (
        _XML.encode(), SPACE.encode(), before, body, after,
    )  # fmt: skip
    return Cut(sheet.name, data, links, _printed(sheet, rows))


def _rows(sheet: Sheet, cells: Cells, rows: RowMap) -> Iterator[bytes]:
    """The rows of a part: those at the top, its own, and the totals of these."""
    own: list[bytes] = []
    for number in rows.kept:
        line = sheet.rows.of(number)
        if line is None:
            continue
        row = cells.ready(line, rows.new[number])
        if number in sheet.totals:
            yield _totals(sheet, row, own)
            continue
        yield row
        if number > (sheet.header or 0):
            own.append(row)


class _Texts:
    """What the cells of a part say, put together when it is asked for."""

    def __init__(self, body: bytes) -> None:
        self._body, self._said = body, ""

    def has(self, text: str) -> bool:
        """Whether a text stands in some cell, whatever its case."""
        if not self._said:
            said = (part for match in _TEXT.finditer(self._body) for part in match.groups() if part)
            self._said = b"\n".join(said).decode("utf-8").casefold()
        return escape(text).casefold() in self._said


def _totals(sheet: Sheet, row: bytes, own: Sequence[bytes]) -> bytes:
    """A row with totals: sums of the part's own rows where they were sums of all, else empty."""
    first, last = (sheet.header or 0) + 1, (sheet.header or 0) + len(own)

    def summed(match: re.Match[bytes]) -> bytes:
        column, number, attributes, inside = match.groups()
        if not inside or _OTHER.search(attributes):
            return match[0]
        cell = b'<c r="%s%s"%s' % (column, number, b"".join(_STYLE.findall(attributes)))
        if column.decode() not in sheet.summed or not own:
            return cell + b"/>"
        total = sum((_in_column(row, column) for row in own), Decimal())
        area = b"%s%d:%s%d" % (column, first, column, last)
        return cell + b"><f>SUM(%s)</f><v>%s</v></c>" % (area, f"{total:f}".encode())

    return _CELL.sub(summed, row)


def _in_column(row: bytes, column: bytes) -> Decimal:
    found = re.search(rb'<c r="%s\d+"([^>]*)><v>([^<]*)</v></c>' % column, row)
    is_number = found is not None and b' t="' not in found[1].replace(b' t="n"', b"")
    return (number_of(found[2].decode()) if found is not None and is_number else None) or Decimal()


def _printed(sheet: Sheet, rows: RowMap | None) -> dict[str, str]:
    """What is repeated on each printed page, and what is printed, where the rows are now."""
    called = "'" + sheet.name.replace("'", "''") + "'!"
    found = {}
    titles = [f"${first}:${last}" for first, last in _COLUMNS.findall(sheet.furniture.titles)]
    for first, last in _ROWS.findall(sheet.furniture.titles):
        if rows is None or int(last) <= (sheet.header or 0):
            titles.append(f"${first}:${last}")
    if titles:
        found["_xlnm.Print_Titles"] = ",".join(called + part for part in titles)
    areas = []
    for left, top, right, bottom in _AREA.findall(sheet.furniture.printed):
        place = (int(top), int(bottom)) if rows is None else rows.rows(int(top), int(bottom))
        if place is not None:
            areas.append(f"{called}${left}${place[0]}:${right}${place[1]}")
    if areas:
        found["_xlnm.Print_Area"] = ",".join(areas)
    return found


_ABOUT = (("metadata/core-properties", "docProps/core.xml"),)


def _relations(parts: Sequence[tuple[str, str]]) -> bytes:
    lines = []
    for at, (kind, target) in enumerate(parts, 1):
        base = f"{_PACKAGE}/relationships" if kind.startswith("metadata") else _OFFICE
        lines.append(f'<Relationship Id="rId{at}" Type="{base}/{kind}" Target="{target}"/>')
    return f'{_XML}<Relationships xmlns="{_PACKAGE}/relationships">{"".join(lines)}</Relationships>'.encode()


def _links(addresses: Sequence[str]) -> bytes:
    lines = (
        f'<Relationship Id="rId{at}" Type="{_OFFICE}/hyperlink" Target={quoteattr(address)} TargetMode="External"/>'
        for at, address in enumerate(addresses, 1)
    )
    return f'{_XML}<Relationships xmlns="{_PACKAGE}/relationships">{"".join(lines)}</Relationships>'.encode()


def _content_types(sheets: int, *, has_theme: bool) -> bytes:
    kinds = {
        "/xl/workbook.xml": f"{_TYPE}.spreadsheetml.sheet.main+xml",
        "/xl/styles.xml": f"{_TYPE}.spreadsheetml.styles+xml",
    }
    kinds |= {f"/xl/worksheets/sheet{at}.xml": f"{_TYPE}.spreadsheetml.worksheet+xml" for at in range(1, sheets + 1)}
    kinds |= {"/xl/theme/theme1.xml": f"{_TYPE}.theme+xml"} if has_theme else {}
    kinds["/docProps/core.xml"] = "application/vnd.openxmlformats-package.core-properties+xml"
    lines = "".join(f'<Override PartName="{name}" ContentType="{kind}"/>' for name, kind in kinds.items())
    usual = (
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="xml" ContentType="application/xml"/>'
    )
    return f'{_XML}<Types xmlns="{_PACKAGE}/content-types">{usual}{lines}</Types>'.encode()


def _core(title: str) -> bytes:
    names = (
        f'xmlns:cp="{_PACKAGE}/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/" '
        'xmlns:dcterms="http://purl.org/dc/terms/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"'
    )
    said = f"<dc:title>{escape(title)}</dc:title><dc:creator>Gonnet</dc:creator>"
    return f"{_XML}<cp:coreProperties {names}>{said}</cp:coreProperties>".encode()


def _workbook(book: Book, sheets: Sequence[Cut]) -> bytes:
    listed = "".join(
        f'<sheet name={quoteattr(sheet.name)} sheetId="{at}" r:id="rId{at}"/>' for at, sheet in enumerate(sheets, 1)
    )
    names = "".join(
        f'<definedName name="{name}" localSheetId="{at}">{escape(areas)}</definedName>'
        for at, sheet in enumerate(sheets)
        for name, areas in sheet.names.items()
    )
    since = ' date1904="1"' if book.since_1904 else ""
    head = f'<workbook xmlns="{SPACE}" xmlns:r="{_OFFICE}"><workbookPr{since}/><bookViews><workbookView/></bookViews>'
    defined = f"<definedNames>{names}</definedNames>" if names else ""
    return f"{_XML}{head}<sheets>{listed}</sheets>{defined}</workbook>".encode()
