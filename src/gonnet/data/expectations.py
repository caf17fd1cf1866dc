"""Whether the data are what the job expects of them: enough, fresh, whole."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from gonnet.data.engine import Engine, quoted
from gonnet.errors import DataError
from gonnet.jobs.models import Job
from gonnet.jobs.sources import ControlTotal, Expectation, Newest


@dataclass(frozen=True, slots=True, kw_only=True)
class Broken:
    """An expectation that does not hold.

    Attributes:
        text: What was expected and what is there, in a sentence without a full stop.
        where: The expectation's place in the job file.
        holds: Whether it holds the run instead of stopping it.
    """

    text: str
    where: str
    holds: bool


def broken(engine: Engine, job: Job, as_of: dt.date, *, sampled: bool = False) -> Iterator[Broken]:
    """Every expectation of the job that does not hold, in the order of the file.

    Args:
        engine: The data.
        job: The job.
        as_of: The date of the run.
        sampled: Whether only a few rows were read; then only what these can show is looked at.

    Raises:
        DataError: an expectation names a column that is not there, or its SQL does not run.
    """
    for name, part in job.file.tables.items():
        place = job.at(*job.place_of_table(name), "expect")
        expect = part.expect
        if sampled:
            expect = expect.model_copy(update={"rows": None, "newest": None, "total": None})
        for text in _of(engine, name, expect, as_of, place):
            yield Broken(text=f"data set '{name}': {text}", where=place, holds=part.expect.otherwise == "hold")


def _of(engine: Engine, table: str, expect: Expectation, as_of: dt.date, where: str) -> Iterator[str]:
    known = [column.name for column in engine.columns(table)]
    missing = [column for column in expect.columns if column not in known]
    for column in missing:
        yield f"column '{column}' is expected and not there"
    named = [*expect.unique, *expect.filled]
    named += [part.column for part in (expect.newest, expect.total) if part is not None]
    for column in named:
        engine.require_column(table, column, where=where)
    count = engine.count(table)
    if expect.rows is not None and count < expect.rows:
        yield f"at least {expect.rows:,} rows are expected, there are {count:,}"
    for column in expect.filled:
        empty = engine.query(f"select count(*) from {quoted(table)} where {quoted(column)} is null")[0][0]
        if empty:
            yield f"column '{column}' is expected to be filled, it is empty in {empty:,} rows"
    if expect.unique:
        yield from _doubled(engine, table, expect.unique)
    if expect.newest:
        yield from _stale(engine, table, expect.newest, as_of)
    if expect.total:
        yield from _off(engine, table, expect.total, where)


def _doubled(engine: Engine, table: str, columns: tuple[str, ...]) -> Iterator[str]:
    names = ", ".join(map(quoted, columns))
    rows = engine.query(
        f"select {names}, count(*) from {quoted(table)} group by {names} having count(*) > 1 order by all limit 1"
    )
    if rows:
        *values, count = rows[0]
        shown = ", ".join("empty" if value is None else f"'{value}'" for value in values)
        yield f"{' and '.join(columns)} must be unique, and {shown} is there {count} times"


def _stale(engine: Engine, table: str, newest: Newest, as_of: dt.date) -> Iterator[str]:
    found = engine.query(f"select max(try_cast({quoted(newest.column)} as date)) from {quoted(table)}")[0][0]
    if not isinstance(found, dt.date):
        yield f"column '{newest.column}' has no date"
    elif (as_of - found).days > newest.within:
        yield f"the newest {newest.column} is {found}, more than {newest.within} days before {as_of}"


def _off(engine: Engine, table: str, total: ControlTotal, where: str) -> Iterator[str]:
    kind = next(column for column in engine.columns(table) if column.name == total.column)
    if not kind.is_number:
        fix = "Name a column of numbers; text becomes a number if every value is one"
        raise DataError(f"column '{total.column}' is not numbers, and cannot be added up", where=where, fix=fix)
    found = _number(engine.query(f"select sum({quoted(total.column)}) from {quoted(table)}", where=where)[0][0], where)
    if isinstance(total.is_, str):
        rows = engine.query(total.is_, {}, where=where)
        expected = _number(rows[0][0], where) if rows else Decimal(0)
    else:
        expected = Decimal(total.is_)
    if found != expected:
        yield f"{total.column} must add up to {expected:f}, it adds up to {found:f}"


def _number(value: object, where: str) -> Decimal:
    """The number that a total is; 0 where there is none.

    Raises:
        DataError: it is no number.
    """
    try:
        return Decimal(0) if value is None else Decimal(str(value)).normalize()
    except InvalidOperation as error:
        fix = "Let the query give one number"
        raise DataError(f"the expected total is '{value}', which is not a number", where=where, fix=fix) from error
