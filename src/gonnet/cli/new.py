"""`gonnet new`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _options
from gonnet.errors import typed

_FILE = click.Path(dir_okay=False, path_type=Path)


@click.command(short_help="Write a job for a table of your own.")
@click.argument("name")
@click.option("--rows", required=True, type=_FILE, metavar="FILE", help="The table: CSV, TSV, Parquet or XLSX.")
@click.option("--by", required=True, metavar="COLUMN", help="The column that says whose row it is.")
@click.option("--recipients", type=_FILE, metavar="FILE", help="The list of who receives.")
@click.option("--to", metavar="COLUMN", help="Its column with the addresses.")
@_options.workspace_option
def new(name: str, rows: Path, by: str, recipients: Path | None, to: str | None, workspace: Path | None) -> int:
    """Look at a table of your own and write the job NAME for it, which runs at once.

    If there is no workspace yet, this folder becomes one.

    \b
    Example:  gonnet new milk --rows collections.csv --by farm_no
              gonnet new milk --rows collections.csv --by farm_no --recipients members.xlsx --to email
    """
    from gonnet.cli import _show
    from gonnet.errors import JobError
    from gonnet.jobs import find_workspace
    from gonnet.pipeline.start import start

    if (recipients is None) != (to is None):
        raise click.UsageError("--recipients and --to go together")
    try:
        folder = workspace or find_workspace(Path.cwd())
    except JobError:
        folder = Path.cwd()
    made = start(folder, name, rows, by, recipients, to)
    if made.workspace is not None:
        _show.line(f"{_shown(made.workspace)} makes this folder a workspace.")
    _show.line(
        f"{_shown(made.job)} splits {_show.many(made.rows, 'row')} by '{by}' for {_show.many(made.keys, 'recipient')}.",
        "bold",
    )
    if made.list_key is not None:
        _show.line(f"The list's column '{made.list_key}' knows {made.matched:,} of the {made.keys:,} keys.")
    _show.next_steps(
        (typed("prepare", name), "make every package; contacts nobody"),
        ("gonnet review --into look", "see the list, and put the documents into the folder `look`"),
        (_shown(made.job), "change labels, formats and texts to your liking"),
    )
    return 0


def _shown(path: Path) -> str:
    here = Path.cwd()
    return str(path.relative_to(here) if path.is_relative_to(here) else path)
