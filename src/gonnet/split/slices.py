"""Cutting a data set by key. A key is text; blanks around it do not count; an empty one belongs to nobody."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from heapq import merge
from itertools import groupby
from operator import itemgetter

from gonnet.data import ColumnType, Engine, quoted
from gonnet.data.key_text import BLANK, key_text
from gonnet.errors import DataError
from gonnet.split.counts import Counts

ROWS = "gonnet_rows"
KEY = "gonnet_key"
ROW = "gonnet_row"
_SEEN = "gonnet_seen"

_FLOAT_AS = "decimal(30, 10)"


@dataclass(frozen=True, slots=True, kw_only=True)
class Slices:
    """The outcome of a split.

    Attributes:
        view: The view of the rows with their keys.
        counts: Key → number of rows, in key order (by code point); every row with a key is in exactly one.
        columns: The columns of the data set that was split.
        read: Rows of the data set.
        without_key: Rows whose key is empty; they go to nobody.
        first_without_key: Their first five row numbers (1 = the first data row).
        trimmed: Rows whose key had blanks around it.
    """

    view: str
    counts: Mapping[str, int]
    columns: tuple[ColumnType, ...]
    read: int
    without_key: int
    first_without_key: tuple[int, ...]
    trimmed: int


def by_key(engine: Engine, table: str, by: tuple[str, ...], *, view: str = ROWS, where: str = "") -> Slices:
    """Give every row its key, from the columns `by`: a view with `gonnet_key` and `gonnet_row` (1 = the first).

    What only counts and sums needs no order; what draws many slices calls `bring_together` first.

    Raises:
        DataError: the key is a number with decimals, or too large to be exact: such keys cannot be told apart.
    """
    columns = engine.columns(table)
    expression, trimmed = _key(engine, table, by, where)
    chosen = ", ".join(_exact(engine, table, found, where) for found in columns)
    engine.query(
        f"create view {view} as select {expression} as {KEY}, rowid + 1 as {ROW}, {chosen} from {quoted(table)}"
    )
    grouped = engine.stream(f"select {KEY}, count(*) from {view} where {KEY} is not null group by 1 order by 1")
    counts = Counts((str(key), _int(count)) for key, count in grouped)
    without = _int(engine.query(f"select count(*) from {view} where {KEY} is null")[0][0])
    first = engine.query(f"select {ROW} from {view} where {KEY} is null order by 1 limit 5") if without else []
    return Slices(
        view=view,
        counts=counts,
        columns=tuple(found for found in engine.columns(view) if found.name not in (KEY, ROW)),
        read=engine.count(table),
        without_key=without,
        first_without_key=tuple(_int(row[0]) for row in first),
        trimmed=trimmed,
    )


def counted(cuts: Iterable[Slices]) -> Mapping[str, int]:
    """Key → number of its rows in all data sets that are cut, in key order."""
    first, *more = cuts
    if not more:
        return first.counts
    total = first.counts
    for cut in more:
        total = Counts(_together(total, cut.counts))
    return total


def _together(one: Mapping[str, int], other: Mapping[str, int]) -> Iterator[tuple[str, int]]:
    """Keys of both in key order, with the rows of both."""
    rows = merge(one.items(), other.items(), key=itemgetter(0))
    return ((key, sum(count for _, count in same)) for key, same in groupby(rows, key=itemgetter(0)))


def bring_together(engine: Engine, view: str = ROWS) -> None:
    """Sort rows by key and row once, so that any slice is found without looking at all the others."""
    table = f"{view}_sorted"
    engine.query(f"create table {table} as select * from {view} order by {KEY} nulls last, {ROW}")
    engine.query(f"create or replace view {view} as select * from {table}")


def _exact(engine: Engine, table: str, column: ColumnType, where: str) -> str:
    """The column as it is; a binary floating number as a decimal, so that sums are exact whatever their order."""
    name = quoted(column.name)
    if not column.is_float:
        return name
    decimal = f"try_cast({name} as {_FLOAT_AS})"
    lost = engine.query(
        f"select rowid + 1, {name} from {quoted(table)} where {name} is not null and {decimal} is null limit 1"
    )
    if lost:
        raise DataError(
            f"row {lost[0][0]} of data set '{table}' has {lost[0][1]} in column '{column.name}', which is no amount",
            where=where,
            fix="Correct it, or leave the row out with SQL",
        )
    return f"{decimal} as {name}"


def rows_of(
    engine: Engine,
    expressions: Sequence[str],
    keys: Sequence[str],
    values: Mapping[str, object] | None = None,
    view: str = ROWS,
) -> Iterator[tuple[str, list[tuple[object, ...]]]]:
    """Yield key and rows of each slice of `keys` that has rows, in key order and each in source order.

    Args:
        engine: The engine, after `by_key`.
        expressions: SQL expressions over the data set's columns; a row is a tuple of their values.
        keys: The keys wanted.
        values: Parameters that the expressions may name.
        view: Which rows.
    """
    if not keys:
        return
    chosen = "".join(f", {expression}" for expression in expressions)
    # The range finds the place in what is sorted; the list leaves out whoever lies between.
    wanted = (
        f"{KEY} between $gonnet_first and $gonnet_last and {KEY} in (select unnest(cast($gonnet_wanted as varchar[])))"
    )
    bound = {"gonnet_first": min(keys), "gonnet_last": max(keys), "gonnet_wanted": list(keys)}
    rows = engine.query(
        f"select {KEY}{chosen} from {view} where {wanted} order by {KEY}, {ROW}", {**(values or {}), **bound}
    )
    start = 0
    while start < len(rows):
        key, end = rows[start][0], start
        while end < len(rows) and rows[end][0] == key:
            end += 1
        yield str(key), [row[1:] for row in rows[start:end]]
        start = end


def _key(engine: Engine, table: str, by: tuple[str, ...], where: str) -> tuple[str, int]:
    """The SQL expression of the key, and in how many rows blanks had to be taken from it.

    Every different key is looked at once; where none has blanks, the rows' keys are taken as they are.
    """
    expression = key_text(engine, table, by, where=where)
    if not by:
        return expression, 0
    kind = next(found for found in engine.columns(table) if found.name == by[0])
    name = quoted(by[0])
    if len(by) > 1 or kind.type != "VARCHAR":
        return expression, 0
    engine.query(f"create or replace temp table {_SEEN} as select distinct {name} from {quoted(table)}")
    odd = f"select {name} from {_SEEN} where {expression} is distinct from {name}"
    if not engine.query(f"{odd} limit 1"):
        return name, 0
    trimmed = engine.query(
        f"select count(*) from {quoted(table)} where {name} in ({odd}) and not regexp_full_match({name}, '{BLANK}*')"
    )
    return expression, _int(trimmed[0][0])


def _int(value: object) -> int:
    assert isinstance(value, int)
    return value
