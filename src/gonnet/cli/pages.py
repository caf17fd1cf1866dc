"""`gonnet pages`."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _completing, _exit, _options

if TYPE_CHECKING:
    from gonnet.arrivals.looking import Looked
    from gonnet.pipeline.pages import Viewed

_SHOWN = 12
_UNMARKED = {"follow": "(follows)", "refuse": "(none: a mistake)", "leave out": "(none: left out)"}


@click.command(short_help="Try out whose the pages of an arrival are.")
@click.argument("job", shell_complete=_completing.jobs)
@click.argument("arrival", required=False)
@click.option("--page", "number", type=click.IntRange(min=1), metavar="N", help="One page, with its words and places.")
@click.option("--lines", type=click.IntRange(1, 500), default=_SHOWN, show_default=True, help="So many pages.")
@click.option(
    "--picture",
    "into",
    type=click.Path(path_type=Path, file_okay=False),
    metavar="DIR",
    help="Write pictures of the pages, with the places of the job drawn in.",
)
@_options.workspace_option
@_options.json_option
def pages(
    job: str,
    arrival: str | None,
    number: int | None,
    lines: int,
    into: Path | None,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Show which key the first pages of a run say, or the words of one page with their places in millimetres; of a
    print file, its lines with their numbers and columns.

    With it you try out the pattern and the place of `key` and of the values under `read`: nothing is cut or kept.

    \b
    Example:  gonnet pages certificates --page 1 --picture look
    """
    from gonnet.cli import _open, _show
    from gonnet.jobs import load_job
    from gonnet.pipeline.pages import view_pages

    place = _open.workspace_at(workspace)
    found = view_pages(load_job(place, job), place, arrival, number, lines, into)
    if as_json:
        click.echo(json.dumps(_as_json(found), ensure_ascii=False, indent=1))
        return _exit.DONE
    _list(found)
    if found.lines:
        _lines(found)
    elif number is not None:
        _words(found)
    for path in found.pictures:
        _show.line(f"{path} is written.")
    return _exit.DONE


def _list(found: Viewed) -> None:
    from gonnet.cli import _show

    has_place = found.spec.key.within is not None
    table = _show.table(("Page", "right"), ("Key", "key"), *(["In its place"] if has_place else []), *found.spec.read)
    for page in found.pages:
        cells = [str(page.number), _key(page, found.spec.unmarked), *([page.in_place or "–"] if has_place else [])]
        _show.rows(table, [(*cells, *(page.values.get(name, "–") for name in found.spec.read))])
    _show.show(table)
    last = found.pages[-1]
    _show.line(f"{last.file} has {_show.many(last.of, 'page')}.", "bright_black")


def _key(page: Looked, unmarked: str) -> str:
    if page.is_left_out:
        return "(left out)"
    if not page.keys:
        return "(a picture only)" if page.is_picture else _UNMARKED[unmarked]
    return " ! ".join(page.keys[:3]) + (f" ! {len(page.keys) - 3} more" if len(page.keys) > 3 else "")


def _words(found: Viewed) -> None:
    from gonnet.cli import _show

    table = _show.table("Word", *((name, "right") for name in ("Left", "Top", "Width", "Height")))
    for word in found.words:
        _show.rows(table, [(word.text, *(f"{part:.1f}" for part in word[1:]))])
    _show.show(table)
    _show.line("In millimetres, from the upper left corner of the page as it is seen.", "bright_black")


def _lines(found: Viewed) -> None:
    """The lines of a page of text, each with its number, below a ruler of its columns."""
    width = max(map(len, found.lines))
    ruler = "".join(f"{at:>10}" for at in range(10, width + 10, 10))
    click.echo(f"\n      {ruler}")
    for number, line in enumerate(found.lines, 1):
        click.echo(f"{number:>4}  {line}".rstrip())


def _as_json(found: Viewed) -> dict[str, object]:
    return {
        "arrival": found.name,
        "pages": [
            {
                "file": page.file,
                "page": page.number,
                "keys": list(page.keys),
                "in_place": page.in_place,
                "left_out": page.is_left_out,
                "picture": page.is_picture,
                "values": page.values,
            }
            for page in found.pages
        ],
        "words": [word._asdict() for word in found.words],
        "lines": list(found.lines),
        "pictures": [str(path) for path in found.pictures],
    }
