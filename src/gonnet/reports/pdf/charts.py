"""Charts on pages."""

from __future__ import annotations

from reportlab.platypus import Flowable

from gonnet.reports.chart_drawing import ChartDrawing
from gonnet.reports.fonts import Alphabet, Family
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.pen import Pen


class ChartFlow(Flowable):
    """A chart as wide as the page."""

    def __init__(
        self, chart: ChartLayout, family: Family, alphabet: Alphabet, accent: str, width: float, ceiling: float
    ) -> None:
        super().__init__()
        self._drawing = ChartDrawing(chart, family, accent, width, ceiling)
        self._pen, self._alt = Pen(family, alphabet), chart.alt
        self.width, self.height = width, self._drawing.height
        self.spaceAfter = 12

    def wrap(self, available_width: float, available_height: float) -> tuple[float, float]:
        """Its own size."""
        return self.width, self.height

    def split(self, available_width: float, available_height: float) -> list[Flowable]:
        """Not at all."""
        return []

    def draw(self) -> None:
        """Draw on the canvas, the lower left corner at the origin."""
        # What those hear who cannot see it (ISO 32000-1, 14.9.3).
        alternative = self._alt.encode("utf-16-be").hex()
        self.canv.addLiteral(f"/Figure <</Alt <feff{alternative}>>> BDC")
        self._drawing.draw(self._pen)
        self._pen.put_on(self.canv)
        self.canv.addLiteral("EMC")
