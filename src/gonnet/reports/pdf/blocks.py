"""What flows down the pages of a PDF: blocks that know their height, split, and draw themselves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout.models import FactsLayout
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.structure import Element
from gonnet.reports.pdf.writing import box
from gonnet.reports.pen import INK, QUIET, Pen, wrapped
from gonnet.reports.plans.models import Picture, Space

_SIZE = 9.5
_LEADING = 14.0
_GUTTER = 16.0

Pair = tuple[str, str]
"""A line of a label and a line of its value."""


class Block:
    """A part of a document.

    Attributes:
        height: In points.
        before: Room above it, but at the head of a page.
        after: Room below it.
    """

    height = 0.0
    before = 0.0
    after = 0.0

    def split(self, room: float, page: float) -> list[Block]:
        """In two, the first no higher than `room`; nothing where it cannot be. An empty page has room for `page`."""
        return []

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Draw it, its lower left corner at a place of the page."""
        raise NotImplementedError


class _Fact(NamedTuple):
    """Lines of a fact, and what it is in the structure: a label and its value."""

    lines: list[Pair]
    label: Element
    value: Element


class FactsFlow(Block):
    """Labels with values beside them, in one to three columns that are read from top to bottom; long values wrap."""

    after = 12.0

    def __init__(
        self,
        block: FactsLayout,
        family: Family,
        alphabet: Alphabet,
        width: float,
        within: Element,
        scale: float = 1.0,
    ) -> None:
        self._size, self._leading = _SIZE * scale, _LEADING * scale
        self._step = (width + _GUTTER) / block.columns
        room = self._step - _GUTTER
        widest = max(family.width(label, REGULAR, self._size) for label, _ in block.facts)
        self._label_width = min(widest + _GUTTER, room / 2)
        listed = Element("L", within)
        cells = [self._fact(fact, family, room - self._label_width, listed) for fact in block.facts]
        deep = -(-len(cells) // block.columns)
        self._rows = [_side_by_side(cells[at::deep]) for at in range(deep)]
        self._pen = Pen(family, alphabet)
        self._measure()

    def _measure(self) -> None:
        self.height = self._leading * sum(map(_deep, self._rows))

    def _fact(self, fact: tuple[str, str], family: Family, room: float, listed: Element) -> _Fact:
        labels = wrapped(fact[0], family, REGULAR, self._size, self._label_width)
        values = wrapped(fact[1], family, BOLD, self._size, room)
        deep = max(len(labels), len(values))
        item = Element("LI", listed)
        lines = list(zip(_filled(labels, deep), _filled(values, deep), strict=True))
        return _Fact(lines, Element("Lbl", item), Element("LBody", item))

    def split(self, room: float, page: float) -> list[Block]:
        """Cut between two lines, or not at all."""
        count = int(room // self._leading)
        if count < 1:
            return []
        above: list[list[_Fact]] = []
        below: list[list[_Fact]] = []
        for row in self._rows:
            fits = min(count, _deep(row))
            count -= fits
            for rows, part in ((above, slice(fits)), (below, slice(fits, None))):
                if range(_deep(row))[part]:
                    rows.append([fact._replace(lines=fact.lines[part]) for fact in row])
        return [self._part(above), self._part(below)]

    def _part(self, rows: list[list[_Fact]]) -> FactsFlow:
        part = FactsFlow.__new__(FactsFlow)
        part._size, part._leading, part._rows = self._size, self._leading, rows
        part._label_width, part._pen, part._step = self._label_width, self._pen, self._step
        part._measure()
        return part

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Draw it column by column, which is how it is read."""
        for at in range(max(map(len, self._rows))):
            base = self.height - self._leading + 4
            for row in self._rows:
                if at < len(row):
                    self._draw(file, row[at], at * self._step, base)
                base -= self._leading * _deep(row)
        self._pen.put_on(file, x, y)

    def _draw(self, file: PdfFile, fact: _Fact, left: float, base: float) -> None:
        labels, values = zip(*fact.lines, strict=True) if fact.lines else ((), ())
        shown = (
            (fact.label, labels, left, REGULAR, QUIET),
            (fact.value, values, left + self._label_width, BOLD, INK),
        )
        for element, lines, begins, face, colour in shown:
            if any(lines):
                self._pen.raw(file.tags.open(element))
                self._pen.lines(begins, base, lines, self._leading, face, self._size, colour)
                self._pen.raw(file.tags.close())


def _deep(row: Sequence[_Fact]) -> int:
    return max(len(fact.lines) for fact in row)


def _filled(lines: Sequence[str], deep: int) -> list[str]:
    return [*lines, *[""] * (deep - len(lines))]


def _side_by_side(cells: Sequence[_Fact]) -> list[_Fact]:
    """The facts that stand in one row, all with as many lines."""
    deep = max(len(cell.lines) for cell in cells)
    return [cell._replace(lines=[*cell.lines, *[("", "")] * (deep - len(cell.lines))]) for cell in cells]


class PictureFlow(Block):
    """An image on its side of the page."""

    after = 8.0

    def __init__(self, picture: Picture, width: float, element: Element) -> None:
        self._picture, self._width, self._figure = picture, width, element
        self.height = picture.height

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Draw it; one that says nothing is an ornament."""
        picture = self._picture
        left = {"left": 0.0, "centre": (self._width - picture.width) / 2, "right": self._width - picture.width}
        begins = x + left[picture.align]
        place_figure(self._figure, begins, y, picture.width, picture.height)
        file.put(file.tags.open(self._figure) if picture.alt else file.tags.artifact())
        file.picture(picture.data, begins, y, picture.width, picture.height)
        file.put(file.tags.close())


def place_figure(element: Element, x: float, y: float, width: float, height: float) -> None:
    """Say where a figure is on its page (ISO 32000-1, 14.8.5.4)."""
    element.attributes += f"/A<</O/Layout/Placement/Block/BBox{box(x, y, x + width, y + height)}>>"


class SpaceFlow(Block):
    """Room, or the end of a page; at the head of a page it is nothing."""

    def __init__(self, space: Space) -> None:
        self.ends_page = space.height is None
        self.height = space.height or 0.0

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Nothing is to be seen."""
