"""What a chart costs: a page with one against the same page without: `python benchmarks/charts.py`."""

from __future__ import annotations

import datetime as dt
import tempfile
import time
from pathlib import Path

import milk_data

from gonnet.jobs import load_job, load_workspace
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import open_tools
from gonnet.reports import Painter
from gonnet.reports.layout.making import LayoutMaker
from gonnet.reports.signs import signs
from gonnet.split.slices import rows_of

_FARMS = 300
_CHART = """      - chart:
          kind: bars
          over: day
          over_format: d MMM
          series: {value: litres}
          against: {label: All farms}
          unit: litres
          alt: Litres of each day
          height: 40
"""
_PLACE = "      - table:\n"


def main() -> None:
    """Print both times and their ratio."""
    with tempfile.TemporaryDirectory() as folder:
        milk_data.write(Path(folder), _FARMS, 2525, "{report: statement, as: pdf}")
        plain = _milliseconds(Path(folder))
        job = Path(folder) / "jobs" / "statements.yaml"
        job.write_text(job.read_text("utf-8").replace(_PLACE, _CHART + _PLACE), "utf-8")
        charted = _milliseconds(Path(folder))
    ratio = charted / plain
    print(f"a page without a chart {plain:5.2f} ms, with one {charted:5.2f} ms: {ratio:4.2f} (wanted: at most 2)")


def _milliseconds(folder: Path) -> float:
    """Of laying out and drawing one document; the best of five rounds."""
    workspace = load_workspace(folder)
    with open_tools(workspace, 1) as tools:
        job = load_job(workspace, "statements")
        run = survey(job, tools, Request(as_of=dt.date(2026, 11, 1), asked={}))
        rows = dict(rows_of(run.engine, run.fields["gonnet_rows"], [plan.key for plan in run.plans]))
        alphabet = signs([(job, run.house.look)], run.engine, run.fields, run.values.bound(), run.people())
        run.engine.close()
    layout_maker, painter = (
        LayoutMaker(run.house.reports, run.house.reading.wording, run.house.look),
        Painter(run.house.look, alphabet),
    )
    rounds = []
    for _ in range(5):
        began = time.perf_counter()
        for plan in run.plans:
            painter.draw(layout_maker.lay("statement", plan.key, {"gonnet_rows": rows[plan.key]}, plan.names), "pdf")
        rounds.append(1000 * (time.perf_counter() - began) / len(run.plans))
    return min(rounds)


if __name__ == "__main__":
    main()
