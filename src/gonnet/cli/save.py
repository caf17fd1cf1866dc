"""`gonnet save`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _by_hand, _completing, _exit, _options


@click.command(short_help="Save the documents of packages, as they were made.")
@_by_hand.run_argument
@click.argument("keys", metavar="KEY...", nargs=-1, required=True, shell_complete=_completing.keys)
@click.option(
    "--into",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path(),
    metavar="FOLDER",
    help="Where they go; by default this folder.",
)
@_options.workspace_option
def save(run_id: str, keys: tuple[str, ...], into: Path, workspace: Path | None) -> int:
    """Save the documents of packages, byte for byte as they were made; each is checked against its digest.

    A file of the same name that is another one is never written over.

    \b
    Example:  gonnet save 3 00042 --into desk
    """
    from gonnet.cli import _files, _open, _show
    from gonnet.pipeline.reviewing.selecting import Selection, selected

    with _open.tools_at(workspace) as tools:
        run = tools.ledger.run(run_id)
        for place in _files.copied(tools, selected(run, tools, Selection(keys=keys)), into, over=False):
            _show.line(f"{place}")
    return _exit.DONE
