"""The quick way out of PostgreSQL: COPY to a file of text, which the engine reads with the server's own types.

It is taken where every column has a plain type, and gives what the general way gives. COPY takes no parameters on the
server; the driver puts them in as literals of their types, quoted by its own rules.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from gonnet.data.databases.binding import bound
from gonnet.data.databases.stalling import Listening
from gonnet.data.engine import Engine, quoted
from gonnet.data.types.staging import NULL
from gonnet.data.types.target import Target

if TYPE_CHECKING:
    from psycopg import Connection, Cursor

# Type numbers of PostgreSQL (pg_type.oid) → how the engine reads what COPY writes.
_PLAIN = {
    16: "BOOLEAN", 20: "BIGINT", 21: "BIGINT", 23: "BIGINT", 700: "DOUBLE", 701: "DOUBLE", 25: "VARCHAR",
    1043: "VARCHAR", 1042: "VARCHAR", 2950: "VARCHAR", 1082: "DATE", 1114: "TIMESTAMP", 1184: "VARCHAR", 1700: "",
}  # fmt: skip
_CHAR, _NUMERIC, _ZONED = 1042, 1700, 1184


@dataclass(frozen=True, slots=True, kw_only=True)
class _Column:
    name: str
    oid: int
    type: str

    @property
    def expression(self) -> str:
        """The column as it is to be: without the blanks of a fixed width, times without the offset of their zone."""
        name = quoted(self.name)
        if self.oid == _CHAR:
            return f"rtrim({name}, ' ') as {name}"
        if self.oid == _ZONED:
            return rf"cast(regexp_replace({name}, '[+-]\d\d(:\d\d)*$', '') as timestamp) as {name}"
        return name


def copied(
    engine: Engine,
    target: Target,
    driver: Connection[Any],
    sql: str,
    values: Mapping[str, object],
    most: int,
    listening: Listening,
) -> list[str] | None:
    """Make the target's table by COPY; returns the names of its columns, or None where the general way is needed.

    Args:
        engine: The engine.
        target: The data set.
        driver: The driver's connection, inside the run's transaction.
        sql: One query, its parameters written `$name`.
        values: The parameters.
        most: How many rows may come; one more is read, so that too many can be told.
        listening: Told whenever something came, and when all of it is here.
    """
    if target.fixed or any(isinstance(value, list) for value in values.values()):
        return None
    statement, names = bound(sql, lambda name: f"%({name})s", percent="%%")
    given = {name: values[name] for name in names}
    with driver.cursor() as cursor:
        cursor.execute(f"select * from ({statement}\n) as q limit 0", given)
        columns = _columns(cursor, target)
        if columns is None:
            return None
        file = target.scratch / f"{target.name}.copied"
        cursor.execute("select set_config('TimeZone', %s, true)", (target.zone.key,))
        _copy(cursor, f"select * from ({statement}\n) as q limit {most + 1:d}", given, file, listening)
    _read(engine, target, file, columns)
    return [column.name for column in columns]


def _columns(cursor: Cursor[Any], target: Target) -> list[_Column] | None:
    """The query's columns, or None where one of them has a type that is not plain, or two have the same name."""
    found = []
    for column in cursor.description or ():
        type_ = _PLAIN.get(column.type_code)
        if column.type_code == _NUMERIC and column.precision and column.scale is not None:
            type_ = f"DECIMAL({max(column.precision, 18)},{column.scale})" if column.precision <= 38 else None
        if not type_:
            return None
        if column.name in target.text and column.type_code != _CHAR:
            type_ = "VARCHAR"
        found.append(_Column(name=column.name, oid=column.type_code, type=type_))
    return found if len({column.name.casefold() for column in found}) == len(found) else None


def _copy(cursor: Cursor[Any], sql: str, values: Mapping[str, object], file: Path, listening: Listening) -> None:
    statement = f"copy ({sql}) to stdout (format csv, null '{NULL}', encoding 'UTF8')"
    with file.open("wb") as out, cursor.copy(statement, values) as blocks:
        for block in blocks:
            listening.heard()
            out.write(block)
    listening.stop()


def _read(engine: Engine, target: Target, file: Path, columns: list[_Column]) -> None:
    chosen = ", ".join(column.expression for column in columns)
    engine.query(
        f"create table {quoted(target.name)} as select {chosen} from read_csv(?, auto_detect=false, delim=',', "
        "header=false, columns=?, quote='\"', escape='\"', comment='', strict_mode=true, null_padding=false, "
        "nullstr=?, allow_quoted_nulls=false)",
        [str(file), {column.name: column.type for column in columns}, NULL],
        where=target.where,
    )
    engine.tables.append(target.name)
    file.unlink()
