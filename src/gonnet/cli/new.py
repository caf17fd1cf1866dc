"""`gonnet new`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from gonnet.cli import _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.jobs.sources import FileDataSet
    from gonnet.pipeline.starting.table import Asked, Started

_FILE = click.Path(dir_okay=False, path_type=Path)


@click.command(short_help="Write a job for a table of your own.")
@click.argument("name", required=False)
@click.option("--rows", type=_FILE, metavar="FILE", help="The table: a file of any kind that Gonnet reads.")
@click.option("--sheet", metavar="NAME", help="Its sheet; found when you leave it out.")
@click.option("--header", type=click.IntRange(min=0), metavar="N", help="The row with the names; found as well.")
@click.option("--encoding", metavar="NAME", help="How a text file is encoded; found where only one is possible.")
@click.option("--database", metavar="NAME|URL", help="A database instead; without a table it lists them.")
@click.option("--table", metavar="TABLE", help="Its table.")
@click.option("--query", metavar="SQL", help="A query to it.")
@click.option("--pages", type=_FILE, metavar="PDF", help="A run of pages that another system made for many.")
@click.option("--by", multiple=True, metavar="COLUMN", help="The column that says whose row it is; or several.")
@click.option("--recipients", type=_FILE, metavar="FILE", help="The list of who receives.")
@click.option("--recipients-query", metavar="SQL", help="The query for that list.")
@click.option("--to", metavar="COLUMN", help="The column with the addresses, of the list or of the rows themselves.")
@click.option("--list", "kept", type=_FILE, metavar="FILE.xlsx", help="A list to fill in, for people without SQL.")
@click.option("--like", metavar="JOB", help="Another job that this one is like, but for one criterion.")
@_options.set_option
@click.option("--where", metavar="SQL", help="With --like: for whom it is, such as recipient.region = 'north'.")
@_options.workspace_option
def new(
    name: str | None,
    kept: Path | None,
    like: str | None,
    asked: dict[str, str],
    where: str | None,
    workspace: Path | None,
    **said: Any,  # noqa: ANN401  the options that say which table it is
) -> int:
    """Look at a table of your own and write the job NAME for it, which runs at once.

    At a terminal, without options, it asks step by step. If there is no workspace yet, this folder becomes one.

    With --list it writes a workbook instead, in which people keep who gets what; with the choices of the job NAME,
    where you name one that is there.

    \b
    Example:  gonnet new
              gonnet new milk --rows collections.csv --by farm_no --recipients members.xlsx --to email
              gonnet new milk --database sqlite:///dairy.db --table collections --by farm_no
              gonnet new certificates --pages run.pdf --recipients members.xlsx --to email
              gonnet new statements --list data/readers.xlsx
              gonnet new north --like statements --where "recipient.region = 'north'"
    """
    if kept is not None:
        return _list(kept, name, asked, workspace, is_alone=not (any(said.values()) or like or where))
    if like is not None:
        return _like(name or "", like, asked, where, workspace, is_alone=not any(said.values()))
    if asked or where is not None:
        raise click.UsageError("--set and --where go with --like")
    from gonnet.pipeline.starting.table import start

    folder = _folder(workspace)
    if not any(said.values()) and sys.stdin.isatty():
        from gonnet.cli._step_by_step import ask

        _tell(start(folder, ask(folder, name)))
    elif said["pages"] is not None:
        _of_pages(folder, name, said)
    else:
        _require_meant(name, said)
        _tell(start(folder, _asked(folder, name or "", said)))
    return 0


def _of_pages(folder: Path, name: str | None, said: dict[str, Any]) -> None:
    from gonnet.cli import _show
    from gonnet.pipeline.starting.arrival import start_run

    if any(said[option] for option in said if option not in ("pages", "recipients", "to")):
        raise click.UsageError("--pages goes with --recipients and --to, and with nothing else")
    if (said["recipients"] is None) != (said["to"] is None):
        raise click.UsageError("--recipients and --to go together")
    if name is None:
        raise click.UsageError("give the job a name: gonnet new NAME --pages PDF")
    made = start_run(folder, name, said["pages"], _spec(said["recipients"], None, None, None), said["to"])
    if made.workspace is not None:
        _show.line(f"{_shown(made.workspace)} makes this folder a workspace.")
    pages, keys = _show.many(made.pages, "page"), _show.many(made.keys, "key")
    _show.line(f"{_shown(made.job)} cuts {pages} by {keys}.", "bold")
    _show.line(f"The key is {made.what}.")
    if made.list_key is not None:
        _show.line(f"The list's column '{made.list_key}' knows {made.matched:,} of the {made.keys:,} keys.")
    if made.following:
        many = _show.many(made.following, "page")
        _show.line(f"· {many} without a key would go with the page before: see that none is a separator or a summary")
    _show.next_steps(
        (typed("pages", name, "--picture", "look"), "see whose the first pages are, in pictures too"),
        (typed("preview", name), "make a few parts to look at"),
        (_shown(made.job), "change the pattern, the texts and who receives to your liking"),
    )


def _require_meant(name: str | None, said: dict[str, Any]) -> None:
    """Refuse options that do not go together."""
    is_elsewhere = any(said[option] is not None for option in ("database", "table", "query"))
    if said["rows"] is None and said["database"] is None:
        raise click.UsageError("say which table and which column: --rows FILE --by COLUMN; or --like JOB")
    if said["rows"] is not None and is_elsewhere:
        raise click.UsageError("--rows is a file; --database, --table and --query name a table elsewhere")
    if said["recipients_query"] is not None and (said["database"] is None or said["recipients"] is not None):
        raise click.UsageError("--recipients-query goes with --database, and not with --recipients")
    if (said["recipients"] is not None or said["recipients_query"] is not None) and said["to"] is None:
        raise click.UsageError("--recipients and --to go together")
    if name is None:
        raise click.UsageError("give the job a name: gonnet new NAME …")


def _asked(folder: Path, name: str, said: dict[str, Any]) -> Asked:
    from gonnet.pipeline.starting.table import Asked

    query = _query(folder, said["database"], said["table"], said["query"]) if said["database"] is not None else ""
    if not said["by"]:
        raise click.UsageError("say which column says whose row it is: --by COLUMN")
    return Asked(
        name=name,
        by=said["by"],
        rows=_spec(said["rows"], said["sheet"], said["header"], said["encoding"]),
        database=said["database"],
        query=query,
        people=_spec(said["recipients"], None, None, None),
        people_query=said["recipients_query"],
        to=said["to"],
    )


def _folder(workspace: Path | None) -> Path:
    from gonnet.errors import JobError
    from gonnet.jobs import find_workspace

    try:
        return workspace or find_workspace(Path.cwd())
    except JobError:
        return Path.cwd()


def _spec(path: Path | None, sheet: str | None, header: int | None, encoding: str | None) -> FileDataSet | None:
    from gonnet.jobs.sources import FileDataSet

    if path is None:
        return None
    said = {"sheet": sheet, "header": header, "encoding": encoding}
    return FileDataSet.model_validate(
        {"file": str(path), **{name: value for name, value in said.items() if value is not None}}
    )


def _query(folder: Path, database: str, table: str | None, query: str | None) -> str:
    """The query, or that of the table; without either, the tables are listed."""
    from gonnet.cli import _show
    from gonnet.pipeline.starting.workspaces import Place

    if (table is None) == (query is None):
        if table is not None:
            raise click.UsageError("--table or --query, not both")
        pool = Place(folder=folder).pool(database)
        _show.names(f"Tables of database '{pool.name}':", pool.tables())
        raise click.UsageError("say which table: --table TABLE, or --query SQL")
    if query is not None:
        return query
    assert table is not None
    return Place(folder=folder).pool(database).query_of(table)


def _tell(made: Started) -> None:
    from gonnet.cli import _show

    if made.workspace is not None:
        _show.line(f"{_shown(made.workspace)} makes this folder a workspace.")
    rows, keys = _show.many(made.rows, "row"), _show.many(made.keys, "recipient")
    by = ", ".join(f"'{column}'" for column in made.by)
    _show.line(f"{_shown(made.job)} splits {rows} by {by} for {keys}.", "bold")
    if made.list_key is not None:
        _show.line(f"The list's column '{made.list_key}' knows {made.matched:,} of the {made.keys:,} keys.")
    for remark in made.remarks:
        _show.line(f"· {remark}")
    name = made.job.stem
    _show.next_steps(
        (typed("prepare", name), "make every package; contacts nobody"),
        ("gonnet review --into look", "see the list, and put the documents into the folder `look`"),
        (_shown(made.job), "change labels, formats and texts to your liking"),
    )


def _like(
    name: str, like: str, asked: dict[str, str], where: str | None, workspace: Path | None, *, is_alone: bool
) -> int:
    from gonnet.cli import _open, _show
    from gonnet.pipeline.starting.alike import start_like

    if not is_alone:
        raise click.UsageError("--like takes the table and its column from the other job: leave out --rows and --by")
    if not name:
        raise click.UsageError("give the job a name: gonnet new NAME --like JOB")
    place = start_like(_open.workspace_at(workspace).folder, name, like, asked, where)
    _show.line(f"{_shown(place)} is like {like}; what it does not say itself is as there.", "bold")
    _show.next_steps(
        (typed("check", name), "the job and its data"), (typed("prepare", name), "make every package; contacts nobody")
    )
    return 0


def _list(place: Path, name: str | None, asked: dict[str, str], workspace: Path | None, *, is_alone: bool) -> int:
    """Write a list to fill in, for a job where one is named."""
    from gonnet.cli import _open, _show
    from gonnet.jobs import load_job
    from gonnet.pipeline.starting.rosters import start_list

    if not is_alone:
        raise click.UsageError("--list goes alone, or with the name of a job and --set")
    if place.suffix.casefold() != ".xlsx":
        raise click.BadParameter("write FILE.xlsx", param_hint="--list")
    if name is None:
        made = start_list(place)
    else:
        with _open.tools_at(workspace) as tools:
            job = load_job(tools.workspace, name)
            made = start_list(place, job, tools, _open.complete(job, tools, asked))
    circles, sees = ", ".join(made.circles), ", ".join(made.sees)
    _show.line(f"{_shown(made.place)} is a list to fill in, with an example and explanations.", "bold")
    _show.line(f"Circles: {circles}. What somebody may see: {sees}.")
    line = f"recipients: {{roster: {_shown(made.place)}, circle: {made.circles[0]}, sees: [{sees}]}}"
    _show.line(f"The job says: {line}")
    _show.next_steps((typed("check", name or "JOB", "--list"), "who would get what, and what of it cannot be meant"))
    return 0


def _shown(path: Path) -> str:
    here = Path.cwd()
    return str(path.relative_to(here) if path.is_relative_to(here) else path)
