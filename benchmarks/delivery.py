"""Gonnet against the administrator's script: `python benchmarks/delivery.py [RECIPIENTS …]`, else 1,000 and 10,000.

Each recipient has 40 rows, a PDF, a workbook and a message; Gonnet hands over on four connections. The script is run
for samples of recipients and scaled: before Gonnet, between its runs and after them, since what a machine gives for
some seconds it does not give for minutes. Gonnet's figures are those of its own program from the command line, with
leak check and ledger; drawing alone is measured inside one process on both sides. Needs the extra `benchmarks`.
"""

from __future__ import annotations

import datetime as dt
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from itertools import islice
from pathlib import Path
from typing import TypeVar

import by_hand
import milk_data
from sink import sink

_SAMPLE = 150  # recipients that the script is run for
T = TypeVar("T")


def main() -> None:
    """Measure for each number of recipients."""
    for recipients in [int(text) for text in sys.argv[1:]] or [1_000, 10_000]:
        with tempfile.TemporaryDirectory() as folder, sink() as port:
            milk_data.write(Path(folder), recipients, port)
            _compare(Path(folder), recipients, port)


def _compare(folder: Path, recipients: int, port: int) -> None:
    print(f"\n{recipients:,} recipients × {milk_data.ROWS} rows; ms per recipient")
    turns = [_script(folder, recipients, port, 0)]
    ours = _drawing(folder, min(recipients, 4 * _SAMPLE))
    found = {}
    for processes in (1, 2):
        found[processes] = _everything(folder, recipients, processes)
        turns.append(_script(folder, recipients, port, processes))
    script = {stage: sum(turn[stage] for turn in turns) / len(turns) for stage in turns[0]}
    print("  script, in three turns: " + ", ".join(f"{sum(turn.values()):.1f}" for turn in turns))
    for stage in ("PDF", "XLSX"):
        _line(f"{stage}, one process", script[stage], ours[stage])
    for processes, ms in found.items():
        _line(f"all, {processes} process{'es'[: 2 * (processes > 1)]}", sum(script.values()), ms)


def _everything(folder: Path, recipients: int, processes: int) -> float:
    """Milliseconds a recipient from the command to the last message."""
    prepare, peak, workers = _gonnet(folder, "prepare", "statements", "--processes", str(processes))
    send, _, _ = _gonnet(folder, "send", "last", "--yes", "--again")
    print(
        f"    prepare {prepare:.1f} s, send {send:.1f} s; peak {peak:.0f} MB, of a worker {workers:.0f} MB", flush=True
    )
    return 1000 * (prepare + send) / recipients


def _line(what: str, script: float, ours: float) -> None:
    print(f"  {what:<18} script {script:7.2f}   Gonnet {ours:7.2f}   ratio {script / ours:5.1f}", flush=True)


def _script(folder: Path, recipients: int, port: int, turn: int) -> dict[str, float]:
    """Milliseconds a recipient, by stage, over every so-manieth recipient; others in each turn."""
    seconds, farms = _timed(lambda: by_hand.read(folder))
    sample = farms[turn :: max(1, len(farms) // _SAMPLE)][:_SAMPLE]
    pdf, pdfs = _timed(lambda: [by_hand.pdf(*farm) for farm in sample])
    xlsx, books = _timed(lambda: [by_hand.xlsx(*farm) for farm in sample])
    files = [{"a.pdf": one, "a.xlsx": other} for one, other in zip(pdfs, books, strict=True)]
    mail, _ = _timed(lambda: [by_hand.mail(farm, parts, port) for (farm, _), parts in zip(sample, files, strict=True)])
    stages = {"PDF": pdf, "XLSX": xlsx, "mail": mail}
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
            found[form.upper()] = 1000 * (time.perf_counter() - began) / len(plans)
        run.engine.close()
    return found


def _gonnet(folder: Path, *arguments: str) -> tuple[float, float, float]:
    """Seconds, and the peaks of memory of its main process and of its largest other one, in MB."""
    began = time.perf_counter()
    process = subprocess.Popen(
        [sys.executable, "-m", "gonnet", *arguments, "--quiet", "--workspace", str(folder)],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )
    peaks: dict[int, float] = {}
    watch = threading.Thread(target=_watch, args=(process, peaks))
    watch.start()
    said, _ = process.communicate()
    watch.join()
    if process.returncode:
        raise RuntimeError(said)
    main = peaks.pop(process.pid, 0.0)
    return time.perf_counter() - began, main, max(peaks.values(), default=0.0)


def _watch(process: subprocess.Popen[str], peaks: dict[int, float]) -> None:
    while process.poll() is None:
        for pid in _family(process.pid):
            try:
                status = Path(f"/proc/{pid}/status").read_text("utf-8")
            except OSError:
                continue
            high = next((line for line in status.splitlines() if line.startswith("VmHWM")), "VmHWM: 0 kB")
            peaks[pid] = int(high.split()[1]) / 1000
        time.sleep(0.2)


def _family(pid: int) -> Iterator[int]:
    yield pid
    for task in Path(f"/proc/{pid}/task").glob("*/children"):
        try:
            children = task.read_text("utf-8").split()
        except OSError:
            continue
        for child in children:
            yield from _family(int(child))


def _timed(work: Callable[[], T]) -> tuple[float, T]:
    began = time.perf_counter()
    found = work()
    return time.perf_counter() - began, found


if __name__ == "__main__":
    main()
