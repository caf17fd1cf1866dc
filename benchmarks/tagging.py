"""What it costs that PDFs can be read aloud and archived: `python benchmarks/tagging.py`.

The same statements are drawn tagged and plain, in turns; then they are read back, as each PDF of a run is. Told are
milliseconds of a processor for each document, medians of seven rounds, and the ratios.
"""

from __future__ import annotations

import datetime as dt
import tempfile
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from statistics import median
from typing import Literal

import milk_data

from gonnet.checks.reading.drawn_pdf import parts_of_drawn
from gonnet.jobs import load_job, load_workspace
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import open_tools
from gonnet.reports import Look, Painter
from gonnet.reports.layout.making import LayoutMaker
from gonnet.reports.layout.models import Layout
from gonnet.reports.signs import signs
from gonnet.split.slices import rows_of

_FARMS, _ROUNDS = 200, 7
_KINDS: tuple[Literal["tagged", "plain"], ...] = ("tagged", "plain")


def main() -> None:
    """Print both, and their ratios."""
    with tempfile.TemporaryDirectory() as folder:
        milk_data.write(Path(folder), _FARMS, 2525, "{report: statement, as: pdf}")
        layouts, look, alphabet = _layouts(Path(folder))
    painters = {kind: Painter(_styled(look, kind), alphabet) for kind in _KINDS}
    files = {kind: [painter.draw(layout, "pdf").data for layout in layouts] for kind, painter in painters.items()}
    drawn: dict[str, list[float]] = {kind: [] for kind in _KINDS}
    read: dict[str, list[float]] = {kind: [] for kind in _KINDS}
    for _ in range(_ROUNDS):
        for kind, painter in painters.items():
            drawn[kind].append(_milliseconds(lambda layout, by=painter: by.draw(layout, "pdf"), layouts))
            read[kind].append(_milliseconds(lambda data: list(parts_of_drawn(data)), files[kind]))
    sizes = {kind: sum(map(len, found)) / len(found) for kind, found in files.items()}
    for what, found, most in (("drawing", drawn, 1.4), ("reading back", read, None)):
        tagged, plain = (median(found[kind]) for kind in _KINDS)
        wanted = f" (wanted: at most {most})" if most else ""
        print(f"{what:<12} tagged {tagged:5.2f} ms, plain {plain:5.2f} ms: {tagged / plain:4.2f}{wanted}")
    tagged, plain = (sizes[kind] for kind in _KINDS)
    print(f"size         tagged {tagged:,.0f} bytes, plain {plain:,.0f}: {tagged / plain:4.2f} (wanted: at most 1.5)")


def _styled(look: Look, kind: Literal["tagged", "plain"]) -> Look:
    return replace(look, style=look.style.model_copy(update={"pdf": kind}))


def _milliseconds(do: Callable[..., object], parts: Sequence[object]) -> float:
    began = time.process_time()
    for part in parts:
        do(part)
    return 1000 * (time.process_time() - began) / len(parts)


def _layouts(folder: Path) -> tuple[list[Layout], Look, frozenset[str]]:
    """Every statement as it is laid out, and what they are drawn with."""
    workspace = load_workspace(folder)
    with open_tools(workspace, 1) as tools:
        job = load_job(workspace, "statements")
        run = survey(job, tools, Request(as_of=dt.date(2026, 11, 1), asked={}))
        rows = dict(rows_of(run.engine, run.fields["gonnet_rows"], [plan.key for plan in run.plans]))
        alphabet = signs([(job, run.house.look)], run.engine, run.fields, run.values.bound(), run.people())
        run.engine.close()
    maker = LayoutMaker(run.house.reports, run.house.reading.wording, run.house.look)
    made = [maker.lay("statement", plan.key, {"gonnet_rows": rows[plan.key]}, plan.names) for plan in run.plans]
    return made, run.house.look, frozenset(alphabet)


if __name__ == "__main__":
    main()
