"""Control totals that stand in the last line of an export: they must be what the lines above come to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from decimal import Decimal

from gonnet.data.engine import Engine, quoted
from gonnet.data.types.target import Control, Target
from gonnet.errors import DataError
from gonnet.jobs.sources import LastLine

_FIX = "The export is not whole, or its last line is no total: then leave out `last`"


def set_apart(engine: Engine, target: Target, file: str, first: int, last: int) -> None:
    """Take the last row of a file out of the table of text.

    Raises:
        DataError: there is none.
    """
    names = [column.name for column in engine.columns(target.raw)]
    raw = quoted(target.raw)
    rows = engine.query(f"select * from {raw} where rowid = {last:d}") if last >= first else []
    if not rows:
        raise DataError(f"{file} has no last line with a total", where=target.where, fix=_FIX)
    engine.query(f"delete from {raw} where rowid = {last:d}")
    cells = {name: str(cell) for name, cell in zip(names, rows[0], strict=True) if cell is not None}
    target.controls.append(Control(file=file, first=first, last=last - 1, cells=cells))


def require_totals(engine: Engine, target: Target, values: Mapping[str, str]) -> None:
    """Compare the rows with the last lines.

    Args:
        engine: The engine.
        target: The data set, whose table has its types.
        values: Column → the SQL that makes its value of its text.

    Raises:
        DataError: a total is not what the rows come to, or a line has none.
    """
    for control in target.controls:
        compared = []
        for name, said in _said(engine, target, control, values).items():
            compared.append(name)
            found = _sum(engine, target, control, name)
            if found != said:
                what = f"{control.file}: {name} adds up to {found:,f}, and the last line says {said:,f}"
                raise DataError(what, where=target.where, fix=_FIX)
        compared += _counted(engine, target, control)
        if not compared:
            raise DataError(f"the last line of {control.file} has no total", where=target.where, fix=_FIX)
        target.notes.append(f"{control.file}: the last line agrees in {', '.join(compared)}")


def _said(engine: Engine, target: Target, control: Control, values: Mapping[str, str]) -> dict[str, Decimal]:
    """Column → the total that the line has of it."""
    wanted = target.last.total if isinstance(target.last, LastLine) else ()
    found: dict[str, Decimal] = {}
    for column in engine.columns(target.name):
        cell = control.cells.get(column.name)
        is_meant = column.name in wanted if wanted else column.is_number and not _is_only_counted(target)
        if not is_meant or cell is None:
            if column.name in wanted:
                what = f"the last line of {control.file} has no total of {column.name}"
                raise DataError(what, where=target.where, fix=_FIX)
            continue
        sql = f"select cast(try({values[column.name]}) as varchar) from (select $1 as {quoted(column.name)})"
        said = engine.query(sql, [cell])[0][0]
        if said is not None:
            found[column.name] = Decimal(str(said))
    for name in wanted:
        engine.require_column(target.name, name, where=target.where)
    return found


def _is_only_counted(target: Target) -> bool:
    return isinstance(target.last, LastLine) and target.last.count is not None


def _sum(engine: Engine, target: Target, control: Control, name: str) -> Decimal:
    rows = f"where rowid between {control.first:d} and {control.last:d}"
    found = engine.query(f"select cast(sum({quoted(name)}) as varchar) from {quoted(target.name)} {rows}")[0][0]
    return Decimal(str(found)) if found is not None else Decimal(0)


def _counted(engine: Engine, target: Target, control: Control) -> Iterator[str]:
    """The column with the number of rows, where there is one and it is right."""
    if not isinstance(target.last, LastLine) or target.last.count is None:
        return
    cell = control.cells.get(target.last.count, "").strip()
    rows = f"where rowid between {control.first:d} and {control.last:d}"
    count = engine.query(f"select count(*) from {quoted(target.name)} {rows}")[0][0]
    if cell.lstrip("0") != str(count):
        what = f"{control.file} has {count:,} rows, and its last line says '{cell}'"
        raise DataError(what, where=target.where, fix=_FIX)
    yield "the number of rows"
