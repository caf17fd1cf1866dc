"""`gonnet new`."""

from __future__ import annotations

from pathlib import Path

import click

from gonnet.cli import _options
from gonnet.errors import typed

_FILE = click.Path(dir_okay=False, path_type=Path)


@click.command(short_help="Write a job for a table of your own.")
@click.argument("name")
@click.option("--rows", type=_FILE, metavar="FILE", help="The table: CSV, TSV, Parquet or XLSX.")
@click.option("--by", metavar="COLUMN", help="The column that says whose row it is.")
@click.option("--recipients", type=_FILE, metavar="FILE", help="The list of who receives.")
@click.option("--to", metavar="COLUMN", help="Its column with the addresses.")
@click.option("--like", metavar="JOB", help="Another job that this one is like, but for one criterion.")
@_options.set_option
@click.option("--where", metavar="SQL", help="With --like: for whom it is, such as recipient.region = 'north'.")
@_options.workspace_option
def new(
    name: str,
    rows: Path | None,
    by: str | None,
    recipients: Path | None,
    to: str | None,
    like: str | None,
    asked: dict[str, str],
    where: str | None,
    workspace: Path | None,
) -> int:
    """Look at a table of your own and write the job NAME for it, which runs at once.

    If there is no workspace yet, this folder becomes one.

    \b
    Example:  gonnet new milk --rows collections.csv --by farm_no
              gonnet new milk --rows collections.csv --by farm_no --recipients members.xlsx --to email
              gonnet new north --like statements --where "recipient.region = 'north'"
    """
    if like is not None:
        return _like(name, like, asked, where, workspace, is_alone=rows is None and by is None)
    if rows is None or by is None:
        raise click.UsageError("say which table and which column: --rows FILE --by COLUMN; or --like JOB")
    if asked or where is not None:
        raise click.UsageError("--set and --where go with --like")
    from gonnet.cli import _show
    from gonnet.errors import JobError
    from gonnet.jobs import find_workspace
    from gonnet.pipeline.starting.table import start

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


def _like(
    name: str, like: str, asked: dict[str, str], where: str | None, workspace: Path | None, *, is_alone: bool
) -> int:
    from gonnet.cli import _open, _show
    from gonnet.pipeline.starting.alike import start_like

    if not is_alone:
        raise click.UsageError("--like takes the table and its column from the other job: leave out --rows and --by")
    place = start_like(_open.workspace_at(workspace).folder, name, like, asked, where)
    _show.line(f"{_shown(place)} is like {like}; what it does not say itself is as there.", "bold")
    _show.next_steps(
        (typed("check", name), "the job and its data"), (typed("prepare", name), "make every package; contacts nobody")
    )
    return 0


def _shown(path: Path) -> str:
    here = Path.cwd()
    return str(path.relative_to(here) if path.is_relative_to(here) else path)
