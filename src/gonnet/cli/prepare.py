"""`gonnet prepare`."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import click

from gonnet.cli import _completing, _exit, _options


@click.command(short_help="Make every recipient's package. Contacts nobody.")
@click.argument("job", shell_complete=_completing.jobs)
@_options.asked_options
@_options.only_option
@_options.extra_option
@_options.once_options
@click.option("--processes", type=click.IntRange(1, 64), help="How many processes draw; by default one for each core.")
@click.option("--workers", metavar="URL", default="", help="The scheduler of a Dask cluster whose workers draw.")
@click.option("--unguarded", is_flag=True, help="Prepare even if the job's guard would hold the whole run.")
@_options.workspace_option
@_options.json_option
@_options.quiet_option
def prepare(
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    extra: bool,
    form: str | None,
    language: str | None,
    paper: str | None,
    landscape: bool,
    processes: int | None,
    workers: str,
    unguarded: bool,
    workspace: Path | None,
    as_json: bool,
    quiet: bool,
) -> int:
    """Make every recipient's package: split, decide, draw, check, seal. Contacts nobody.

    With --as, --language, --paper and --landscape this run is otherwise than the job says, just this once.

    \b
    Example:  gonnet prepare statements --set period=2026-10
              gonnet prepare statements --workers tcp://10.0.0.5:8786
              gonnet prepare statements --extra --only 'B1*' --as csv
    """
    from gonnet.cli import _open

    if workers and processes is not None:
        raise click.UsageError("--processes is for this machine, --workers for a cluster; keep one")
    with _open.tools_at(workspace, processes, workers) as tools:
        from gonnet.cli import _work
        from gonnet.jobs.once import Once

        once = Once(format=form, language=language, paper=paper, landscape=landscape)
        wanted = _work.requested(tools, job, asked, as_of, only, extra=extra, guarded=not unguarded, once=once)
        found = _work.prepared(tools, wanted, as_json=as_json, quiet=quiet)
        return found and _exit.ATTENTION
