"""How a key reads: text, without blanks around it, NULL where it is empty."""

from __future__ import annotations

from gonnet.data.engine import EXACT, Engine, quoted
from gonnet.errors import DataError

BLANK = r"[\p{Z}\p{Cc}]"
"""Blanks of every script, tabs, line ends and other controls, as a class of RE2."""

ALL = "all"
"""The key of all rows, where they are not split: one package has them all."""

BETWEEN = "/"
"""What stands between the parts of a key of several columns."""


def key_text(engine: Engine, table: str, columns: tuple[str, ...], *, where: str = "") -> str:
    """The SQL expression that gives the key of a row of `table` as text, or NULL where any part of it is empty.

    Args:
        engine: The engine.
        table: A table of it.
        columns: The column with the key, or those that make it together; without any, all rows have one key.
        where: What to name in an error.

    Raises:
        DataError: the key is a number with decimals, or too large to be exact: such keys cannot be told apart; or
            a part of a key of several columns has in it what stands between the parts.
    """
    if not columns:
        return f"'{ALL}'"
    parts = [_part(engine, table, column, where) for column in columns]
    if len(parts) == 1:
        return parts[0]
    for column, part in zip(columns, parts, strict=True):
        odd = engine.query(f"select {part} from {quoted(table)} where contains({part}, '{BETWEEN}') limit 1")
        if odd:
            raise DataError(
                f"the part '{column}' of the key has a '{BETWEEN}' in data set '{table}': {odd[0][0]}",
                where=where,
                fix=f"'{BETWEEN}' separates the parts of a key; replace it with SQL",
            )
    return "(" + f" || '{BETWEEN}' || ".join(parts) + ")"


def _part(engine: Engine, table: str, column: str, where: str) -> str:
    name = quoted(column)
    kind = next(found for found in engine.columns(table) if found.name == column)
    if not kind.is_number:
        return f"nullif(regexp_replace(cast({name} as varchar), '^{BLANK}+|{BLANK}+$', '', 'g'), '')"
    if not kind.is_integer:
        limit = f" or abs({name}) >= {EXACT}" if kind.is_float else ""
        odd = engine.query(
            f"select cast({name} as varchar) from {quoted(table)} where {name} <> round({name}, 0){limit} limit 1"
        )
        if odd:
            raise DataError(
                f"the key '{column}' of data set '{table}' is a number with decimals or too many digits ({odd[0][0]})",
                where=where,
                fix="Make it text where it comes from, so that 1.1 and 1.10 stay two keys",
            )
    return f"cast(cast({name} as hugeint) as varchar)"
