"""What SQL over the rows of one key reads beyond them, as DuckDB's parser sees it. Nothing is run."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from gonnet.data.sql.names import parsed

_SPREADS = ("stddev", "stddev_pop", "stddev_samp", "variance", "var_pop", "var_samp")
_USUAL = frozenset(("sum", "avg", "mean", "median", "count", "count_star", *_SPREADS))
"""Aggregates that are nobody's own value. The least, the greatest, the first or a list of values is somebody's."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Reach:
    """How far a piece of SQL reads.

    Attributes:
        tables: The tables that its sub-queries read.
        has_window: Whether it looks at other rows than the one that it is asked of.
        is_usual: Whether all that it has of them is usual values over whole tables, which are nobody's own.
    """

    tables: tuple[str, ...] = ()
    has_window: bool = False
    is_usual: bool = True

    @property
    def is_beyond(self) -> bool:
        """Whether it reads anything besides the rows that it is asked of."""
        return bool(self.tables) or self.has_window


def reach_of(expression: str) -> Reach:
    """How far an expression reads; what DuckDB cannot read reaches nothing, since it does not run."""
    statements = parsed(f"select ({expression}\n)")
    if len(statements) != 1:
        return Reach()
    selected = statements[0]["node"]["select_list"]
    queries = [query for part in selected for query in _queries(part)]
    tables = tuple(dict.fromkeys(name for query in queries for name in _tables(query)))
    has_window = any(node.get("class") == "WINDOW" for part in selected for node in _nodes(part))
    is_usual = not has_window and all(_is_usual(query) for query in queries if tuple(_tables(query)))
    return Reach(tables=tables, has_window=has_window, is_usual=is_usual)


def is_of_one_row(expression: str) -> bool:
    """Whether SQL is an expression over the row that it is asked of alone: no query, no table, no window."""
    statements = parsed(f"select ({expression}\n)")
    if len(statements) != 1:
        return False
    query = statements[0]["node"]
    is_plain = query["type"] == "SELECT_NODE" and query["from_table"]["type"] == "EMPTY" and not query["modifiers"]
    more = ("where_clause", "group_expressions", "having", "qualify", "sample")
    if not is_plain or query["cte_map"]["map"] or any(query.get(part) for part in more):
        return False
    selected = query["select_list"]
    beyond = ("SUBQUERY", "WINDOW")
    return len(selected) == 1 and not any(node.get("class") in beyond for node in _nodes(selected))


def _nodes(node: object) -> Iterator[Mapping[str, Any]]:
    """Every node of a parsed expression, itself first."""
    if isinstance(node, list):
        for part in node:
            yield from _nodes(part)
    elif isinstance(node, dict):
        yield node
        for part in node.values():
            yield from _nodes(part)


def _queries(node: object) -> Iterator[Mapping[str, Any]]:
    """The outermost sub-queries of an expression."""
    if isinstance(node, list):
        for part in node:
            yield from _queries(part)
    elif isinstance(node, dict):
        if node.get("class") == "SUBQUERY":
            yield node["subquery"]["node"]
        else:
            for part in node.values():
                yield from _queries(part)


def _tables(query: Mapping[str, Any]) -> Iterator[str]:
    for node in _nodes(query):
        if node.get("type") == "BASE_TABLE":
            yield str(node["table_name"])
        elif node.get("type") == "TABLE_FUNCTION":
            yield "a function"


def _is_usual(query: Mapping[str, Any]) -> bool:
    """Whether a query gives usual values over all rows of a table: no condition, no groups, nothing of a single row."""
    if query["type"] != "SELECT_NODE" or query["modifiers"] or query["cte_map"]["map"]:
        return False
    narrowed = any(query.get(part) for part in ("where_clause", "group_expressions", "having", "qualify", "sample"))
    table = query["from_table"]
    is_table = table["type"] == "BASE_TABLE" and not table.get("sample") and not table.get("at_clause")
    return is_table and not narrowed and all(map(_is_aggregated, query["select_list"]))


def _is_aggregated(node: Mapping[str, Any]) -> bool:
    match node:
        case {"class": "FUNCTION", "function_name": str(name), "filter": None} if name.casefold() in _USUAL:
            return all(_is_of_columns(found) for found in _expressions(node["arguments"]))
        case {"class": "CONSTANT" | "PARAMETER"}:
            return True
        case {"class": "COLUMN_REF" | "STAR" | "SUBQUERY" | "WINDOW" | "LAMBDA"}:
            return False
        case _:
            inner = [part for part in node.values() if isinstance(part, (dict, list))]
            found = [part for part in _expressions(inner)]
            return bool(found) and all(map(_is_aggregated, found))


def _is_of_columns(node: Mapping[str, Any]) -> bool:
    """Whether an expression is made of columns by arithmetic: a condition in it could pick somebody out."""
    match node:
        case {"class": "COLUMN_REF" | "CONSTANT"}:
            return True
        case {"class": "CAST", "child": inner}:
            return _is_of_columns(inner)
        case {"class": "FUNCTION", "function_name": "+" | "-" | "*" | "/"} | {"type": "OPERATOR_COALESCE"}:
            return all(map(_is_of_columns, _expressions([part for part in node.values() if isinstance(part, list)])))
        case _:
            return False


def _expressions(node: object) -> Iterator[Mapping[str, Any]]:
    """The expressions right below a node."""
    if isinstance(node, list):
        for part in node:
            yield from _expressions(part)
    elif isinstance(node, dict):
        if node.get("class") not in (None, "TYPE"):
            yield node
        else:
            for part in node.values():
                yield from _expressions(part)
