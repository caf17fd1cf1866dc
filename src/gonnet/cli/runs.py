"""`gonnet runs`."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _options

if TYPE_CHECKING:
    from rich.text import Text

    from gonnet.ledger import RunRecord
    from gonnet.ledger.calendar import OccurrenceRecord


@click.command(short_help="List the runs there were.")
@click.option("--job", metavar="NAME", help="Only runs of this job.")
@click.option("--state", multiple=True, type=click.Choice(_options.STATES), help="Only runs with such packages.")
@click.option("--csv", "as_csv", is_flag=True, help="Print a line of CSV for each run and nothing else.")
@_options.workspace_option
@_options.json_option
def runs(job: str | None, state: tuple[str, ...], as_csv: bool, workspace: Path | None, as_json: bool) -> int:
    """List the runs there were, the newest first.

    \b
    Example:  gonnet runs
              gonnet runs --job statements --state failed --state unsure
    """
    from gonnet.cli import _open, _report, _show

    with _open.tools_at(workspace) as tools:
        from gonnet.pipeline.due.overview import never_run

        every, failed = tools.ledger.all_runs(), () if state else never_run(tools, job)
        zone = tools.workspace.zone
    found = [run for run in every if job in (None, run.job) and (not state or any(s in state for s in run.counts))]
    if as_csv:
        from gonnet.pipeline.lists import every_run

        click.echo(every_run(found).replace("\r\n", "\n"), nl=False)
    elif as_json:
        from gonnet.cli._due import occurrence_object

        objects = [{k: v for k, v in _report.run_object(run, ()).items() if k != "packages"} for run in found]
        more = [occurrence_object(one) for one in failed]
        click.echo(json.dumps({"runs": objects, "never_run": more}, ensure_ascii=False, indent=2))
    elif found or failed:
        _list(found, failed, zone)
    elif every:
        _show.line(f"None of {_show.many(len(every), 'run')} fits; `gonnet runs` lists them all.")
    else:
        _show.line("There is no run yet.")
        _show.next_steps(("gonnet prepare JOB", "makes one"))
    return 0


def _list(found: Sequence[RunRecord], failed: Sequence[OccurrenceRecord], zone: dt.tzinfo) -> None:
    """Runs, and what was due and never came to one, the newest first."""
    from gonnet.cli import _show

    table = _show.table(
        ("Run", "key"), "Job", "Parameters", "Prepared", ("Packages", "wrap"), ("Rows", "right"), "Reviewed"
    )
    lines = [(run.prepared, _run_cells(run, zone)) for run in found]
    lines += [(one.due, _failed_cells(one, zone)) for one in failed]
    for _, cells in sorted(lines, key=lambda line: line[0], reverse=True):
        _show.rows(table, [cells])
    _show.show(table, least=("Reviewed", "Rows", "Parameters", "Prepared", "Job"))


def _run_cells(run: RunRecord, zone: dt.tzinfo) -> list[Text | str]:
    from gonnet.cli import _report, _show

    parameters = ", ".join(f"{name} {value}" for name, value in run.parameters.items())
    if str(run.purpose) != "regular":
        parameters = f"{parameters} ({'extra' if str(run.purpose) == 'extra' else 'a rehearsal'})".strip()
    packages: Text | str = _report.states(run)
    if str(run.state) != "prepared":
        packages = _show.state("failed", f"{run.state}" + (f": {run.reason}" if run.reason else ""))
    when, rows = f"{run.prepared.astimezone(zone):%Y-%m-%d %H:%M}", f"{_report.rows_of(run)['read']:,}"
    return [str(run.id), run.job, parameters, when, packages, rows, "yes" if run.reviewed else "no"]


def _failed_cells(one: OccurrenceRecord, zone: dt.tzinfo) -> list[Text | str]:
    from gonnet.cli import _show

    said = _show.state("failed", f"{one.state}: {one.reason}")
    return ["–", one.job, f"({one.entry})", f"{one.due.astimezone(zone):%Y-%m-%d %H:%M}", said, "", ""]
