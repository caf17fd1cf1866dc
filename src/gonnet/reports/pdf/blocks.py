"""Small blocks that measure, split and draw themselves on a page."""

from __future__ import annotations

import io
from collections.abc import Sequence

from reportlab.lib.utils import ImageReader
from reportlab.platypus import Flowable

from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout.models import FactsLayout
from gonnet.reports.pen import INK, QUIET, Pen, wrapped
from gonnet.reports.plans.models import Picture, Space

_SIZE = 9.5
_LEADING = 14.0
_GUTTER = 16.0

Pair = tuple[str, str]
"""A line of a label and a line of its value."""


class FactsFlow(Flowable):
    """Labels with values beside them, in one to three columns that are read from top to bottom; long values wrap."""

    def __init__(
        self, block: FactsLayout, family: Family, alphabet: Alphabet, width: float, scale: float = 1.0
    ) -> None:
        super().__init__()
        self._size, self._leading = _SIZE * scale, _LEADING * scale
        self._step = (width + _GUTTER) / block.columns
        room = self._step - _GUTTER
        widest = max(family.width(label, REGULAR, self._size) for label, _ in block.facts)
        self._label_width = min(widest + _GUTTER, room / 2)
        cells = [self._lines(fact, family, room - self._label_width) for fact in block.facts]
        deep = -(-len(cells) // block.columns)
        self._rows = [_side_by_side(cells[at::deep]) for at in range(deep)]
        self._pen = Pen(family, alphabet)
        self.width = width
        self.spaceAfter = 12

    def _lines(self, fact: tuple[str, str], family: Family, room: float) -> list[Pair]:
        labels = wrapped(fact[0], family, REGULAR, self._size, self._label_width)
        values = wrapped(fact[1], family, BOLD, self._size, room)
        deep = max(len(labels), len(values))
        return list(zip(_filled(labels, deep), _filled(values, deep), strict=True))

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """Its own width, and the height of its lines."""
        self.height = self._leading * sum(map(len, self._rows))
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Cut between two lines, or not at all."""
        lines = [line for row in self._rows for line in row]
        count = int(available_height // self._leading)
        if count < 1:
            return []
        return [self._part(lines[:count]), self._part(lines[count:])]

    def _part(self, lines: list[list[Pair]]) -> FactsFlow:
        part = FactsFlow.__new__(FactsFlow)
        Flowable.__init__(part)
        part._size, part._leading = self._size, self._leading
        part._rows, part._label_width, part._pen, part._step = [lines], self._label_width, self._pen, self._step
        part.width, part.spaceAfter = self.width, self.spaceAfter
        return part

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        y = self.height - self._leading + 4
        for row in self._rows:
            for at, cell in enumerate(zip(*row, strict=True)):  # whole facts, so that each is read as one text
                labels, values = zip(*cell, strict=True)
                self._pen.lines(at * self._step, y, labels, self._leading, REGULAR, self._size, QUIET)
                left = at * self._step + self._label_width
                self._pen.lines(left, y, values, self._leading, BOLD, self._size, INK)
            y -= self._leading * len(row)
        self._pen.put_on(self.canv)


def _filled(lines: Sequence[str], deep: int) -> list[str]:
    return [*lines, *[""] * (deep - len(lines))]


def _side_by_side(cells: Sequence[list[Pair]]) -> list[list[Pair]]:
    """The lines of facts that stand in one row."""
    deep = max(map(len, cells))
    return [[cell[at] if at < len(cell) else ("", "") for cell in cells] for at in range(deep)]


class PictureFlow(Flowable):
    """An image on its side of the page."""

    def __init__(self, picture: Picture, width: float) -> None:
        super().__init__()
        self._picture = picture
        self.width, self.height = width, picture.height
        self.spaceAfter = 8

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """The width of the page, and the height of the picture."""
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Not at all."""
        return []

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        picture = self._picture
        left = {"left": 0.0, "centre": (self.width - picture.width) / 2, "right": self.width - picture.width}
        image = ImageReader(io.BytesIO(picture.data))
        self.canv.drawImage(image, left[picture.align], 0, picture.width, picture.height, mask="auto")


class SpaceFlow(Flowable):
    """Room, or the end of a page; at the head of a page it is nothing."""

    def __init__(self, space: Space) -> None:
        super().__init__()
        self.ends_page = space.height is None
        self.width, self.height = 0.0, space.height or 0.0

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """Its height."""
        return 0.0, self.height

    def draw(self) -> None:
        """Nothing is to be seen."""
