"""Small blocks that measure, split and draw themselves on a page."""

from __future__ import annotations

from collections.abc import Sequence

from reportlab.platypus import Flowable

from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.pen import INK, QUIET, Pen, wrapped

_SIZE = 9.5
_LEADING = 14.0


class FactsFlow(Flowable):
    """Labels on the left, values beside them; long values wrap."""

    def __init__(self, facts: Sequence[tuple[str, str]], family: Family, alphabet: Alphabet, width: float) -> None:
        super().__init__()
        widest = max(family.width(label, REGULAR, _SIZE) for label, _ in facts)
        self._label_width = min(widest + 16, width / 2)
        self._lines: list[tuple[str, str]] = []
        for label, value in facts:
            first, *rest = wrapped(value, family, BOLD, _SIZE, width - self._label_width)
            self._lines += [(label, first), *(("", line) for line in rest)]
        self._pen = Pen(family, alphabet)
        self.width = width
        self.spaceAfter = 12

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """Its own width, and the height of its lines."""
        self.height = _LEADING * len(self._lines)
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Cut between two lines, or not at all."""
        count = int(available_height // _LEADING)
        if count < 1:
            return []
        return [self._part(self._lines[:count]), self._part(self._lines[count:])]

    def _part(self, lines: list[tuple[str, str]]) -> FactsFlow:
        part = FactsFlow.__new__(FactsFlow)
        Flowable.__init__(part)
        part._lines, part._label_width, part._pen = lines, self._label_width, self._pen
        part.width, part.spaceAfter = self.width, self.spaceAfter
        return part

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        y = self.height - _LEADING + 4
        for label, line in self._lines:
            self._pen.text(0, y, label, REGULAR, _SIZE, QUIET)
            self._pen.text(self._label_width, y, line, BOLD, _SIZE, INK)
            y -= _LEADING
        self._pen.put_on(self.canv)
