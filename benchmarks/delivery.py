"""Gonnet against the administrator's script: `python benchmarks/delivery.py [RECIPIENTS …]`, else 1,000 and 10,000.

Each recipient has 40 rows, a PDF, a workbook and a message; Gonnet hands over on four connections. Three turns: in each
the script is run for samples of recipients and scaled, as an able person writes it and as one writes it first; then
Gonnet, from its own command line, with leak check and ledger, in two processes and then in one; drawing alone is
measured inside one process on both sides. Every figure is the median of the turns with the lowest and the highest: how
far Gonnet is from itself is how noisy the machine is. Needs the extra `benchmarks`.
"""

from __future__ import annotations

import datetime as dt
import sys
import tempfile
import time
from collections.abc import Callable
from itertools import islice
from pathlib import Path
from statistics import median
from typing import TypeVar

import by_hand
import milk_data
from sink import sink
from watched import gonnet

_SAMPLE = 150  # recipients that the script is run for
_TURNS = 3
_ALL = ("reading", "PDF", "XLSX", "mail")
_STAGES = {  # of Gonnet → the parts of the script that do the same
    "drawing PDF": ("PDF",),
    "drawing XLSX": ("XLSX",),
    "all, 2 processes": _ALL,
    "all, 1 process": _ALL,
}
T = TypeVar("T")


def main() -> None:
    """Measure for each number of recipients."""
    for recipients in [int(text) for text in sys.argv[1:]] or [1_000, 10_000]:
        with tempfile.TemporaryDirectory() as folder, sink() as port:
            milk_data.write(Path(folder), recipients, port)
            _compare(Path(folder), recipients, port)


def _compare(folder: Path, recipients: int, port: int) -> None:
    print(f"\n{recipients:,} recipients × {milk_data.ROWS} rows; ms per recipient, of {_TURNS} turns")
    turns = [_turn(folder, recipients, port, number) for number in range(_TURNS)]
    for able in (True, False):
        print(f"  against the script {'of an able person' if able else 'that one writes first'}")
        for stage, parts in _STAGES.items():
            script = [sum(turn[_named(part, able)] for part in parts) for turn in turns]
            _line(stage, script, [turn[stage] for turn in turns])


def _named(part: str, able: bool) -> str:
    return part if able or part != "PDF" else "first PDF"


def _turn(folder: Path, recipients: int, port: int, number: int) -> dict[str, float]:
    """Milliseconds a recipient by what was measured: parts of the script, stages of Gonnet."""
    found = _script(folder, recipients, port, number)
    found |= _drawing(folder, min(recipients, 4 * _SAMPLE))
    for processes in (2, 1):
        found[f"all, {processes} process{'es'[: 2 * (processes > 1)]}"] = _everything(folder, recipients, processes)
    return found


def _everything(folder: Path, recipients: int, processes: int) -> float:
    """Milliseconds a recipient from the command to the last message."""
    prepare, peak, workers = gonnet(folder, "prepare", "statements", "--processes", str(processes))
    send, _, _ = gonnet(folder, "send", "last", "--yes", "--again")
    print(
        f"    prepare {prepare:.1f} s, send {send:.1f} s; peak {peak:.0f} MB, of a worker {workers:.0f} MB", flush=True
    )
    return float(1000 * (prepare + send) / recipients)


def _line(what: str, script: list[float], ours: list[float]) -> None:
    """A line with medians, and the ratios of the turns."""
    ratios = sorted(other / own for other, own in zip(script, ours, strict=True))
    spread = f"{min(ours):.1f} to {max(ours):.1f}"
    print(
        f"  {what:<18} script {median(script):7.2f}   Gonnet {median(ours):7.2f} ({spread})"
        f"   {median(script) / median(ours):5.1f} times as fast ({ratios[0]:.1f} to {ratios[-1]:.1f})",
        flush=True,
    )


def _script(folder: Path, recipients: int, port: int, turn: int) -> dict[str, float]:
    """Milliseconds a recipient, by stage, over every so-manieth recipient; others in each turn."""
    seconds, farms = _timed(lambda: by_hand.read(folder))
    sample = farms[turn :: max(1, len(farms) // _SAMPLE)][:_SAMPLE]
    first, _ = _timed(lambda: [by_hand.first_pdf(*farm) for farm in sample])
    pdf, pdfs = _timed(lambda: [by_hand.pdf(*farm) for farm in sample])
    xlsx, books = _timed(lambda: [by_hand.xlsx(*farm) for farm in sample])
    files = [{"a.pdf": one, "a.xlsx": other} for one, other in zip(pdfs, books, strict=True)]
    mail, _ = _timed(lambda: [by_hand.mail(farm, parts, port) for (farm, _), parts in zip(sample, files, strict=True)])
    stages = {"first PDF": first, "PDF": pdf, "XLSX": xlsx, "mail": mail}
    return {"reading": 1000 * seconds / recipients} | {
        stage: 1000 * found / len(sample) for stage, found in stages.items()
    }


def _drawing(folder: Path, count: int) -> dict[str, float]:
    """Milliseconds a document when Gonnet lays it out and draws it, by format."""
    from gonnet.jobs import load_job, load_workspace
    from gonnet.pipeline.survey import Request, survey
    from gonnet.pipeline.tools import open_tools
    from gonnet.reports import Painter
    from gonnet.reports.layout.making import LayoutMaker
    from gonnet.reports.signs import signs
    from gonnet.split.slices import rows_of

    workspace = load_workspace(folder)
    found = {}
    with open_tools(workspace, 1) as tools:
        job = load_job(workspace, "statements")
        run = survey(job, tools, Request(as_of=dt.date(2026, 11, 1), asked={}))
        plans = list(islice(run.plans, count))
        rows = dict(rows_of(run.engine, run.fields["gonnet_rows"], [plan.key for plan in plans]))
        alphabet = signs([(job, run.house.look)], run.engine, run.fields, run.values.bound(), run.people())
        for form in ("pdf", "xlsx"):
            layout_maker, painter = (
                LayoutMaker(run.house.reports, run.house.reading.wording, run.house.look),
                Painter(run.house.look, alphabet),
            )
            began = time.perf_counter()
            for plan in plans:
                painter.draw(layout_maker.lay("statement", plan.key, {"gonnet_rows": rows[plan.key]}, plan.names), form)
            found[f"drawing {form.upper()}"] = 1000 * (time.perf_counter() - began) / len(plans)
        run.engine.close()
    return found


def _timed(work: Callable[[], T]) -> tuple[float, T]:
    began = time.perf_counter()
    found = work()
    return time.perf_counter() - began, found


if __name__ == "__main__":
    main()
