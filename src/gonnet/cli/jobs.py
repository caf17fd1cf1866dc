"""`gonnet jobs`."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from gonnet.cli import _exit, _options

if TYPE_CHECKING:
    from gonnet.pipeline.due.overview import JobView
    from gonnet.pipeline.tools import Tools


@click.command(short_help="List the jobs: when each runs next, and how it went.")
@click.option("--tag", multiple=True, metavar="TAG", help="Only jobs with this tag; you can give it several times.")
@click.option(
    "--find", default="", metavar="TEXT", help="Only jobs with this in name, title, text, tags or recipients."
)
@_options.workspace_option
@_options.json_option
def jobs(tag: tuple[str, ...], find: str, workspace: Path | None, as_json: bool) -> int:
    """List the jobs: title, tags, when each runs next by its calendar, its last run and what came of it.

    \b
    Example:  gonnet jobs
              gonnet jobs --tag month-end
              gonnet jobs --find "Zoë's Dairy"
    """
    from gonnet.cli import _open, _show

    with _open.tools_at(workspace) as tools:
        from gonnet.pipeline.due.calendars import Calendars
        from gonnet.pipeline.due.overview import every_job

        found = every_job(Calendars(tools), tag, find)
        if as_json:
            click.echo(json.dumps({"jobs": [_object(one) for one in found]}, ensure_ascii=False, indent=2))
        elif found:
            _list(found, tools)
        else:
            _show.line("No job fits." if tag or find else "There is no job yet.")
            _show.next_steps(("gonnet new NAME --rows FILE --by COLUMN", "write one for a table of yours"))
    return _exit.ATTENTION if any(one.trouble is not None for one in found) else _exit.DONE


def _list(found: Sequence[JobView], tools: Tools) -> None:
    from gonnet.cli import _due, _show

    table = _show.table(("Job", "key"), ("Title", 34), "Tags", "Next", "Last run", ("Came to", "wrap"))
    for one in found:
        coming = _due.when(one.next.at, tools) if one.next is not None and one.next.at is not None else ""
        if one.pause is not None:
            until = f" until {one.pause.until}" if one.pause.until else ""
            coming = f"paused{until}"
        last = _due.when(one.last.prepared, tools) if one.last is not None else ""
        last = _due.when(one.failed.due, tools) if one.failed is not None else last
        style, text = _came_to(one)
        cells: list[Any] = [one.name, one.title, ", ".join(one.tags), coming, last, _show.state(style, text)]
        _show.rows(table, [cells])
    _show.show(table, least=("Tags", "Title"))


def _came_to(one: JobView) -> tuple[str, str]:
    """The style and the words of what the last run came to."""
    from gonnet.cli import _report
    from gonnet.pipeline.attention import wants_attention

    if one.trouble is not None:
        return "failed", f"its file is broken: {one.trouble.where}: {one.trouble.what}"
    if one.failed is not None:
        return "failed", f"{one.failed.state}: {one.failed.reason}"
    if one.last is None:
        return "", "never run"
    if str(one.last.state) != "prepared":
        return "failed", f"run {one.last.id} {one.last.state}" + (f": {one.last.reason}" if one.last.reason else "")
    style = "attention" if wants_attention(one.last) else ""
    return style, f"run {one.last.id}: {_report.states(one.last)}"


def _object(one: JobView) -> dict[str, Any]:
    style, text = _came_to(one)
    return {
        "job": one.name,
        "title": one.title,
        "about": one.about,
        "tags": list(one.tags),
        "next": one.next.at.isoformat() if one.next is not None and one.next.at is not None else None,
        "stands": str(one.next.standing) if one.next is not None else None,
        "paused": one.pause is not None,
        "last_run": one.last.id if one.last is not None else None,
        "came_to": text,
        "is_wrong": style in ("failed", "attention"),
    }
