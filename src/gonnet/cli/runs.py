"""`gonnet runs`."""

from __future__ import annotations

import json
from pathlib import Path

import click

from gonnet.cli import _options


@click.command(short_help="List the runs there were.")
@_options.workspace_option
@_options.json_option
def runs(workspace: Path | None, as_json: bool) -> int:
    """List the runs there were, the newest first.

    \b
    Example:  gonnet runs
    """
    from gonnet.cli import _open, _report, _show

    with _open.tools_at(workspace) as tools:
        found = tools.ledger.all_runs()
    if as_json:
        objects = [{k: v for k, v in _report.run_object(run, ()).items() if k != "packages"} for run in found]
        click.echo(json.dumps({"runs": objects}, ensure_ascii=False, indent=2))
        return 0
    if not found:
        _show.line("There is no run yet.")
        _show.next_steps(("gonnet prepare JOB", "makes one"))
        return 0
    table = _show.table(
        ("Run", "right"), "Job", "Parameters", "Prepared", ("Packages", "wrap"), ("Rows", "right"), "Reviewed"
    )
    for run in found:
        parameters = ", ".join(f"{name} {value}" for name, value in run.parameters.items())
        packages = _report.states(run) if str(run.state) == "prepared" else str(run.state)
        reviewed = "yes" if run.reviewed else "no"
        when = f"{run.prepared.astimezone():%Y-%m-%d %H:%M}"
        cells = (str(run.id), run.job, parameters, when, packages, f"{_report.rows_of(run)['read']:,}", reviewed)
        _show.rows(table, [cells])
    _show.show(table)
    return 0
