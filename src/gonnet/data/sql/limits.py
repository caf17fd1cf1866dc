"""Whether a query gives only rows of the key that it is asked for, as far as its own words show.

DuckDB's parser reads it, whatever database it goes to; what it cannot read does not show it. Nothing is run.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from gonnet.data.sql.names import parsed

_SAME = ("trim", "btrim", "ltrim", "rtrim")
"""Functions of a key that are the same key: blanks around one do not count. Others may be the same for two keys."""


def is_limited_to(sql: str, parameter: str) -> bool:
    """Whether every row that a query reads is tied to a parameter by an equality: `where farm_no = $key`.

    It counts only where nothing can go round it: joined by AND, not by OR; in every part of a UNION; in the query
    itself or in all that it reads from.
    """
    statements = parsed(sql)
    return len(statements) == 1 and _query(statements[0]["node"], {}, parameter)


def _query(node: Mapping[str, Any], known: Mapping[str, bool], parameter: str) -> bool:
    for entry in node["cte_map"]["map"]:
        known = {**known, entry["key"].casefold(): _query(entry["value"]["query_node"], known, parameter)}
    match node["type"]:
        case "SET_OPERATION_NODE":
            return all(_query(part, known, parameter) for part in node["children"])
        case "SELECT_NODE":
            where = node.get("where_clause")
            return _ties(where, parameter) or _source(node["from_table"], known, parameter)
        case _:
            return False


def _source(table: Mapping[str, Any], known: Mapping[str, bool], parameter: str) -> bool:
    """Whether all that a query reads from is limited."""
    match table["type"]:
        case "EMPTY":
            return True
        case "BASE_TABLE":
            return known.get(str(table["table_name"]).casefold(), False)
        case "SUBQUERY":
            return _query(table["subquery"]["node"], known, parameter)
        case "JOIN" if table["join_type"] == "INNER" and _ties(table.get("condition"), parameter):
            return True
        case "JOIN":
            sides = {"INNER": ("left", "right"), "LEFT": ("left",), "RIGHT": ("right",)}.get(table["join_type"], ())
            is_joined = bool(table["using_columns"]) or any(map(_joins, _parts(table.get("condition"))))
            return is_joined and any(_source(table[side], known, parameter) for side in sides)
        case _:
            return False


def _ties(condition: Mapping[str, Any] | None, parameter: str) -> bool:
    """Whether a condition holds only where a column is the parameter."""
    for part in _parts(condition):
        if part["type"] == "COMPARE_EQUAL":
            sides = (
                (_bare(part["left"]), _bare(part["right"], casts=True)),
                (_bare(part["right"]), _bare(part["left"], casts=True)),
            )
            for column, value in sides:
                if column["class"] == "COLUMN_REF" and value.get("identifier") == parameter:
                    return True
    return False


def _joins(part: Mapping[str, Any]) -> bool:
    """Whether a condition ties a column of one side to a column of the other."""
    return part["type"] == "COMPARE_EQUAL" and all(part[side]["class"] == "COLUMN_REF" for side in ("left", "right"))


def _parts(condition: Mapping[str, Any] | None) -> Iterator[Mapping[str, Any]]:
    """What must all hold for a condition to hold."""
    if condition is None:
        return
    if condition["type"] == "CONJUNCTION_AND":
        for part in condition["children"]:
            yield from _parts(part)
    else:
        yield condition


def _bare(node: Mapping[str, Any], *, casts: bool = False) -> Mapping[str, Any]:
    """An expression without what leaves a key the same; with `casts` also without another type."""
    match node:
        case {"class": "FUNCTION", "function_name": str(name), "arguments": [{"expression": inner}]} if name in _SAME:
            return _bare(inner, casts=casts)
        case {"class": "CAST", "child": inner, "type_expr": {"type_name": str(name)}} if casts or _is_text(name):
            return _bare(inner, casts=casts)
        case _:
            return node


def _is_text(name: str) -> bool:
    return name.casefold() in ("varchar", "text", "char", "bpchar", "string", "character varying", "nvarchar")
