"""`gonnet run`."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import click

from gonnet.cli import _options


@click.command(short_help="Prepare and send in one go.")
@click.argument("job")
@_options.asked_options
@_options.only_option
@_options.again_option
@_options.workspace_option
@_options.yes_option
@_options.json_option
@_options.quiet_option
def run(
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    again: bool,
    workspace: Path | None,
    yes: bool,
    as_json: bool,
    quiet: bool,
) -> int:
    """Prepare a run and send what is ready of it; asks in between.

    \b
    Example:  gonnet run statements --set period=2026-10 --yes
    """
    from gonnet.cli import _open

    with _open.tools_at(workspace) as tools:
        from gonnet.cli import _work

        made = _work.prepare_run(tools, job, asked, as_of, only, quiet=quiet or as_json)
        if not as_json:
            _work.summary(tools, made, quiet=quiet)
        return _work.sent(tools, made, (), again=again, yes=yes, as_json=as_json, quiet=quiet)
