"""`gonnet tidy`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _exit, _options


@click.command(short_help="Remove the documents of old runs.")
@_options.workspace_option
@click.option("--yes", is_flag=True, help="Do not ask before removing.")
def tidy(workspace: Path | None, yes: bool) -> int:
    """Remove documents and messages of runs that are older than their job says (`keep: 13 months`). Asks first.

    What was read of large data files and kept for the next command goes too. The record stays: which runs there were,
    who got what and when. What may still leave or is in doubt stays too.

    \b
    Example:  gonnet tidy
    """
    from gonnet.cli import _open, _show
    from gonnet.pipeline.tidy import look_round
    from gonnet.pipeline.tidy import tidy as remove

    with _open.tools_at(workspace) as tools:
        found = look_round(tools)
        table = _show.table(("Run", "key"), "Job", "Prepared", ("Files", "right"), ("Size", "right"))
        for run, (count, size) in found.runs.items():
            broken = "aborted" if run.is_aborted else f"{run.prepared:%Y-%m-%d}"
            _show.rows(table, [(str(run.id), run.job, broken, f"{count:,}", _show.size(size))])
        if found.runs:
            _show.show(table)
        if found.strays[0]:
            _show.line(f"And {_show.many(found.strays[0], 'file')} that no run needs, {_show.size(found.strays[1])}.")
        for run, count in found.waiting.items():
            many = _show.many(count, "package")
            what = f"! run {run.id}: {many} may still leave or are in doubt, and keep their files; skip or settle them"
            _show.console().print(_show.state("attention", what), soft_wrap=True)
        if found.readings:
            size = sum(path.stat().st_size for path in found.readings)
            _show.line(f"And {_show.many(len(found.readings), 'reading')} of data files, {_show.size(size)}.")
        files = len(found.digests) + len(found.readings)
        if not files:
            _show.line("There is nothing to remove.")
            return _exit.ATTENTION if found.waiting else _exit.DONE
        if not _show.confirmed(f"Remove {_show.many(files, 'file')}? The record stays.", yes=yes):
            _show.line("Nothing was removed.")
            return _exit.WRONG
        remove(found, tools)
        _show.line(f"{_show.many(files, 'file')} removed.")
    return _exit.ATTENTION if found.waiting else _exit.DONE
