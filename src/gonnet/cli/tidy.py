"""`gonnet tidy`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _exit, _options


@click.command(short_help="Remove the documents of old runs.")
@click.option("--recipient", metavar="KEY", help="Remove what there is of one recipient, on their request.")
@_options.workspace_option
@click.option("--yes", is_flag=True, help="Do not ask before removing.")
def tidy(recipient: str | None, workspace: Path | None, yes: bool) -> int:
    """Remove documents and messages of runs that are older than their job says (`keep: 13 months`). Asks first.

    What was read of large data files and kept for the next command goes too. The record stays: which runs there were,
    who got what and when. What may still leave or is in doubt stays too.

    With --recipient the documents and messages of one key go, whatever their age, and its name, addresses and figures
    out of the record. Counts, digests and the chain of events stay true: `gonnet verify` still finds the record whole.

    \b
    Example:  gonnet tidy
              gonnet tidy --recipient 00117
    """
    if recipient is not None:
        return _forgotten(recipient, workspace, yes=yes)
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


def _forgotten(key: str, workspace: Path | None, *, yes: bool) -> int:
    """Remove what there is of one recipient."""
    from gonnet.cli import _open, _show
    from gonnet.pipeline.record.forgetting import forget, look_for

    with _open.tools_at(workspace) as tools:
        found = look_for(tools, key)
        table = _show.table(("Run", "key"), "State", ("Documents", "right"), ("Messages", "right"))
        for run, packages in found.known.packages.items():
            lines = [(str(run), one.came_to, str(len(one.documents)), str(len(one.messages))) for one in packages]
            _show.rows(table, lines)
        _show.show(table)
        _show.names("Not in what is removed", found.elsewhere)
        many = f"{_show.many(len(found.known.all), 'package')} and {_show.many(len(found.digests), 'file')}"
        if not _show.confirmed(f"Remove what there is of {key} in {many}? It cannot be undone.", yes=yes):
            _show.line("Nothing was removed.")
            return _exit.WRONG
        forget(found, tools)
        _show.line(f"Removed: name, addresses and figures of {many}. Counts stay; `gonnet verify` compares the record.")
    return _exit.DONE
