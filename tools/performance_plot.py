"""Draw docs/performance.svg from the ratios in docs/performance.json: `python tools/performance_plot.py`.

The ratios are those that one run of `python benchmarks/delivery.py 10000` printed.
"""

from __future__ import annotations

import json
from decimal import Decimal
from pathlib import Path

from gonnet.reports.chart_drawing import ChartDrawing
from gonnet.reports.fonts import family
from gonnet.reports.html import SvgPen
from gonnet.reports.layout.charts import ChartLayout, SeriesLayout, nice_ticks

_DOCS = Path(__file__).parent.parent / "docs"
_WIDTH = 460.0


def main() -> None:
    """Write the plot."""
    found = {
        stage: Decimal(str(ratio)) for stage, ratio in json.loads((_DOCS / "performance.json").read_text()).items()
    }
    chart = ChartLayout(
        kind="bars",
        title=None,
        over="",
        places=tuple(found),
        measured=False,
        series=(SeriesLayout(label="", values=tuple(found.values()), texts=tuple(f"{v} ×" for v in found.values())),),
        lines=(),
        ticks=tuple((value, f"{value:f}") for value in nice_ticks(list(found.values()))),
        unit="times as fast as the able script",
        pattern="0",
        height=170,
        alt="How many times as fast as an able person's script Gonnet is, by stage",
        empty="",
    )
    drawing = ChartDrawing(chart, family(), "#2f5d50", _WIDTH)
    pen = SvgPen(drawing.height)
    drawing.draw(pen)
    size = f'viewBox="-8 -8 {_WIDTH + 16:g} {drawing.height + 16:g}" width="760" font-family="sans-serif"'
    paper = f'<rect x="-8" y="-8" width="{_WIDTH + 16:g}" height="{drawing.height + 16:g}" fill="#fff"/>'
    head = f'<svg xmlns="http://www.w3.org/2000/svg" {size} role="img"><title>{chart.alt}</title>{paper}'
    (_DOCS / "performance.svg").write_text(f"{head}{''.join(pen.parts)}</svg>\n", "utf-8")


if __name__ == "__main__":
    main()
