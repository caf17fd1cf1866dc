"""`gonnet run`."""

from __future__ import annotations

import datetime as dt
import sys
from pathlib import Path

import click

from gonnet.cli import _completing, _options


@click.command(short_help="Prepare and send in one go.")
@click.argument("job", shell_complete=_completing.jobs)
@_options.asked_options
@_options.only_option
@_options.extra_option
@_options.again_option
@_options.copy_option
@_options.workspace_option
@_options.yes_option
@_options.json_option
@_options.quiet_option
def run(
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    extra: bool,
    again: bool,
    from_copy: bool,
    workspace: Path | None,
    yes: bool,
    as_json: bool,
    quiet: bool,
) -> int:
    """Prepare a run and send what is ready of it; asks in between.

    \b
    Example:  gonnet run statements --set period=2026-10 --yes
    """
    from gonnet.cli import _open, _work

    with _open.tools_at(workspace) as tools:
        from gonnet.cli._sending import Terminal
        from gonnet.pipeline.run import run as run_job
        from gonnet.pipeline.send import Wish

        extra = extra or (bool(only) and not yes and _is_extra())
        read, request = _work.requested(tools, job, asked, as_of, only, extra=extra)
        wish = Wish(again=again, from_copy=from_copy)
        with Terminal(tools, yes=yes, as_json=as_json, quiet=quiet) as it:
            return it.came(run_job(read, tools, request, wish, it.preparing, it.show, it.ask, it.tell))


def _is_extra() -> bool:
    """Ask at a terminal whether a run for some keys alone is one beside the regular run."""
    question = "Only some keys: is it an extra run, beside the regular one? Else they count as sent"
    return sys.stdin.isatty() and click.confirm(question, default=True, err=True)
