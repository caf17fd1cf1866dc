"""Blocks that measure, split and draw themselves on a page: facts and tables."""

from __future__ import annotations

from collections.abc import Sequence

from reportlab.lib.colors import Color, HexColor
from reportlab.platypus import Flowable

from gonnet.reports import fonts
from gonnet.reports.columns import PlannedColumn
from gonnet.reports.layout import LaidTable
from gonnet.reports.widths import PADDING

INK = HexColor("#1d2321")
QUIET = HexColor("#5c6663")
_HAIR = HexColor("#d5dbd8")

_FACT = 9.5
_FACT_LEADING = 14.0
_ABOVE, _BELOW = 2.5, 2.4  # room in a table's row above and below its text

Line = tuple[str, ...]
"""The lines of one cell."""


class FactsFlow(Flowable):
    """Labels on the left, values beside them; long values wrap."""

    def __init__(self, facts: Sequence[tuple[str, str]], width: float) -> None:
        super().__init__()
        widest = max(fonts.width(label, fonts.REGULAR, _FACT) for label, _ in facts)
        self._label_width = min(widest + 16, width / 2)
        self._lines: list[tuple[str, str]] = []
        for label, value in facts:
            first, *rest = wrapped(value, fonts.BOLD, _FACT, width - self._label_width)
            self._lines += [(label, first), *(("", line) for line in rest)]
        self.width = width
        self.spaceAfter = 12

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """Its own width, and the height of its lines."""
        self.height = _FACT_LEADING * len(self._lines)
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Cut between two lines, or not at all."""
        count = int(available_height // _FACT_LEADING)
        if count < 1:
            return []
        return [self._part(self._lines[:count]), self._part(self._lines[count:])]

    def _part(self, lines: list[tuple[str, str]]) -> FactsFlow:
        part = FactsFlow.__new__(FactsFlow)
        Flowable.__init__(part)
        part._lines, part._label_width = lines, self._label_width
        part.width, part.spaceAfter = self.width, self.spaceAfter
        return part

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        y = self.height - _FACT_LEADING + 4
        for label, line in self._lines:
            self.canv.setFillColor(QUIET)
            self.canv.setFont(fonts.REGULAR, _FACT)
            self.canv.drawString(0, y, label)
            self.canv.setFillColor(INK)
            self.canv.setFont(fonts.BOLD, _FACT)
            self.canv.drawString(self._label_width, y, line)
            y -= _FACT_LEADING


class TableFlow(Flowable):
    """A table by columns of texts, with a heading that is repeated on every page.

    Args:
        table: What it shows.
        accent: The colour of its rules.
        page: Height of an empty page in points; only a row that does not fit one is cut.
    """

    def __init__(self, table: LaidTable, accent: Color, page: float) -> None:
        super().__init__()
        self._page = page
        self._columns = table.plan.columns
        self._accent = accent
        self._size = self._columns[0].font_size
        self._leading = self._size * 1.28
        self._heading = [wrapped(c.label, fonts.BOLD, self._size, c.width - 2 * PADDING) for c in self._columns]
        cells = [self._cells(column, texts) for column, texts in zip(self._columns, table.texts, strict=True)]
        self._rows: list[tuple[Line, ...]] = list(zip(*cells, strict=True))
        self._total: tuple[Line, ...] = ()
        if table.plan.has_totals:
            self._total = tuple(
                wrapped(text, fonts.BOLD, self._size, column.width - 2 * PADDING)
                for column, text in zip(self._columns, self._total_texts(table), strict=True)
            )
        self._heights = [self._row_height(row) for row in self._rows]
        self.width = sum(column.width for column in self._columns)
        self.spaceAfter = 12

    @staticmethod
    def _total_texts(table: LaidTable) -> list[str]:
        texts = list(table.total_texts)
        if table.plan.columns[0].total is None:
            texts[0] = "Total"
        return texts

    def _cells(self, column: PlannedColumn, texts: Sequence[str]) -> list[Line]:
        room = column.width - 2 * PADDING
        known = {text: wrapped(text, fonts.REGULAR, self._size, room) for text in set(texts)}
        return [known[text] for text in texts]

    def _row_height(self, row: Sequence[Line]) -> float:
        return max(len(lines) for lines in row) * self._leading + _ABOVE + _BELOW

    @property
    def _heading_height(self) -> float:
        return self._row_height(self._heading) + 1

    @property
    def _total_height(self) -> float:
        return self._row_height(self._total) + 1 if self._total else 0.0

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """The table's own size: it was settled for the run."""
        self.height = self._heading_height + sum(self._heights) + self._total_height
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Cut between two rows; the total keeps at least one row above it."""
        room, used, count = available_height - self._heading_height, 0.0, 0
        for height in self._heights:
            if used + height > room:
                break
            used, count = used + height, count + 1
        if count == len(self._rows):  # only the total does not fit
            count -= 1
        if count < 1:
            return self._split_first_row(room)
        return [self._part(self._rows[:count], total=False), self._part(self._rows[count:], total=True)]

    def _split_first_row(self, room: float) -> list[Flowable]:
        """Cut a row that is taller than a page between two of its lines; never one that fits the next page."""
        lines = int((room - _ABOVE - _BELOW) // self._leading)
        if self._heights[0] + self._heading_height <= self._page or lines < 1:
            return []
        head = tuple(cell[:lines] or ("",) for cell in self._rows[0])
        tail = tuple(cell[lines:] or ("",) for cell in self._rows[0])
        return [self._part([head], total=False), self._part([tail, *self._rows[1:]], total=True)]

    def _part(self, rows: list[tuple[Line, ...]], *, total: bool) -> TableFlow:
        part = TableFlow.__new__(TableFlow)
        Flowable.__init__(part)
        part._columns, part._accent, part._size, part._leading = self._columns, self._accent, self._size, self._leading
        part._heading, part._rows, part._page = self._heading, rows, self._page
        part._total = self._total if total else ()
        part._heights = [part._row_height(row) for row in rows]
        part.width, part.spaceAfter = self.width, self.spaceAfter
        return part

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        canvas, y = self.canv, self.height
        self._draw_row(self._heading, y, fonts.BOLD, QUIET)
        y -= self._heading_height
        canvas.setStrokeColor(self._accent)
        canvas.setLineWidth(1)
        canvas.line(0, y + 0.5, self.width, y + 0.5)
        self._draw_rows(y)
        y -= sum(self._heights)
        if self._total:
            canvas.setStrokeColor(self._accent)
            canvas.setLineWidth(1)
            canvas.line(0, y - 0.5, self.width, y - 0.5)
            self._draw_row(self._total, y - 1, fonts.BOLD, INK)

    def _draw_rows(self, top: float) -> None:
        canvas, y = self.canv, top
        hair = canvas.beginPath()
        for height in self._heights[:-1]:
            y -= height
            hair.moveTo(0, y)
            hair.lineTo(self.width, y)
        canvas.setStrokeColor(_HAIR)
        canvas.setLineWidth(0.4)
        canvas.drawPath(hair)
        text = canvas.beginText()
        text.setFont(fonts.REGULAR, self._size)
        text.setFillColor(INK)
        y = top
        for row, height in zip(self._rows, self._heights, strict=True):
            self._put(text, row, y, fonts.REGULAR)
            y -= height
        canvas.drawText(text)

    def _draw_row(self, row: Sequence[Line], top: float, face: str, colour: Color) -> None:
        text = self.canv.beginText()
        text.setFont(face, self._size)
        text.setFillColor(colour)
        self._put(text, row, top, face)
        self.canv.drawText(text)

    def _put(self, text: object, row: Sequence[Line], top: float, face: str) -> None:
        x, size = 0.0, self._size
        for column, lines in zip(self._columns, row, strict=True):
            y = top - _ABOVE - size * 0.94
            for line in lines:
                if line:
                    text.setTextOrigin(x + _offset(column, line, face, size), y)  # type: ignore[attr-defined]
                    text.textOut(line)  # type: ignore[attr-defined]
                y -= self._leading
            x += column.width


def _offset(column: PlannedColumn, line: str, face: str, size: float) -> float:
    match column.align:
        case "left":
            return PADDING
        case "right":
            return column.width - PADDING - fonts.width(line, face, size)
        case "centre":
            return (column.width - fonts.width(line, face, size)) / 2


def wrapped(text: str, face: str, size: float, room: float) -> Line:
    """`text` as lines no wider than `room` points: broken at blanks, and inside a word only where it must be."""
    if "\n" not in text and fonts.width(text, face, size) <= room:
        return (text,)
    return tuple(line for part in text.split("\n") for line in _broken(part, face, size, room))


def _broken(text: str, face: str, size: float, room: float) -> list[str]:
    lines, line = [], ""
    for word in text.split(" "):
        longer = f"{line} {word}" if line else word
        if fonts.width(longer, face, size) <= room:
            line = longer
            continue
        if line:
            lines.append(line)
        while fonts.width(word, face, size) > room and len(word) > 1:
            cut = _fitting(word, face, size, room)
            lines.append(word[:cut])
            word = word[cut:]
        line = word
    lines.append(line)
    return lines


def _fitting(word: str, face: str, size: float, room: float) -> int:
    """How many characters of `word` fit, at least one."""
    low, high = 1, len(word)
    while low < high:
        middle = (low + high + 1) // 2
        if fonts.width(word[:middle], face, size) <= room:
            low = middle
        else:
            high = middle - 1
    return low
