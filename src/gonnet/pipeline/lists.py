"""Hand-overs and runs as CSV, for spreadsheets: what a spreadsheet would run stays text."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.wording.harmless import as_cell


def every_hand_over(packages: Sequence[PackageRecord]) -> str:
    """Every hand-over of some packages as CSV; one line for a package without any."""
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\r\n")
    writer.writerow(("state", "key", "name", "what", "to", "hand_over", "answer", "at", "reason"))
    for package in packages:
        head = (package.came_to, package.key, package.name)
        parts = [(str(part.kind), str(part), str(part.state), part.answer, part.at) for part in package.hand_overs]
        for what, to, state, answer, at in parts or [("", "", "", "", None)]:
            when = at.isoformat(timespec="seconds") if at is not None else ""
            writer.writerow([as_cell(cell) for cell in (*head, what, to, state, answer, when, package.reason)])
    return target.getvalue()


def every_run(runs: Sequence[RunRecord]) -> str:
    """Every run as a line of CSV: what it was, and how many packages are in each state."""
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\r\n")
    states = [str(state) for state in State]
    writer.writerow(("run", "job", "period", "as_of", "prepared", "is", "reviewed", *states))
    for run in runs:
        reviewed = run.reviewed.isoformat(timespec="seconds") if run.reviewed else ""
        when = run.prepared.isoformat(timespec="seconds")
        head = (str(run.id), run.job, run.period, run.as_of.isoformat(), when, str(run.state), reviewed)
        counts = (str(run.counts.get(state, 0)) for state in State)
        writer.writerow([as_cell(cell) for cell in (*head, *counts)])
    return target.getvalue()
