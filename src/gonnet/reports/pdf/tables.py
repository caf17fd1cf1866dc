"""Tables on pages: the part of drawing that is done hundreds of thousands of times in a run.

Each distinct text of a column becomes operators once. They are position-neutral: they move from the beginning of the
row to the cell, show the text and move back. A row is its cells' operators joined, and a page is a slice of the rows,
whose heights are known beforehand. What is kept belongs to the faces of a run, so that it serves every document of it.

A cell that has one line stands in an array (`TJ`, ISO 32000-1, 9.4.3), whose numbers are the moves: the leak check,
which reads every page back, takes a row of such cells for one array.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from enum import Enum
from functools import partial
from typing import NamedTuple

from reportlab.lib.colors import Color

from gonnet.jobs.values import Accent
from gonnet.remembering import Remembered
from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout.models import Line, TableLayout
from gonnet.reports.pdf.blocks import Block
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.structure import CELL, COLUMN_HEAD, Element, spanning
from gonnet.reports.pen import HAIR, INK, MARK, QUIET, fill, stroke, wrapped
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.widths import PADDING
from gonnet.wording.links import Link

_ABOVE, _BELOW = 2.5, 2.4  # room in a row above and below its text
_MANY = 100_000

NO_LINKS: Mapping[int, Sequence[Link]] = {}
Cell = tuple[str, int]
"""The operators of a text in its column, and its number of lines."""


class RowKind(Enum):
    """What a row of a drawn table is."""

    ROW = "row"
    NOTE = "note"  # a heading of a group, or what is said of the rest
    SUBTOTAL = "subtotal"
    TOTAL = "total"


class Row(NamedTuple):
    """A row of a table, ready to be drawn.

    Attributes:
        cells: What shows each cell, from the row's own origin and back to it; empty where there is nothing.
        kinds: What each cell is in the structure.
        height: In points.
        texts: Its cells' texts, in case it must be cut.
        tints: The columns that are tinted.
        links: The columns whose values lead somewhere, and where.
        new_page: Whether it begins a page.
    """

    cells: tuple[str, ...]
    kinds: tuple[str, ...]
    height: float
    texts: tuple[str, ...]
    kind: RowKind = RowKind.ROW
    tints: tuple[int, ...] = ()
    new_page: bool = False
    links: tuple[tuple[int, str], ...] = ()


class TableInk:
    """What every document of a run shares about one table: its heading and the operators of its texts.

    Args:
        columns: Its columns, sized.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        accent: The colour of what leads somewhere.
    """

    def __init__(self, columns: Sequence[ColumnPlan], family: Family, alphabet: Alphabet, accent: Color) -> None:
        self.columns = columns
        self._accent = accent
        self.size = columns[0].font_size
        self.leading = self.size * 1.28
        self.width = sum(column.width for column in columns)
        self.lefts = [sum(column.width for column in columns[:at]) for at in range(len(columns))]
        self._family = family
        self._faces = alphabet.faces
        self._known = [Remembered(partial(self._cell, at, face=REGULAR), _MANY) for at in range(len(columns))]
        self._leading = [Remembered(partial(self._linked, at, face=REGULAR), _MANY) for at in range(len(columns))]
        self._kinds = (CELL,) * len(columns)
        heading = self.row([column.label for column in columns], BOLD)
        self.heading = heading._replace(kinds=(COLUMN_HEAD,) * len(columns))

    def body(self, texts: Sequence[Sequence[str]], links: Mapping[int, Sequence[Link]] = NO_LINKS) -> list[Row]:
        """The rows of a table given by columns of texts, with where the values of some columns lead."""
        cells = [list(map(known.__getitem__, column)) for known, column in zip(self._known, texts, strict=True)]
        for at, found in links.items():
            known = self._leading[at]
            cells[at] = [
                known[text] if link.address else cell
                for cell, text, link in zip(cells[at], texts[at], found, strict=True)
            ]
        rows = [
            self._joined(row, shown)
            for row, shown in zip(zip(*cells, strict=True), zip(*texts, strict=True), strict=True)
        ]
        return [row._replace(links=_leads(links, number)) for number, row in enumerate(rows)] if links else rows

    def row(self, texts: Sequence[str], face: str, kind: RowKind = RowKind.ROW) -> Row:
        """A single row in a face: a heading, a total."""
        made = self._joined([self._cell(at, text, face) for at, text in enumerate(texts)], tuple(texts), kind)
        return made._replace(kinds=(spanning(1, is_head=True), *self._kinds[1:])) if kind in _TOTALS else made

    def total(self, texts: Sequence[str], kind: RowKind) -> Row:
        """A row of totals; what it is called may reach over the columns that have none."""
        free = next((at for at, text in enumerate(texts) if text and at), len(texts))
        if free < 2:
            return self.row(texts, BOLD, kind)
        room = sum(column.width for column in self.columns[:free]) - 2 * PADDING
        lines = wrapped(texts[0], self._family, BOLD, self.size, room)
        head = self._operators([(PADDING, line) for line in lines], BOLD), len(lines)
        cells = [head, *(self._cell(at, text, BOLD) for at, text in enumerate(texts) if at >= free)]
        kinds = (spanning(free, is_head=True), *self._kinds[free:])
        return self._joined(cells, tuple(texts), kind)._replace(kinds=kinds)

    def standing_out(
        self, texts: Sequence[str], looks: Mapping[int, frozenset[Accent]], links: tuple[tuple[int, str], ...] = ()
    ) -> Row:
        """A row with cells that stand out."""
        cells, leading = [], dict(links)
        for at, text in enumerate(texts):
            look = looks.get(at, frozenset())
            shown = MARK + text if "mark" in look else text
            draw = self._linked if at in leading else self._cell
            cells.append(draw(at, shown, BOLD if "bold" in look else REGULAR))
        tints = tuple(at for at, look in looks.items() if "tint" in look)
        return self._joined(cells, tuple(texts), RowKind.ROW, tints)._replace(links=links)

    def note(self, text: str, face: str, *, new_page: bool = False) -> Row:
        """A row whose text may be as wide as the table."""
        lines = wrapped(text, self._family, face, self.size, self.width - 2 * PADDING)
        operators = self._operators([(PADDING, line) for line in lines], face)
        height = len(lines) * self.leading + 2 * (_ABOVE + _BELOW)
        kind = spanning(len(self.columns), is_head=False)  # a head over all columns would be one more head of each
        return Row((operators,), (kind,), height, (text,), RowKind.NOTE, (), new_page)

    def _joined(
        self, cells: Sequence[Cell], texts: tuple[str, ...], kind: RowKind = RowKind.ROW, tints: tuple[int, ...] = ()
    ) -> Row:
        operators, lines = zip(*cells, strict=True)
        height = max(lines) * self.leading + _ABOVE + _BELOW
        return Row(operators, self._kinds, height, texts, kind, tints)

    def lines(self, at: int, text: str, face: str = REGULAR) -> tuple[str, ...]:
        """A text of column `at` as the lines that fit it."""
        return wrapped(text, self._family, face, self.size, self.columns[at].width - 2 * PADDING)

    def _cell(self, at: int, text: str, face: str) -> Cell:
        if not text:
            return "", 1
        lines, left = self.lines(at, text, face), self.lefts[at]
        if face == REGULAR and len(lines) == 1 and self._faces[face].shows_at_once(lines[0]):
            return self._within_array(left + self._offset(at, lines[0], face), lines[0]), 1
        return self._operators([(left + self._offset(at, line, face), line) for line in lines], face), len(lines)

    def _linked(self, at: int, text: str, face: str) -> Cell:
        """A cell in the colour of what leads somewhere."""
        if not text:
            return "", 1
        lines, left = self.lines(at, text, face), self.lefts[at]
        operators = self._operators([(left + self._offset(at, line, face), line) for line in lines], face)
        return f"{fill(self._accent)}\n{operators}{fill(INK)}\n", len(lines)

    def underlined(self, at: int, text: str) -> Iterator[tuple[float, float, int]]:
        """Where each line of a cell begins and ends from the left of the table, and its number."""
        for number, line in enumerate(self.lines(at, text)):
            left = self.lefts[at] + self._offset(at, line, REGULAR)
            yield left, left + self._family.width(line, REGULAR, self.size), number

    def _within_array(self, x: float, text: str) -> str:
        """A text of the regular face in an array, with the moves to `x` and back in thousandths of the font's size."""
        before = round(1000 * x / self.size, 1)
        back = before + 1000 * self._family.width(text, REGULAR, self.size) / self.size
        return f"[{-before:.1f}({self._faces[REGULAR].escaped(text)}){back:.1f}]TJ\n"

    def _operators(self, lines: Sequence[tuple[float, str]], face: str) -> str:
        """Lines from the row's origin down, each at its x; a bold face is chosen before and left behind them."""
        shown, x, y = [], 0.0, 0.0
        for number, (to_x, line) in enumerate(lines):
            if line:
                to_y = -number * self.leading
                shown.append(f"{to_x - x:.2f} {to_y - y:.2f} Td {self._faces[face].show_operators(line, self.size)}")
                x, y = to_x, to_y
        if not shown:
            return ""
        if face != REGULAR:
            shown = [self._faces[face].set_operator(self.size), *shown, self._faces[REGULAR].set_operator(self.size)]
        return " ".join([*shown, f"{-x:.2f} {-y:.2f} Td\n"])

    def _offset(self, at: int, line: str, face: str) -> float:
        column, width = self.columns[at], self._family.width(line, face, self.size)
        match column.align:
            case "left":
                return PADDING
            case "right":
                return column.width - PADDING - width
            case "centre":
                return (column.width - width) / 2

    def shown(self, rows: Sequence[Row], top: float, colour: Color, mark: Callable[[Row], str]) -> str:
        """The operators of rows from `top` down, of which `mark` gives those of their cells."""
        chosen, baseline = self._faces[REGULAR].set_operator(self.size), top - _ABOVE - self.size * 0.94
        parts = [f"BT {fill(colour)} {chosen} 0 {baseline:.2f} Td\n"]
        for row in rows:
            if row.kind is RowKind.NOTE:
                parts.append(f"0 {-_ABOVE:.2f} Td\n{mark(row)}0 {_ABOVE - row.height:.2f} Td\n")
            else:
                parts.append(mark(row))
                parts.append(f"0 {-row.height:.2f} Td\n")
        return "".join([*parts, "ET\n"])


def rows_of(table: TableLayout, ink: TableInk) -> list[Row]:
    """Everything of a table below its heading, in order."""
    rows = ink.body(table.texts, table.links)
    for number, looks in table.emphasis.items():
        rows[number] = ink.standing_out([texts[number] for texts in table.texts], looks, rows[number].links)
    if not table.lines and not table.totals:
        return rows
    found: list[Row] = []
    at = 0
    for line in (*table.lines, *table.totals):
        found += rows[at : line.before]
        at = line.before
        found.append(_line(line, ink, RowKind.TOTAL if line in table.totals else RowKind.SUBTOTAL))
    return found + rows[at:]


def _line(line: Line, ink: TableInk, kind: RowKind) -> Row:
    if line.is_total:
        return ink.total(line.texts, kind)
    return ink.note(line.texts[0], BOLD, new_page=line.new_page)


class TableFlow(Block):
    """A table by columns of texts, with a heading that is repeated on every page.

    Args:
        ink: What the run shares about it.
        rows: What stands below its heading.
        accent: The colour of its rules.
        tint: The colour behind what stands out.
        element: What it is in the structure.
    """

    after = 12.0

    def __init__(self, ink: TableInk, rows: Sequence[Row], accent: Color, tint: Color, element: Element) -> None:
        self._ink, self._rows = ink, list(rows)
        self._accent, self._tint, self._element = accent, tint, element
        self._is_first = True
        self.height = self._heading_height + sum(row.height for row in self._rows) + 1

    @property
    def _heading_height(self) -> float:
        return self._ink.heading.height + 1

    def split(self, room: float, page: float) -> list[Block]:
        """Cut between two rows: a heading keeps a row below it, a total keeps one above it."""
        if self.height < page / 4 and room < page:
            return []  # a short table stays together
        left, used, fits = room - self._heading_height, 0.0, 0
        for row in self._rows:
            if used + row.height > left:
                break
            used, fits = used + row.height, fits + 1
        count = min(fits, len(self._rows) - 1)
        while count > 0 and (self._rows[count - 1].kind is RowKind.NOTE or self._rows[count].kind in _TOTALS):
            count -= 1
        if count < 1 and self._tall(page):
            count = fits  # there is no page on which it could keep together
        if count < 1:
            return self._split_first_row(left, page)
        return self._parts(self._rows[:count], self._rows[count:])

    def _tall(self, page: float) -> bool:
        """Whether what must keep together at the beginning is more than a page."""
        used = self._heading_height
        for number, row in enumerate(self._rows):
            used += row.height
            last = number + 1 == len(self._rows)
            if row.kind is not RowKind.NOTE and (last or self._rows[number + 1].kind not in _TOTALS):
                break
        return used > page

    def _split_first_row(self, room: float, page: float) -> list[Block]:
        """Cut a row that is taller than a page between two of its lines; never one that fits the next page."""
        lines = int((room - _ABOVE - _BELOW) // self._ink.leading)
        first = self._rows[0]
        if first.kind is not RowKind.ROW or first.height + self._heading_height <= page or lines < 1:
            return []
        cells = [self._ink.lines(at, text) for at, text in enumerate(first.texts)]
        links = {at: (Link(address),) for at, address in first.links}
        head, tail = (
            self._ink.body([["\n".join(cell[part])] for cell in cells], links)
            for part in (slice(lines), slice(lines, None))
        )
        return self._parts(head, [*tail, *self._rows[1:]])

    def going_on(self) -> TableFlow:
        """The same, as what follows of a table whose heading was content before."""
        self._is_first = False
        return self

    def _parts(self, above: Sequence[Row], below: Sequence[Row]) -> list[Block]:
        found: list[Block] = []
        for rows in (above, below):
            part = TableFlow(self._ink, rows, self._accent, self._tint, self._element)
            part._is_first = self._is_first and not found
            found.append(part)
        return found

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Draw its rules, then its texts; the heading is content once, and repeated for the eye alone."""
        ink, tags, top = self._ink, file.tags, self.height - self._heading_height
        parts = [f"q\n1 0 0 1 {x:.2f} {y:.2f} cm\n", tags.artifact(), *self._lines(top), tags.close()]
        if self._is_first:
            parts.append(ink.shown([ink.heading], self.height, QUIET, lambda row: self._marked(file, row)))
        else:
            repeated = ink.shown([ink.heading], self.height, QUIET, lambda row: "".join(row.cells))
            parts += (tags.artifact("Pagination"), repeated, tags.close())
        parts.append(ink.shown(self._rows, top, INK, lambda row: self._marked(file, row)))
        if any(row.links for row in self._rows):
            parts += (tags.artifact(), *self._link(file, x, y, top), tags.close())
        file.put("".join([*parts, "Q\n"]))

    def _marked(self, file: PdfFile, row: Row) -> str:
        """The cells of a row as content."""
        return file.tags.row(self._element, row.kinds, row.cells, tuple(at for at, _ in row.links))

    def _lines(self, top: float) -> Iterator[str]:
        """What is drawn behind its texts."""
        yield from self._tints(top)
        yield self._rule(top + 0.5, self._accent, 1)
        yield f"{stroke(HAIR)} 0.4 w\n"
        y = top
        for row, below in zip(self._rows, self._rows[1:], strict=False):
            y -= row.height
            if below.kind not in _TOTALS:
                yield f"0 {y:.2f} m {self._ink.width:.2f} {y:.2f} l\n"
        yield "S\n"
        y = top
        for row, above in zip(self._rows, [None, *self._rows], strict=False):
            if row.kind in _TOTALS and (above is None or above.kind is not row.kind):
                yield self._rule(y, self._accent, 1 if row.kind is RowKind.TOTAL else 0.5)
            y -= row.height

    def _link(self, file: PdfFile, x: float, y: float, top: float) -> Iterator[str]:
        """Lay a link over each cell that leads somewhere; what underlines them."""
        ink, down = self._ink, top
        links = iter(file.tags.leading(sum(len(row.links) for row in self._rows)))
        yield f"{stroke(self._accent)} 0.4 w\n"
        for row in self._rows:
            for at, address in row.links:
                element = next(links)
                for left, right, number in ink.underlined(at, row.texts[at]):
                    base = down - _ABOVE - ink.size * 0.94 - number * ink.leading - 1.2
                    yield f"{left:.2f} {base:.2f} m {right:.2f} {base:.2f} l S\n"
                    sides = (x + left, y + base - 1, x + right, y + base + ink.size + 1)
                    file.link(element, sides, row.texts[at], address=address)
            down -= row.height

    def _rule(self, y: float, colour: Color, width: float) -> str:
        return f"{stroke(colour)} {width:g} w 0 {y:.2f} m {self._ink.width:.2f} {y:.2f} l S\n"

    def _tints(self, top: float) -> Iterator[str]:
        y = top
        for row in self._rows:
            for at in row.tints:
                sides = f"{self._ink.lefts[at]:.2f} {y - row.height:.2f} {self._ink.columns[at].width:.2f}"
                yield f"{fill(self._tint)} {sides} {row.height:.2f} re f\n"
            y -= row.height


def _leads(links: Mapping[int, Sequence[Link]], number: int) -> tuple[tuple[int, str], ...]:
    """The columns of a row that lead somewhere, and where."""
    return tuple((at, found[number].address) for at, found in links.items() if found[number].address)


_TOTALS = (RowKind.SUBTOTAL, RowKind.TOTAL)
