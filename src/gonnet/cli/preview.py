"""`gonnet preview`."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.pipeline.preview import Sample


@click.command(short_help="Make a few packages to look at, without a run.")
@click.argument("job", shell_complete=_completing.jobs)
@_options.asked_options
@_options.only_option
@click.option("--first", type=click.IntRange(min=1), metavar="N", help="The first so many packages.")
@click.option(
    "--as",
    "form",
    type=click.Choice(["pdf", "xlsx", "html", "csv", "txt", "docx", "ods", "png"]),
    help="Only these; png makes page pictures.",
)
@click.option("--message", "with_message", is_flag=True, help="Print the messages too.")
@click.option(
    "--into",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path("preview"),
    metavar="FOLDER",
    help="Where the files go; by default the folder `preview`.",
)
@_options.workspace_option
@_options.json_option
def preview(
    job: str,
    asked: dict[str, str],
    as_of: dt.date | None,
    only: tuple[str, ...],
    first: int | None,
    form: str | None,
    with_message: bool,
    into: Path,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Make a few packages just as `prepare` would, into a folder. No run is recorded, and nobody is contacted.

    Without --only and --first it takes typical ones: the most rows, the fewest, the longest name, and one for each
    thing that can become of a package.

    \b
    Example:  gonnet preview statements --as png --message
    """
    from gonnet.cli import _open

    with _open.tools_at(workspace) as tools:
        from gonnet.jobs import load_job
        from gonnet.pipeline.preview import preview as make
        from gonnet.pipeline.survey import Request

        read = load_job(tools.workspace, job)
        request = Request(as_of=as_of or tools.today(), asked=_open.complete(read, tools, asked), only=only)
        samples = make(read, tools, request, first, form, into)
    if as_json:
        click.echo(json.dumps([_plain(sample) for sample in samples], ensure_ascii=False, indent=2))
    else:
        _tell(samples, into, with_message=with_message, job=job)
    return _exit.DONE


def _plain(sample: Sample) -> dict[str, object]:
    state, reason = sample.decision
    return {
        "key": sample.key,
        "name": sample.name,
        "why": sample.why,
        "state": state,
        "reason": reason,
        "files": [str(file) for file in sample.files],
        "subject": sample.subject,
        "message": sample.message,
    }


def _tell(samples: list[Sample], into: Path, *, with_message: bool, job: str) -> None:
    from gonnet.cli import _show

    for sample in samples:
        state, reason = sample.decision
        why = f" ({sample.why})" if sample.why else ""
        _show.stated(state, f"{sample.key}  {sample.name}{why}" + (f": {reason}" if reason else ""))
        for file in sample.files:
            _show.line(f"           {file}")
        if with_message and sample.subject:
            _show.line(f"           {sample.subject}", "bold")
            for line in sample.message.rstrip().split("\n"):
                _show.line(f"           {line}")
            _show.line()
    count = sum(len(sample.files) for sample in samples)
    _show.line(f"{_show.many(count, 'file')} in {into}; no run was recorded.")
    _show.next_steps((typed("prepare", job), "make every package; contacts nobody"))
