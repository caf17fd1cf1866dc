"""`gonnet schema`."""

from __future__ import annotations

from pathlib import Path
from typing import cast

import click

from gonnet import schemas
from gonnet.cli import _exit, _options


@click.command(short_help="Print what editors need to know of job files.")
@click.argument("kind", metavar="[job|workspace]", type=click.Choice(schemas.KINDS), default="job")
@click.option("--write", is_flag=True, help="Write both into the workspace, where `new` and `demo` put them.")
@_options.workspace_option
def schema(kind: str, write: bool, workspace: Path | None) -> int:
    """Print the schema of job files, or of gonnet.yaml: every key with a sentence and an example.

    It is JSON Schema, draft 2020-12. With it an editor proposes keys, explains them and marks mistakes while you type.
    Files that `new` and `demo` write say in their first line where their schema is. After an update of Gonnet, write
    the schemas anew.

    \b
    Example:  gonnet schema --write
    """
    from gonnet.cli import _open, _show

    if not write:
        click.echo(schemas.text_of(cast("schemas.Kind", kind)), nl=False)
        return _exit.DONE
    folder = _open.workspace_at(workspace).folder
    for path in schemas.write(folder):
        _show.line(f"{path.relative_to(folder)} is written.")
    _show.line("A job finds its schema by this first line:", "bright_black")
    _show.line(f"  {schemas.marked('job', '').strip()}")
    return _exit.DONE
