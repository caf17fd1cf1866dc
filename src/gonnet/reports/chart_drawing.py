"""Drawing a chart with a pen: lines, rectangles and texts, whatever they become."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import NamedTuple, Protocol

from reportlab.lib.colors import Color, HexColor

from gonnet.reports.fonts import REGULAR, Family
from gonnet.reports.layout.charts import LIGHTER, ChartLayout, SeriesLayout
from gonnet.reports.pen import HAIR, INK, QUIET

_SIZE = 7.0
_LEGEND = 13.0
_BELOW = 14.0
_ROW = 15.0  # of a chart of shares
_DASHES: tuple[tuple[float, ...], ...] = (
    (), (4, 2), (1, 1.5), (6, 2, 1, 2), (8, 3), (2, 2),
    (1, 4), (12, 2, 2, 2), (5, 5), (3, 1), (8, 2, 2, 2, 2, 2), (12, 5),
)  # fmt: skip

_LIGHTER_LINES = (0.0, 0.4, 0.0, 0.2, 0.4, 0.1)
_LIGHTEST = 0.3  # luminance that is three to one against white paper (WCAG 2.1, 1.4.11)


class AnyPen(Protocol):
    """What a chart is drawn with; y counts from the lower edge, in points."""

    def text(
        self, x: float, y: float, text: str, face: str, size: float, colour: Color, *, right: bool = False
    ) -> None:
        """A text that begins at `x`, or ends there."""

    def line(self, x: float, y: float, to_x: float, to_y: float, width: float, colour: Color) -> None:
        """A straight line."""

    def box(self, x: float, y: float, width: float, height: float, inside: Color, edge: Color | None) -> None:
        """A filled rectangle."""

    def path(self, points: Sequence[tuple[float, float]], width: float, colour: Color, dash: Sequence[float]) -> None:
        """A line through points."""


class _Mark(NamedTuple):
    """One series or line in the legend: its text, its number, and where its mark begins."""

    text: str
    number: int
    is_line: bool
    x: float
    row: int

    @property
    def text_at(self) -> float:
        """Where its text begins."""
        return self.x + (20 if self.is_line else 13)


class ChartDrawing:
    """One chart, `width` points wide and at most `ceiling` points high."""

    def __init__(
        self, chart: ChartLayout, family: Family, accent: str, width: float, ceiling: float = math.inf
    ) -> None:
        self._chart, self._family, self._accent = chart, family, HexColor(accent)
        self.width = width
        self._own = [series for series in chart.series if not series.of_run]
        self._run = [series for series in chart.series if series.of_run]
        has_legend = chart.kind != "shares" and len(chart.series) + len(chart.lines) > 1
        self._legend = self._legend_in_rows() if has_legend else []
        bars = max(len(chart.places), 1)
        self._row = min(_ROW, ceiling / bars)
        self.height = bars * self._row if chart.kind == "shares" else min(chart.height, ceiling)

    def draw(self, pen: AnyPen) -> None:
        """Draw it with a pen."""
        self._pen = pen
        if self._chart.kind == "shares":
            self._draw_shares()
        else:
            self._draw_axes()

    def _colour(self, number: int) -> Color:
        return self._lighter(LIGHTER[number % len(LIGHTER)])

    def _lighter(self, part: float) -> Color:
        return Color(*(value + (1 - value) * part for value in self._accent.rgb()))

    def _line_colour(self, number: int) -> Color:
        """The colour of a line, which has no edge: no lighter than can be seen well."""
        lightest = _LIGHTER_LINES[number % len(_LIGHTER_LINES)]
        colours = (self._lighter(part) for part in (lightest, lightest / 2, 0.0)) if number else ()
        return next((colour for colour in colours if _luminance(colour) <= _LIGHTEST), INK)

    def _draw_shares(self) -> None:
        series, places = self._chart.series[0], self._chart.places
        left = min(max(self._family.width(text, REGULAR, 8) for text in places) + 8, self.width / 3)
        right = max(self._family.width(text, REGULAR, 8) for text in series.texts) + 8
        largest = max((value for value in series.values if value is not None), default=Decimal(0))
        y = self.height - self._row
        for place, value, text in zip(places, series.values, series.texts, strict=True):
            length = (
                float(max(value or Decimal(0), Decimal(0)) / largest) * (self.width - left - right) if largest else 0
            )
            self._pen.text(0, y + 4, self._cut(place, left - 6, 8), REGULAR, 8, INK)
            self._pen.box(left, y + 2, length, self._row - 5, self._accent, None)
            self._pen.text(left + length + 4, y + 4, text, REGULAR, 8, INK)
            y -= self._row

    def _cut(self, text: str, room: float, size: float) -> str:
        """A text that fits, with … where it does not."""
        if self._family.width(text, REGULAR, size) <= room:
            return text
        while text and self._family.width(text + "…", REGULAR, size) > room:
            text = text[:-1]
        return text + "…"

    def _draw_axes(self) -> None:
        chart = self._chart
        left = max(self._family.width(text, REGULAR, _SIZE) for _, text in chart.ticks) + 6
        legend = (self._legend[-1].row + 1) * _LEGEND if self._legend else 0
        top = self.height - legend - (15 if chart.unit else 4)
        low, high = chart.ticks[0][0], chart.ticks[-1][0]

        def level(value: Decimal) -> float:
            return _BELOW + float((value - low) / (high - low)) * (top - _BELOW)

        for value, text in chart.ticks:
            self._pen.line(left, level(value), self.width, level(value), 0.4, QUIET if value == 0 else HAIR)
            self._pen.text(left - 4, level(value) - 2.4, text, REGULAR, _SIZE, QUIET, right=True)
        if chart.unit:
            self._pen.text(0, top + 8, chart.unit, REGULAR, _SIZE, QUIET)
        slot = (self.width - left) / max(len(chart.places), 1)
        centres = [left + slot * (at + 0.5) for at in range(len(chart.places))]
        self._places(centres, slot)
        own = self._own
        match chart.kind:
            case "bars":
                self._bars(own, centres, slot, level)
            case "stacked":
                self._stacks(own, centres, slot, level)
            case _:
                for number, series in enumerate(own):
                    self._line(series, number, centres, level, self._line_colour(number))
        first = self._first_line()
        for number, series in enumerate(self._run, first):
            self._line(series, number, centres, level, INK)
        for number, (_, value, _) in enumerate(chart.lines, first + len(self._run)):
            ends = [(left, level(value)), (self.width, level(value))]
            self._pen.path(ends, 1, INK, _DASHES[number % len(_DASHES)])
        self._draw_legend()

    def _first_line(self) -> int:
        """The number of the first dash that is free."""
        return len(self._own) if self._chart.kind == "lines" else 1

    def _places(self, centres: Sequence[float], slot: float) -> None:
        """The texts along the axis; where they would touch, only every second or third."""
        texts = self._chart.places
        widest = max((self._family.width(text, REGULAR, _SIZE) for text in texts), default=0.0)
        step = max(1, -int(-(widest + 5) // slot))
        for at in range(0, len(texts), step):
            text = self._cut(texts[at], slot * step, _SIZE)
            width = self._family.width(text, REGULAR, _SIZE)
            left = min(centres[at] - width / 2, self.width - width)
            self._pen.text(left, 2, text, REGULAR, _SIZE, QUIET)

    def _bars(
        self, own: Sequence[SeriesLayout], centres: Sequence[float], slot: float, level: Callable[[Decimal], float]
    ) -> None:
        zero, each = level(Decimal(0)), slot * 0.72 / len(own)
        for number, series in enumerate(own):
            for centre, value, text in zip(centres, series.values, series.texts, strict=True):
                if value is None:
                    continue
                left, end = centre - slot * 0.36 + number * each, level(value)
                self._pen.box(left, min(zero, end), each, abs(end - zero), self._colour(number), self._accent)
                width = self._family.width(text, REGULAR, 6)
                if self._chart.has_labels and width < slot - 2:
                    self._pen.text(centre - width / 2, max(zero, end) + 2, text, REGULAR, 6, QUIET)

    def _stacks(
        self, own: Sequence[SeriesLayout], centres: Sequence[float], slot: float, level: Callable[[Decimal], float]
    ) -> None:
        for at, centre in enumerate(centres):
            above = below = Decimal(0)
            for number, series in enumerate(own):
                value = series.values[at] or Decimal(0)
                base = above if value >= 0 else below
                low, high = sorted((level(base), level(base + value)))
                self._pen.box(centre - slot * 0.36, low, slot * 0.72, high - low, self._colour(number), self._accent)
                above, below = above + max(value, Decimal(0)), below + min(value, Decimal(0))

    def _line(
        self,
        series: SeriesLayout,
        number: int,
        centres: Sequence[float],
        level: Callable[[Decimal], float],
        colour: Color,
    ) -> None:
        """A line through the points that there are; where one is missing it is broken."""
        points: list[tuple[float, float]] = []
        for x, value in [*zip(centres, series.values, strict=True), (0.0, None)]:
            if value is not None:
                points.append((x, level(value)))
                self._pen.box(x - 1.4, level(value) - 1.4, 2.8, 2.8, colour, None)
            elif points:
                self._pen.path(points, 1.2, colour, _DASHES[number % len(_DASHES)])
                points = []

    def _legend_in_rows(self) -> list[_Mark]:
        """What the legend shows, as many to a row as its width holds."""
        chart, found, x, row = self._chart, list[_Mark](), 0.0, 0
        marks = [(part.label, at, chart.kind == "lines") for at, part in enumerate(self._own)]
        others = [*(part.label for part in self._run), *(f"{label}: {text}" for label, _, text in chart.lines)]
        marks += [(label, at, True) for at, label in enumerate(others, self._first_line())]
        for label, number, is_line in marks:
            mark = _Mark(self._cut(label, self.width / 3, _SIZE), number, is_line, x, row)
            end = mark.text_at + self._family.width(mark.text, REGULAR, _SIZE)
            if x and end > self.width:
                row += 1
                mark, end = mark._replace(x=0.0, row=row), end - x
            found.append(mark)
            x = end + 14
        return found

    def _draw_legend(self) -> None:
        for mark in self._legend:
            x, y, number = mark.x, self.height - 8 - mark.row * _LEGEND, mark.number
            if mark.is_line:
                is_own = self._chart.kind == "lines" and number < len(self._own)
                colour = self._line_colour(number) if is_own else INK
                self._pen.path([(x, y + 2.5), (x + 16, y + 2.5)], 1.2, colour, _DASHES[number % len(_DASHES)])
            else:
                self._pen.box(x, y, 9, 6, self._colour(number), self._accent)
            self._pen.text(mark.text_at, y + 0.4, mark.text, REGULAR, _SIZE, INK)


def _luminance(colour: Color) -> float:
    """Relative luminance, from 0 to 1 (WCAG 2.1)."""
    red, green, blue = (part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in colour.rgb())
    return float(0.2126 * red + 0.7152 * green + 0.0722 * blue)
