"""`gonnet runs`."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _options

if TYPE_CHECKING:
    from gonnet.ledger import RunRecord


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
        every = tools.ledger.all_runs()
    found = [run for run in every if job in (None, run.job) and (not state or any(s in state for s in run.counts))]
    if as_csv:
        from gonnet.pipeline.lists import every_run

        click.echo(every_run(found).replace("\r\n", "\n"), nl=False)
    elif as_json:
        objects = [{k: v for k, v in _report.run_object(run, ()).items() if k != "packages"} for run in found]
        click.echo(json.dumps({"runs": objects}, ensure_ascii=False, indent=2))
    elif found:
        _list(found)
    elif every:
        _show.line(f"None of {_show.many(len(every), 'run')} fits; `gonnet runs` lists them all.")
    else:
        _show.line("There is no run yet.")
        _show.next_steps(("gonnet prepare JOB", "makes one"))
    return 0


def _list(found: Sequence[RunRecord]) -> None:
    from gonnet.cli import _report, _show

    table = _show.table(
        ("Run", "key"), "Job", "Parameters", "Prepared", ("Packages", "wrap"), ("Rows", "right"), "Reviewed"
    )
    for run in found:
        parameters = ", ".join(f"{name} {value}" for name, value in run.parameters.items())
        packages = _report.states(run) if str(run.state) == "prepared" else str(run.state)
        reviewed = "yes" if run.reviewed else "no"
        when = f"{run.prepared.astimezone():%Y-%m-%d %H:%M}"
        cells = (str(run.id), run.job, parameters, when, packages, f"{_report.rows_of(run)['read']:,}", reviewed)
        _show.rows(table, [cells])
    _show.show(table, least=("Reviewed", "Rows", "Parameters", "Prepared", "Job"))
