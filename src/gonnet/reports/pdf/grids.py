"""Sheets of workbooks as pages of a PDF: as wide as a page at most, with their rows from page to page."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from reportlab.lib.colors import Color, HexColor
from reportlab.lib.units import mm

from gonnet.arrivals.workbooks.grid import Grid, GridCell, GridRow
from gonnet.arrivals.workbooks.looks import CellLook
from gonnet.reports.drawing import UnprintableError
from gonnet.reports.fonts import BOLD, BOLD_ITALIC, ITALIC, REGULAR, Alphabet, Family, family
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.metadata import About
from gonnet.reports.pdf.sheet_tags import SheetTags
from gonnet.reports.pen import INK, fill, stroke, wrapped
from gonnet.reports.plans.models import Look
from gonnet.reports.plans.widths import paper_size
from gonnet.wording.cell_formats import shown

_MARGIN, _FURNITURE = 15 * mm, 8 * mm
_ROOM = 2.0  # points between a cell's edge and its text
_LEADING, _DROP = 1.22, 0.27  # of the size of letters: from line to line, and from a line to the edge below it
_SMALLEST = {"number": 0.4}  # to which what does not fit gets smaller; a number is never cut off
_SMALLER = 0.7
_ACROSS = {"number": "right", "bool": "center", "error": "center"}
_NARROW = 0.92  # columns are made for narrower letters than those that are drawn
_SMALL = 8.0
_CODE = re.compile(r"&(?:&|[LCRPNDTFAZBIUES]|\"[^\"]*\"|\d+|K[0-9A-Fa-f]{6})")
_FACES = {(False, False): REGULAR, (True, False): BOLD, (False, True): ITALIC, (True, True): BOLD_ITALIC}
_DRAWN = frozenset("#0123456789.,:;-–%/()'+ETRUFALSN")


@dataclass(frozen=True, slots=True)
class _Placed:
    """A cell on a page: what is seen of it, and where; from the page's lower left corner, in points."""

    text: str
    look: CellLook
    kind: str
    x: float
    y: float
    width: float
    height: float
    free: float
    row: int
    column: int
    columns: int
    rows: int


class GridPainter:
    """Draws sheets; keeps its faces between them.

    Args:
        look: The house style.
        cell_looks: The looks of cells, by number.
        signs: The characters that sheets are expected to have. Others are looked after, at a price.
        since_1904: Whether dates of the workbook count from 1904.
    """

    def __init__(self, look: Look, cell_looks: Sequence[CellLook], signs: frozenset[str], *, since_1904: bool) -> None:
        self._look, self._looks, self._since_1904 = look, cell_looks, since_1904
        self._family: Family = family(look.fonts)
        self._signs = (signs | _DRAWN | frozenset(look.organisation)) & self._family.signs

    def draw(self, grids: Sequence[Grid], title: str, *, is_locked: bool = False) -> tuple[bytes, int]:
        """Sheets as a PDF, and how many pages it has; the same sheets give the same bytes.

        Each sheet is tagged as a table, and the file conforms to PDF/A-2b unless it gets a password afterwards. It does
        not say that it conforms to PDF/UA-1: nobody knows which cells of a sheet are heads, but rows that are repeated.

        Raises:
            UnprintableError: the faces lack a sign.
        """
        pages = [page for grid in grids for page in self._pages(grid)]
        tagged = self._look.style.pdf == "tagged"
        texts = {part for page in pages for part in page.texts()}
        for sign in self._family.unprintable(texts):
            raise UnprintableError(f"in its cells, {self._family.trouble(sign)}")
        alphabet = self._family.reduced(self._signs | {sign for text in texts for sign in text})
        faces = sorted({REGULAR, BOLD} | {_face(cell.look) for page in pages for cell in page.cells})
        file = PdfFile(alphabet, faces, tagged=tagged)
        tables = {id(grid): SheetTags(file.tags, grid) for grid in grids}
        for number, page in enumerate(pages, 1):
            _Drawer(file, self._family, alphabet, tables[id(page.grid)]).page(page, number, len(pages))
        look = self._look
        about = About(
            title=title, author=look.organisation, language=look.language, is_archival=tagged and not is_locked
        )
        return file.finish(about), len(pages)

    def _pages(self, grid: Grid) -> Iterator[_Page]:
        natural = sum(grid.widths.values()) or 1.0
        width, height = paper_size(self._look.style.paper, landscape=grid.is_wide)
        scale = min(1.0, (width - 2 * _MARGIN) / natural)
        heights = {row.number: self._height(row, grid) * scale for row in grid.rows}
        repeated = [row for row in grid.rows if row.number in grid.repeated]
        page = _Page((width, height), scale, grid)
        used = 0.0
        for row in grid.rows:
            after_break = bool(page.rows) and page.rows[-1][0].number in grid.breaks
            if page.rows and (used + heights[row.number] > height - 2 * _MARGIN or after_break):
                yield self._finished(page, heights)
                page, used = _Page((width, height), scale, grid), 0.0
                for one in repeated if row.number not in grid.repeated else ():
                    page.rows.append((one, used))
                    used += heights[one.number]
            page.rows.append((row, used))
            used += heights[row.number]
        yield self._finished(page, heights)

    def _height(self, row: GridRow, grid: Grid) -> float:
        """The height of a row: what it says, or what its texts need."""
        if row.height is not None:
            return row.height
        found = grid.height
        for cell in row.cells:
            look = self._look_of(cell)
            lines = 1
            if look.wraps and cell.rows == 1:
                room = self._width(cell, grid) - 2 * _ROOM
                lines = len(wrapped(cell.text, self._family, _face(look), look.size * _NARROW, max(room, 1.0)))
            found = max(found, lines * look.size * _LEADING + 1)
        return found

    def _look_of(self, cell: GridCell) -> CellLook:
        return self._looks[cell.style] if cell.style < len(self._looks) else CellLook()

    @staticmethod
    def _width(cell: GridCell, grid: Grid) -> float:
        return sum(grid.widths.get(column, 0.0) for column in range(cell.column, cell.column + cell.columns))

    def _finished(self, page: _Page, heights: Mapping[int, float]) -> _Page:
        """The page with its cells in their places."""
        grid, (_, height) = page.grid, page.size
        lefts, at = {}, _MARGIN
        for column in range(grid.first, grid.last + 2):
            lefts[column] = at
            at += grid.widths.get(column, 0.0) * page.scale
        for index, (row, down) in enumerate(page.rows):
            below = [heights[one.number] for one, _ in page.rows[index:]]
            filled = {cell.column for cell in row.cells if cell.text}
            for cell in row.cells:
                end = min(cell.column + cell.columns, grid.last + 1)
                if not grid.first <= cell.column <= grid.last or lefts[end] <= lefts[cell.column]:
                    continue  # what is hidden is not there
                tall = sum(below[: cell.rows])
                free = end
                while free <= grid.last and free not in filled:
                    free += 1
                page.cells.append(
                    _Placed(
                        text=self._said(cell),
                        look=self._look_of(cell),
                        kind=cell.kind,
                        x=lefts[cell.column],
                        y=height - _MARGIN - down - tall,
                        width=lefts[end] - lefts[cell.column],
                        height=tall,
                        free=lefts[free] - lefts[cell.column],
                        row=row.number,
                        column=cell.column,
                        columns=cell.columns,
                        rows=cell.rows,
                    )
                )
        return page

    def _said(self, cell: GridCell) -> str:
        if cell.kind != "number" or not cell.text:
            return cell.text
        return shown(cell.text, self._look_of(cell).code, self._look.house, since_1904=self._since_1904)


class _Page:
    """A page: its rows with how far below the upper margin each begins, and its cells."""

    def __init__(self, size: tuple[float, float], scale: float, grid: Grid) -> None:
        self.size, self.scale, self.grid = size, scale, grid
        self.rows: list[tuple[GridRow, float]] = []
        self.cells: list[_Placed] = []

    def texts(self) -> Iterator[str]:
        """All that is written on it."""
        yield from (cell.text for cell in self.cells)
        yield from (text for code in (self.grid.head, self.grid.foot) for text in _furniture(code, self.grid, 1, 1))


class _Drawer:
    """Draws one page."""

    def __init__(self, file: PdfFile, faces: Family, alphabet: Alphabet, tags: SheetTags) -> None:
        self._file, self._family, self._alphabet, self._tags = file, faces, alphabet, tags
        self._parts: list[str] = []

    def page(self, page: _Page, number: int, count: int) -> None:
        """Draw it: what lies behind texts first, then lines, then texts."""
        self._file.begin_page(*page.size)
        tags = self._file.tags
        self._parts += ["q", tags.artifact()]
        for cell in page.cells:
            if cell.look.fill is not None and cell.look.fill != "#ffffff":
                box = f"{cell.x:.2f} {cell.y:.2f} {cell.width:.2f} {cell.height:.2f} re f"
                self._parts.append(f"{fill(HexColor(cell.look.fill))} {box}")
        self._parts.append(f"{stroke(INK)} 2 J")
        for cell in page.cells:
            self._borders(cell)
        self._parts.append(tags.close())
        again = {row.number for row, _ in page.rows if self._tags.has(row.number)}
        if tags.on:
            self._tags.begin(page.cells, [row.number for row, _ in page.rows])
        for cell in page.cells:
            if cell.text.strip():
                element = self._tags.cell(cell.row, cell.column) if cell.row not in again else None
                self._parts.append(tags.open(element) if element is not None else tags.artifact("Pagination"))
                self._text(cell, page.scale)
                self._parts.append(tags.close())
        self._parts.append(tags.artifact("Pagination"))
        width, height = page.size
        for code, y in ((page.grid.head, height - _FURNITURE), (page.grid.foot, _FURNITURE)):
            self._furnish(_furniture(code, page.grid, number, count), width, y)
        self._parts += [tags.close(), "Q"]
        self._file.put("\n".join(filter(None, self._parts)))

    def _borders(self, cell: _Placed) -> None:
        right, top = cell.x + cell.width, cell.y + cell.height
        ends = {
            "left": (cell.x, cell.y, cell.x, top),
            "right": (right, cell.y, right, top),
            "top": (cell.x, top, right, top),
            "bottom": (cell.x, cell.y, right, cell.y),
        }
        for side, thick in cell.look.borders:
            x, y, to_x, to_y = ends[side]
            self._parts.append(f"{thick:g} w {x:.2f} {y:.2f} m {to_x:.2f} {to_y:.2f} l S")

    def _text(self, cell: _Placed, scale: float) -> None:
        look, face = cell.look, _face(cell.look)
        size, room = look.size * _NARROW * scale, cell.width - 2 * _ROOM * scale
        lines: Sequence[str] = (cell.text.replace("\n", " "),)
        if look.wraps:
            lines = wrapped(cell.text, self._family, face, size, max(room, 1.0))
        across = look.across if look.across != "general" else _ACROSS.get(cell.kind, "left")
        spreads = not look.wraps and across == "left" and cell.kind == "text"
        if not look.wraps:
            natural = self._family.width(lines[0], face, size)
            free = cell.free - 2 * _ROOM * scale if spreads else room
            size *= min(1.0, max(_SMALLEST.get(cell.kind, _SMALLER), free / natural)) if natural > 0 else 1.0
        self._parts.append(
            f"q {cell.x:.2f} {cell.y:.2f} {cell.free if spreads else cell.width:.2f} {cell.height:.2f} re W n"
        )
        leading = size * _LEADING
        tall = leading * len(lines)
        above = {"top": cell.height - tall, "center": (cell.height - tall) / 2}.get(look.down, 0.0)
        y = cell.y + max(above, 0.0) + tall - leading + _DROP * size
        for at, line in enumerate(lines):
            width = self._family.width(line, face, size)
            edge = _ROOM * scale + 7 * look.indent * scale
            x = {"right": cell.width - edge - width, "center": (cell.width - width) / 2}.get(across, edge)
            self._show(cell.x + x, y - at * leading, line, face, size, HexColor(look.colour))
        self._parts.append("Q")

    def _show(self, x: float, y: float, text: str, face: str, size: float, colour: Color) -> None:
        reduced = self._alphabet.faces[face]
        said = reduced.show_operators(text, size)
        self._parts.append(f"BT {fill(colour)} {reduced.set_operator(size)} {x:.2f} {y:.2f} Td {said} ET")

    def _furnish(self, texts: Sequence[str], width: float, y: float) -> None:
        for at, text in enumerate(texts):
            if text:
                natural = self._family.width(text, REGULAR, _SMALL)
                x = (_MARGIN, (width - natural) / 2, width - _MARGIN - natural)[at]
                self._show(x, y, text, REGULAR, _SMALL, INK)


def _face(look: CellLook) -> str:
    return _FACES[look.is_bold, look.is_italic]


def _furniture(code: str, grid: Grid, number: int, count: int) -> tuple[str, str, str]:
    """What stands left, in the middle and right at the head or the foot of a page (18.3.1.46)."""
    found, place, at = ["", "", ""], 1, 0
    values = {"&P": str(number), "&N": str(count), "&A": grid.name, "&&": "&"}
    for match in _CODE.finditer(code):
        found[place] += code[at : match.start()]
        at = match.end()
        place = {"&L": 0, "&C": 1, "&R": 2}.get(match[0], place)
        found[place] += values.get(match[0], "")
    found[place] += code[at:]
    left, middle, right = (" ".join(part.split()) for part in found)
    return left, middle, right
