"""Draw docs/growth.svg from docs/growth.json, written by `benchmarks/growing.py`: `python tools/growth_plot.py`."""

from __future__ import annotations

import json
from decimal import Decimal
from pathlib import Path

from gonnet.reports.chart_drawing import ChartDrawing
from gonnet.reports.fonts import family
from gonnet.reports.html import SvgPen
from gonnet.reports.layout.charts import ChartLayout, SeriesLayout, nice_ticks

_DOCS = Path(__file__).parent.parent / "docs"
_WIDTH, _HEIGHT, _GAP = 300.0, 190.0, 24.0
_SHOWN = {"ms": "milliseconds for each recipient", "MB": "megabytes of the main process"}


def main() -> None:
    """Write the plot: time on the left, memory on the right."""
    found = json.loads((_DOCS / "growth.json").read_text("utf-8"))
    parts = [part(found, what, unit) for what, unit in _SHOWN.items()]
    height = max(tall for _, tall in parts)
    shown = "".join(
        f'<g transform="translate({at * (_WIDTH + _GAP):g} 0)">{drawn}</g>' for at, (drawn, _) in enumerate(parts)
    )
    wide = 2 * _WIDTH + _GAP
    size = f'viewBox="-8 -8 {wide + 16:g} {height + 16:g}" width="1000" font-family="sans-serif"'
    paper = f'<rect x="-8" y="-8" width="{wide + 16:g}" height="{height + 16:g}" fill="#fff"/>'
    head = f'<svg xmlns="http://www.w3.org/2000/svg" {size} role="img"><title>How cost grows with recipients</title>'
    (_DOCS / "growth.svg").write_text(f"{head}{paper}{shown}</svg>\n", "utf-8")


def part(found: dict[str, dict[str, float]], what: str, unit: str) -> tuple[str, float]:
    """One of the charts, and how high it is."""
    points = {tuple(map(int, point.split("x"))): Decimal(str(said[what])) for point, said in found.items()}
    places = sorted({recipients for recipients, _ in points})
    series = []
    for rows in sorted({rows for _, rows in points}):
        values = tuple(points.get((recipients, rows)) for recipients in places)
        texts = tuple("" if value is None else f"{value:f}" for value in values)
        series.append(SeriesLayout(label=f"{rows} rows", values=values, texts=texts))
    chart = ChartLayout(
        kind="lines",
        title=None,
        over="recipients",
        places=tuple(f"{recipients:,}" for recipients in places),
        measured=False,
        series=tuple(series),
        lines=(),
        ticks=tuple((value, f"{value:f}") for value in nice_ticks(list(points.values()))),
        unit=unit,
        pattern="0",
        height=_HEIGHT,
        alt=unit,
        empty="",
    )
    drawing = ChartDrawing(chart, family(), "#2f5d50", _WIDTH)
    pen = SvgPen(drawing.height)
    drawing.draw(pen)
    return "".join(pen.parts), drawing.height


if __name__ == "__main__":
    main()
