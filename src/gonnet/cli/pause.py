"""`gonnet pause`."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import click

from gonnet.cli import _completing, _options
from gonnet.errors import typed


@click.command(short_help="Let the calendar leave a job alone.")
@click.argument("job", shell_complete=_completing.jobs)
@click.option("--why", required=True, metavar="TEXT", help="The reason, for the record.")
@click.option("--until", metavar="DATE", callback=_options.as_date, help="The first day on which it runs again.")
@_options.workspace_option
def pause(job: str, why: str, until: dt.date | None, workspace: Path | None) -> int:
    """Let the calendar leave a job alone, until a day or until `gonnet resume`. It can still be run by hand.

    What comes due in between is not made up for afterwards.

    \b
    Example:  gonnet pause statements --why "new prices are not in yet" --until 2026-12-14
    """
    from gonnet.cli import _open, _show

    with _open.tools_at(workspace) as tools:
        from gonnet.pipeline.due.pausing import pause as pause_job

        pause_job(job, until, why, tools)
    _show.line(f"{job} is paused{f' until {until}' if until else ''}: {why}")
    _show.next_steps((typed("resume", job), "let the calendar run it again"))
    return 0
