"""`gonnet rows`."""

from __future__ import annotations

import datetime as dt
import json
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click

from gonnet.cli import _options
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.data import Engine
    from gonnet.data.profile import View
    from gonnet.jobs import Job


@click.command(short_help="Look at the data: columns, gaps, ranges, totals, first rows.")
@click.argument("job")
@click.argument("dataset", required=False)
@click.option("--key", metavar="KEY", help="Only the rows of this key.")
@click.option("--first", type=click.IntRange(0, 1000), default=5, show_default=True, help="How many rows to show.")
@click.option(
    "--to", type=click.Path(dir_okay=False, path_type=Path), metavar="FILE", help="Save the rows: .csv or .xlsx."
)
@_options.asked_options
@_options.workspace_option
@_options.json_option
def rows(
    job: str,
    dataset: str | None,
    key: str | None,
    first: int,
    to: Path | None,
    asked: dict[str, str],
    as_of: dt.date | None,
    workspace: Path | None,
    as_json: bool,
) -> int:
    """Look at a data set of a job; by default at the one that is split.

    \b
    Example:  gonnet rows statements
              gonnet rows statements milk --key 00042 --to milk.xlsx
    """
    from gonnet.cli import _open, _show
    from gonnet.data import profile
    from gonnet.pipeline.rows import look

    with _open.tools_at(workspace) as tools:
        from gonnet.jobs import load_job
        from gonnet.pipeline.survey import Request

        read = load_job(tools.workspace, job)
        request = Request(as_of=as_of or tools.today(), asked=_open.complete(read, asked))
        began = time.monotonic()
        engine, view, notes = look(read, tools, request, dataset, key)
        seconds = time.monotonic() - began
        try:
            if to is not None:
                saved = profile.save(engine, view, to)
            if as_json:
                _as_json(engine, view, first)
            else:
                for note in notes:
                    _show.line(note, "bright_black")
                _tell(engine, view, first, seconds)
                if to is not None:
                    _show.line(f"{_show.many(saved, 'row')} saved to {to}")
                _next(read, engine, view)
        finally:
            engine.close()
    return 0


def _as_json(engine: Engine, view: View, first: int) -> None:
    from gonnet.data import profile

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
        dict(zip((c["name"] for c in columns), row, strict=True)) for row in profile.first_rows(engine, view, first)
    ]
    found = {"dataset": view.table, "rows": profile.count(engine, view), "columns": columns, "first": shown}
    click.echo(json.dumps(found, ensure_ascii=False, indent=2, default=str))


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
        sample = _show.table(*((part.column.name, "right" if part.column.is_number else 24) for part in found))
        _show.rows(sample, (["" if value is None else str(value) for value in line] for line in lines))
        _show.show(sample)


def _kind(type_: str) -> str:
    """A DuckDB type in an administrator's words."""
    words = {"VARCHAR": "text", "BIGINT": "whole", "HUGEINT": "whole", "INTEGER": "whole", "DATE": "date"}
    words |= {"TIMESTAMP": "time", "BOOLEAN": "yes/no", "DOUBLE": "number"}
    return words.get(type_, type_.lower())


def _next(job: Job, engine: Engine, view: View) -> None:
    from gonnet.cli import _show

    others = [name for name in job.file.data if name != view.table]
    steps = [(typed("rows", job.name, others[0]), f"another data set: {', '.join(others)}")] if others else []
    _show.next_steps(*steps, (typed("check", job.name), "the job and its data as a whole"))
