"""What SQL names: columns, fields, tables, functions and parameters, as DuckDB's own parser reads it.

Nothing of it is run. What DuckDB cannot parse names nothing; whoever runs it is told why.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

import duckdb


@dataclass(frozen=True, slots=True, kw_only=True)
class Names:
    """The names in a piece of SQL, each once, in the order in which they stand there.

    Attributes:
        columns: A path each, as it is written: `("amount",)`, `("recipient", "region")`.
        tables: What it reads from besides the table that it is asked of.
        functions: Functions, macros and aggregates.
        parameters: `$name`, without the sign.
    """

    columns: tuple[tuple[str, ...], ...] = ()
    tables: tuple[str, ...] = ()
    functions: tuple[str, ...] = ()
    parameters: tuple[str, ...] = ()

    def asks_for(self, *path: str) -> bool:
        """Whether a column or a field is named, whatever the case; a value with fields asks for all of them."""
        wanted = [name.casefold() for name in path]
        for column in self.columns:
            found = [name.casefold() for name in column]
            common = min(len(found), len(wanted))
            if found[:common] == wanted[:common]:
                return True
        return False


def names_in(*expressions: str) -> Names:
    """The names in some expressions together."""
    return _joined([_names(f"select ({sql}\n)") for sql in expressions])


def names_in_order(*orders: str) -> Names:
    """The names in what may follow ORDER BY."""
    return _joined([_names(f"select 1 order by {sql}\n") for sql in orders])


def _joined(parts: list[Names]) -> Names:
    return Names(
        columns=tuple(dict.fromkeys(name for part in parts for name in part.columns)),
        tables=tuple(dict.fromkeys(name for part in parts for name in part.tables)),
        functions=tuple(dict.fromkeys(name for part in parts for name in part.functions)),
        parameters=tuple(dict.fromkeys(name for part in parts for name in part.parameters)),
    )


@cache
def _parser() -> duckdb.DuckDBPyConnection:
    return duckdb.connect(":memory:")


def parsed(statement: str) -> list[dict[str, Any]]:
    """The statements in a text as DuckDB's parser gives them; none where it cannot read it, or it is no query."""
    # Each reads over a cursor of its own: several threads may ask, and one connection serves one at a time.
    row = _parser().cursor().execute("select json_serialize_sql(?)", [statement]).fetchone()
    assert row is not None
    found = json.loads(row[0])
    return [] if found["error"] else list(found["statements"])


@lru_cache(maxsize=4096)
def _names(statement: str) -> Names:
    found: dict[str, dict[Any, None]] = {"columns": {}, "tables": {}, "functions": {}, "parameters": {}}
    for _, kind, name in sorted(_walk(parsed(statement)), key=lambda one: one[0]):
        found[kind][name] = None
    return Names(**{kind: tuple(names) for kind, names in found.items()})


def _walk(node: object) -> Iterator[tuple[int, str, str | tuple[str, ...]]]:
    """Every name below a node of the parsed statement: where it stands, what it is, and how it is written."""
    if isinstance(node, list):
        for part in node:
            yield from _walk(part)
    elif isinstance(node, dict):
        at = int(node.get("query_location", 0))
        match node:
            case {"class": "COLUMN_REF", "column_names": [*path]}:
                yield at, "columns", tuple(map(str, path))
            case {"class": "STAR", "relation_name": str(name)} if name:
                yield at, "columns", (name,)
            case {"class": "PARAMETER", "identifier": str(name)}:
                yield at, "parameters", name
            case {"type": "BASE_TABLE", "table_name": str(name)}:
                yield at, "tables", name
            case {"function_name": str(name)} if name:
                yield at, "functions", name
        for part in node.values():
            yield from _walk(part)
