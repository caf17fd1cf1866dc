"""`gonnet resume`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _completing, _options


@click.command(short_help="Let the calendar run a paused job again.")
@click.argument("job", shell_complete=_completing.jobs)
@_options.workspace_option
def resume(job: str, workspace: Path | None) -> int:
    """Let the calendar run a paused job again, from now on.

    \b
    Example:  gonnet resume statements
    """
    from gonnet.cli import _open, _show

    with _open.tools_at(workspace) as tools:
        from gonnet.pipeline.due.pausing import resume as resume_job

        resume_job(job, tools)
    _show.line(f"{job} runs again by its calendar.")
    _show.next_steps((f"gonnet due {job}", "see when"))
    return 0
