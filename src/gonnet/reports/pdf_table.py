"""Tables on pages: the part of drawing that is done hundreds of thousands of times in a run.

Each distinct text of a column becomes operators once. They are position-neutral: they move from the beginning of the
row to the cell, show the text and move back. A row is its cells' operators joined, and a page is a slice of the rows,
whose heights are known beforehand. What is kept belongs to the faces of a run, so that it serves every document of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from reportlab.lib.colors import Color
from reportlab.platypus import Flowable

from gonnet.reports.columns import PlannedColumn
from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout import LaidTable
from gonnet.reports.pen import HAIR, INK, QUIET, fill, stroke, wrapped
from gonnet.reports.widths import PADDING

_ABOVE, _BELOW = 2.5, 2.4  # room in a row above and below its text
_MANY = 100_000

Cell = tuple[str, int]
"""The operators of a text in its column, and its number of lines."""


@dataclass(frozen=True, slots=True)
class Row:
    """A row of a table, ready to be drawn.

    Attributes:
        operators: What shows it, from the row's own origin and back to it.
        height: In points.
        texts: Its cells' texts, in case it must be cut.
    """

    operators: str
    height: float
    texts: tuple[str, ...]


class TableInk:
    """What every document of a run shares about one table: its heading and the operators of its texts."""

    def __init__(self, columns: Sequence[PlannedColumn], family: Family, alphabet: Alphabet) -> None:
        self.columns = columns
        self.size = columns[0].font_size
        self.leading = self.size * 1.28
        self.width = sum(column.width for column in columns)
        self._family = family
        self._faces = alphabet.faces
        self._lefts = [sum(column.width for column in columns[:at]) for at in range(len(columns))]
        self._known: list[dict[str, Cell]] = [{} for _ in columns]
        self._whole: dict[tuple[str, ...], Row] = {}
        self.heading = self.row([column.label for column in columns], BOLD)

    def body(self, texts: Sequence[Sequence[str]]) -> list[Row]:
        """The rows of a table given by columns of texts."""
        cells = [self._column(at, column) for at, column in enumerate(texts)]
        return [
            self._joined(row, texts)
            for row, texts in zip(zip(*cells, strict=True), zip(*texts, strict=True), strict=True)
        ]

    def row(self, texts: Sequence[str], face: str) -> Row:
        """A single row in a face: a heading, a total."""
        return self._joined([self._cell(at, text, face) for at, text in enumerate(texts)], tuple(texts))

    def _column(self, at: int, texts: Sequence[str]) -> list[Cell]:
        known = self._known[at]
        found = []
        for text in texts:
            cell = known.get(text)
            if cell is None:
                if len(known) > _MANY:
                    known.clear()
                cell = known[text] = self._cell(at, text, REGULAR)
            found.append(cell)
        return found

    def _joined(self, cells: Sequence[Cell], texts: tuple[str, ...]) -> Row:
        height = max(lines for _, lines in cells) * self.leading + _ABOVE + _BELOW
        return Row("".join([operators for operators, _ in cells]), height, texts)

    def lines(self, at: int, text: str, face: str = REGULAR) -> tuple[str, ...]:
        """A text of column `at` as the lines that fit it."""
        return wrapped(text, self._family, face, self.size, self.columns[at].width - 2 * PADDING)

    def _cell(self, at: int, text: str, face: str) -> Cell:
        if not text:
            return "", 1
        column, left = self.columns[at], self._lefts[at]
        lines = self.lines(at, text, face)
        parts, x, y = [], 0.0, 0.0
        for number, line in enumerate(lines):
            if line:
                to_x, to_y = left + self._offset(column, line, face), -number * self.leading
                parts.append(f"{to_x - x:.2f} {to_y - y:.2f} Td {self._faces[face].show_operators(line, self.size)}")
                x, y = to_x, to_y
        return " ".join([*parts, f"{-x:.2f} {-y:.2f} Td\n"]) if parts else "", len(lines)

    def _offset(self, column: PlannedColumn, line: str, face: str) -> float:
        width = self._family.width(line, face, self.size)
        match column.align:
            case "left":
                return PADDING
            case "right":
                return column.width - PADDING - width
            case "centre":
                return (column.width - width) / 2

    def shown(self, rows: Sequence[Row], top: float, face: str, colour: Color) -> str:
        """The operators of rows from `top` down."""
        chosen, baseline = self._faces[face].set_operator(self.size), top - _ABOVE - self.size * 0.94
        parts = [f"BT {fill(colour)} {chosen} 0 {baseline:.2f} Td\n"]
        for row in rows:
            parts.append(row.operators)
            parts.append(f"0 {-row.height:.2f} Td\n")
        return "".join([*parts, "ET\n"])


class TableFlow(Flowable):
    """A table by columns of texts, with a heading that is repeated on every page.

    Args:
        table: What it shows.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        accent: The colour of its rules.
        page: Height of an empty page in points; only a row that does not fit one is cut.
    """

    def __init__(self, table: LaidTable, family: Family, alphabet: Alphabet, accent: Color, page: float) -> None:
        super().__init__()
        kept = alphabet.kept.get(id(table.plan))
        if not isinstance(kept, tuple):
            # The plan is kept along, so that its identity stays its own.
            kept = alphabet.kept[id(table.plan)] = (TableInk(table.plan.columns, family, alphabet), table.plan)
        self._ink: TableInk = kept[0]
        self._accent, self._page = accent, page
        self._rows = self._ink.body(table.texts)
        self._total = self._ink.row(_total_texts(table), BOLD) if table.plan.has_totals else None
        self._settled()

    def _settled(self) -> None:
        self.width = self._ink.width
        self.height = self._heading_height + sum(row.height for row in self._rows) + self._total_height
        self.spaceAfter = 12

    @property
    def _heading_height(self) -> float:
        return self._ink.heading.height + 1

    @property
    def _total_height(self) -> float:
        return self._total.height + 1 if self._total else 0.0

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """The table's own size: it was settled for the run."""
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Cut between two rows; the total keeps at least one row above it."""
        room, used, count = available_height - self._heading_height, 0.0, 0
        for row in self._rows:
            if used + row.height > room:
                break
            used, count = used + row.height, count + 1
        if count == len(self._rows):  # only the total does not fit
            count -= 1
        if count < 1:
            return self._split_first_row(room)
        return [self._part(self._rows[:count], None), self._part(self._rows[count:], self._total)]

    def _split_first_row(self, room: float) -> list[Flowable]:
        """Cut a row that is taller than a page between two of its lines; never one that fits the next page."""
        lines = int((room - _ABOVE - _BELOW) // self._ink.leading)
        if self._rows[0].height + self._heading_height <= self._page or lines < 1:
            return []
        cells = [self._ink.lines(at, text) for at, text in enumerate(self._rows[0].texts)]
        head, tail = (
            self._ink.body([["\n".join(cell[part])] for cell in cells]) for part in (slice(lines), slice(lines, None))
        )
        return [self._part(head, None), self._part([*tail, *self._rows[1:]], self._total)]

    def _part(self, rows: list[Row], total: Row | None) -> TableFlow:
        part = TableFlow.__new__(TableFlow)
        Flowable.__init__(part)
        part._ink, part._accent, part._page = self._ink, self._accent, self._page
        part._rows, part._total = rows, total
        part._settled()
        return part

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        ink, y = self._ink, self.height
        parts = ["q\n", ink.shown([ink.heading], y, BOLD, QUIET)]
        y -= self._heading_height
        parts.append(f"{stroke(self._accent)} 1 w 0 {y + 0.5:.2f} m {self.width:.2f} {y + 0.5:.2f} l S\n")
        parts.append(f"{stroke(HAIR)} 0.4 w\n")
        parts.append(ink.shown(self._rows, y, REGULAR, INK))
        for row in self._rows[:-1]:
            y -= row.height
            parts.append(f"0 {y:.2f} m {self.width:.2f} {y:.2f} l\n")
        parts.append("S\n" if len(self._rows) > 1 else "")
        y -= self._rows[-1].height
        if self._total:
            parts.append(f"{stroke(self._accent)} 1 w 0 {y - 0.5:.2f} m {self.width:.2f} {y - 0.5:.2f} l S\n")
            parts.append(ink.shown([self._total], y - 1, BOLD, INK))
        parts.append("Q")
        self.canv.addLiteral("".join(parts))


def _total_texts(table: LaidTable) -> list[str]:
    texts = list(table.total_texts)
    if table.plan.columns[0].total is None:
        texts[0] = "Total"
    return texts
