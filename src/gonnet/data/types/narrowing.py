"""What is left out before columns get types: texts that stand for no value, empty rows, rows by a condition."""

from __future__ import annotations

from collections.abc import Sequence

from gonnet.data.engine import Engine, quoted
from gonnet.data.sql.scope import is_of_one_row
from gonnet.data.types.target import Target
from gonnet.errors import DataError
from gonnet.findings import Finding, Weight


def narrow(engine: Engine, target: Target, *, are_words_gone: bool) -> bool:
    """Empty the cells that stand for no value and take the rows off that the job leaves out; told, with their number.

    Returns whether rows were taken off.

    Raises:
        DataError: the condition does not run.
    """
    raw = quoted(target.raw)
    columns = engine.columns(target.raw)
    for column in columns:
        writing = target.writing
        words = writing.missing.get(column.name) if are_words_gone else writing.missing_of(column.name)
        if words and column.type == "VARCHAR":
            name = quoted(column.name)
            is_word = f"list_contains($1, {name}) or list_contains($1, trim({name}))"
            engine.query(f"update {raw} set {name} = null where {is_word}", [list(words)])
    before = engine.count(target.raw)
    if target.rows is not None:
        _take(engine, target, target.rows)
    cells = ", ".join(quoted(column.name) for column in columns)
    if any(column.type != "VARCHAR" for column in columns):
        return engine.count(target.raw) < before
    if empty := engine.query(f"select count(*) from {raw} where coalesce({cells}) is null")[0][0]:
        engine.query(f"delete from {raw} where coalesce({cells}) is null")
        target.notes.append(f"{target.name}: {empty:,} empty row{'s' if empty != 1 else ''} left out")
    return engine.count(target.raw) < before


def taken(engine: Engine, target: Target, names: Sequence[str], rows: Sequence[Sequence[str | None]]) -> list[int]:
    """Which of `rows` are taken, by their place, where they are not in the engine yet.

    Raises:
        DataError: the condition does not run.
    """
    assert target.rows is not None
    columns = ", ".join(f"unnest(cast(${at} as varchar[])) as {quoted(name)}" for at, name in enumerate(names, 1))
    engine.query(
        f"create table {quoted(target.raw)} as select {columns}", [list(cells) for cells in zip(*rows, strict=True)]
    )
    _take(engine, target, target.rows)
    found = engine.query(f"select rowid from {quoted(target.raw)} order by rowid")
    engine.query(f"drop table {quoted(target.raw)}")
    return [int(str(at)) for (at,) in found]


def _take(engine: Engine, target: Target, condition: str) -> None:
    """Leave only the rows for which a condition holds."""
    raw, where = quoted(target.raw), target.where
    if not is_of_one_row(condition):  # the engine is not locked yet: SQL could read whatever this process may
        what = "`rows` must be a condition over the columns of a row, without a query in it"
        fix = "Write one such as farm_no <> 'Total'; a data set with `sql:` can do more"
        raise DataError(what, where=where, fix=fix)
    holds = f"({condition}\n)"
    counts = f"count(*) filter (where not {holds}), count(*) filter (where {holds} is null)"
    against, unknown = (int(str(count)) for count in engine.query(f"select {counts} from {raw}", {}, where=where)[0])
    if against + unknown:
        engine.query(f"delete from {raw} where not coalesce({holds}, false)", {}, where=where)
        many = f"{against + unknown:,} row{'s' if against + unknown > 1 else ''}"
        target.notes.append(f"{target.name}: {many} left out by `rows`")
    if unknown:
        text = (
            f"data set '{target.name}': of the rows that `rows` left out, {unknown:,} have an empty value; whether it "
            "holds for them is unknown"
        )
        target.findings.append(Finding(weight=Weight.ATTENTION, text=text))
