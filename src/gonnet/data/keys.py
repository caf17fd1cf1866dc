"""How a key reads: text, without blanks around it, NULL where it is empty."""

from __future__ import annotations

from gonnet.data.engine import Engine, quoted
from gonnet.errors import DataError

BLANK = r"[\p{Z}\p{Cc}]"
"""Blanks of every script, tabs, line ends and other controls, as a class of RE2."""

_EXACT_FLOAT = 2**53


def key_text(engine: Engine, table: str, column: str, *, where: str = "") -> str:
    """The SQL expression that gives the key of a row of `table` as text, or NULL where it is empty.

    Raises:
        DataError: the key is a number with decimals, or too large to be exact: such keys cannot be told apart.
    """
    name = quoted(column)
    kind = next(found for found in engine.columns(table) if found.name == column)
    if not kind.is_number:
        return f"nullif(regexp_replace(cast({name} as varchar), '^{BLANK}+|{BLANK}+$', '', 'g'), '')"
    if not kind.is_integer:
        limit = f" or abs({name}) > {_EXACT_FLOAT}" if kind.is_float else ""
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
