"""Charts on pages."""

from __future__ import annotations

from gonnet.reports.chart_drawing import ChartDrawing
from gonnet.reports.fonts import Alphabet, Family
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.pdf.blocks import Block, place_figure
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.structure import Element
from gonnet.reports.pen import Pen


class ChartFlow(Block):
    """A chart as wide as the page; what those hear who cannot see it says `element`."""

    after = 12.0

    def __init__(
        self,
        chart: ChartLayout,
        family: Family,
        alphabet: Alphabet,
        accent: str,
        width: float,
        ceiling: float,
        element: Element,
    ) -> None:
        self._drawing = ChartDrawing(chart, family, accent, width, ceiling)
        self._pen, self._element = Pen(family, alphabet), element
        self.width, self.height = width, self._drawing.height

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Draw it."""
        place_figure(self._element, x, y, self.width, self.height)
        self._pen.raw(file.tags.open(self._element))
        self._drawing.draw(self._pen)
        self._pen.raw(file.tags.close())
        self._pen.put_on(file, x, y)
