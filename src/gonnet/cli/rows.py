"""`gonnet rows`."""

from __future__ import annotations

import datetime as dt
import json
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import click

from gonnet.cli import _completing, _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.data import Engine
    from gonnet.data.profile import View
    from gonnet.jobs import Job
    from gonnet.pipeline.tools import Tools

_FREQUENT = 20


@click.command(short_help="Look at the data: columns, gaps, ranges, totals, first rows.")
@click.argument("job", required=False, shell_complete=_completing.jobs)
@click.argument("dataset", required=False, shell_complete=_completing.datasets)
@click.option("--key", metavar="KEY", help="Only the rows of this key.")
@click.option("--values", metavar="COLUMN", help="The most frequent values of this column.")
@click.option("--first", type=click.IntRange(0, 1000), default=5, show_default=True, help="How many rows to show.")
@click.option(
    "--to", type=click.Path(dir_okay=False, path_type=Path), metavar="FILE", help="Save the rows: .csv or .xlsx."
)
@click.option("--database", metavar="NAME", help="A database instead of a job: its tables, or what --query gives.")
@click.option("--query", metavar="SQL", help="The query to it.")
@_options.asked_options
@_options.workspace_option
@_options.json_option
def rows(
    job: str | None,
    dataset: str | None,
    key: str | None,
    values: str | None,
    first: int,
    to: Path | None,
    database: str | None,
    query: str | None,
    asked: dict[str, str],
    as_of: dt.date | None,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Look at a data set of a job; by default at the one that is split. The job need not have a report yet.

    \b
    Example:  gonnet rows statements
              gonnet rows statements milk --key 00042 --to milk.xlsx
              gonnet rows statements milk --values driver
              gonnet rows --database pool --query "select * from collections"
    """
    from gonnet.cli import _open
    from gonnet.pipeline.rows import look, try_query

    if (job is None) == (database is None):
        raise click.UsageError("say which job, or which database with --database NAME")
    if database is None and query is not None:
        raise click.UsageError("--query goes with --database")
    with _open.tools_at(workspace) as tools:
        from gonnet.jobs import load_sketch
        from gonnet.pipeline.survey import Request

        if database is not None and query is None:
            return _tell_tables(tools, database, as_json=as_json)
        read = load_sketch(tools.workspace, job) if job is not None else None
        began = time.monotonic()
        if read is not None:
            request = Request(as_of=as_of or tools.today(), asked=_open.complete(read, tools, asked))
            engine, view, notes = look(read, tools, request, dataset, key)
        else:
            engine, view, notes = try_query(tools, database or "", query or "")
        seconds = time.monotonic() - began
        try:
            _show_all(engine, view, notes, _Wish(values, first, to, seconds, as_json=as_json))
            if not as_json and read is not None:
                _next(read, engine, view)
        finally:
            engine.close()
    return 0


class _Wish(NamedTuple):
    """What is to be shown of a table."""

    values: str | None
    first: int
    to: Path | None
    seconds: float
    as_json: bool


def _show_all(engine: Engine, view: View, notes: Sequence[str], wish: _Wish) -> None:
    from gonnet.cli import _show
    from gonnet.data import profile

    saved = profile.save(engine, view, wish.to) if wish.to is not None else 0
    if wish.as_json:
        _as_json(engine, view, wish)
        return
    for note in notes:
        _show.line(note, "bright_black")
    if wish.values is not None:
        _tell_values(engine, view, wish.values)
    else:
        _tell(engine, view, wish.first, wish.seconds)
    if wish.to is not None:
        _show.line(f"{_show.many(saved, 'row')} saved to {wish.to}")


def _tell_tables(tools: Tools, database: str, *, as_json: bool) -> int:
    from gonnet.cli import _show
    from gonnet.pipeline.rows import tables_of

    found = tables_of(tools, database)
    if as_json:
        click.echo(json.dumps({"database": database, "tables": found}, ensure_ascii=False, indent=2))
        return 0
    _show.names(f"Tables of database '{database}':", found)
    if found:
        _show.next_steps(
            (typed("rows", "--database", database, "--query", f"select * from {found[0]}"), "what is in one of them")
        )
    return 0


def _tell_values(engine: Engine, view: View, column: str) -> None:
    from gonnet.cli import _show
    from gonnet.data import profile

    count = profile.count(engine, view)
    _show.line(f"{view.table}.{column}: the most frequent values of {_show.many(count, 'row')}", "bold")
    table = _show.table((column, 40), ("Rows", "right"), ("Share", "right"))
    for value, rows_ in profile.frequent(engine, view, column, _FREQUENT):
        shown = "(empty)" if value is None else value
        _show.rows(table, [(shown, f"{rows_:,}", f"{100 * rows_ / count:.1f} %")])
    _show.show(table)


def _as_json(engine: Engine, view: View, wish: _Wish) -> None:
    from gonnet.data import profile

    if wish.values is not None:
        found = profile.frequent(engine, view, wish.values, _FREQUENT)
        values = [{"value": value, "rows": count} for value, count in found]
        told = {"dataset": view.table, "column": wish.values, "rows": profile.count(engine, view), "values": values}
        click.echo(json.dumps(told, ensure_ascii=False, indent=2))
        return
    columns = [
        {
            "name": part.column.name,
            "type": part.column.type,
            "empty": part.empty,
            "distinct": part.distinct,
            "min": part.least,
            "max": part.greatest,
            "total": part.total,
        }
        for part in profile.profile(engine, view)
    ]
    shown = [
        dict(zip((c["name"] for c in columns), row, strict=True))
        for row in profile.first_rows(engine, view, wish.first)
    ]
    told = {"dataset": view.table, "rows": profile.count(engine, view), "columns": columns, "first": shown}
    click.echo(json.dumps(told, ensure_ascii=False, indent=2, default=str))


def _tell(engine: Engine, view: View, first: int, seconds: float) -> None:
    from gonnet.cli import _show
    from gonnet.data import profile

    of_key = f" of key {view.key[1]}" if view.key else ""
    _show.line(
        f"{view.table}: {_show.many(profile.count(engine, view), 'row')}{of_key}, read in {seconds:.1f} s", "bold"
    )
    found = profile.profile(engine, view)
    sides = (("Empty", "right"), ("Different", "right"), ("Least", 28), ("Greatest", 28), ("Total", "right"))
    table = _show.table(("Column", 28), "Type", *sides)
    for part in found:
        cells = (f"{part.empty:,}" if part.empty else "", f"{part.distinct:,}", part.least, part.greatest)
        _show.rows(table, [(part.column.name, _kind(part.column.type), *cells, _show.amount(part.total))])
    _show.show(table)
    lines = profile.first_rows(engine, view, first)
    if lines:
        columns = [(part.column.name, "right" if part.column.is_number else 24) for part in found]
        _show.sample(columns, [["" if value is None else str(value) for value in line] for line in lines])


def _kind(type_: str) -> str:
    """A DuckDB type in an administrator's words."""
    words = {"VARCHAR": "text", "BIGINT": "whole", "HUGEINT": "whole", "INTEGER": "whole", "DATE": "date"}
    words |= {"TIMESTAMP": "time", "BOOLEAN": "yes/no", "DOUBLE": "number"}
    return words.get(type_, type_.lower())


def _next(job: Job, engine: Engine, view: View) -> None:
    from gonnet.cli import _show

    others = [name for name in job.file.tables if name != view.table]
    steps = [(typed("rows", job.name, others[0]), f"another data set: {', '.join(others)}")] if others else []
    _show.next_steps(*steps, (typed("check", job.name), "the job and its data as a whole"))
