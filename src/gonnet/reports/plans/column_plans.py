"""How a column is called, written and aligned, from what the job says and what the data are."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import Any, Literal

from gonnet.data import ColumnType
from gonnet.errors import JobError
from gonnet.jobs.blocks import Column
from gonnet.reports.plans.columns import CellText, ColumnPlan, ValueKind
from gonnet.reports.plans.fields import Fields
from gonnet.wording.formats import House, has_time, is_date_pattern, is_number_pattern


def plan_column(column: Column, found: ColumnType, house: House, where: str) -> ColumnPlan:
    """The plan of a column, without its width yet.

    Raises:
        JobError: its format or its total does not fit what the values are.
    """
    kind, name = ValueKind.of(found), column.field or f"{column.label}"
    pattern = column.format
    if found.is_open and pattern is not None and is_date_pattern(pattern) and not is_number_pattern(pattern):
        kind = ValueKind.TIME
    if pattern is not None:
        fits = is_number_pattern(pattern) if kind is ValueKind.NUMBER else is_date_pattern(pattern)
        if kind not in (ValueKind.NUMBER, ValueKind.DATE, ValueKind.TIME) or not fits:
            raise JobError(
                f"the format '{pattern}' does not fit column '{name}', which is {kind.words}",
                where=where,
                fix="Numbers take a pattern such as #,##0.00, dates one such as d MMM yyyy, text none",
            )
        if kind is ValueKind.DATE and has_time(pattern):
            what = f"the format '{pattern}' has a time, and column '{name}' holds dates without one"
            raise JobError(what, where=where, fix="Leave out hours, minutes and seconds")
    if column.total in ("sum", "average", "weighted") and kind is not ValueKind.NUMBER:
        called = f"{column.total} average" if column.total == "weighted" else column.total
        raise JobError(
            f"column '{name}' is {kind.words} and has no {called}", where=where, fix="Numbers have; count works for all"
        )
    default: Literal["left", "right"] = "right" if kind is ValueKind.NUMBER else "left"
    return ColumnPlan(
        field=name,
        label=column.label if column.label is not None else labelled(name),
        kind=kind,
        pattern=pattern or default_pattern(found, kind, house),
        align=column.align or default,
        total=column.total,
        # A whole number without format or total is a name for something, not an amount; the leak check reads it as one.
        is_measure=kind is not ValueKind.TEXT
        and not (found.is_integer and column.format is None and column.total is None),
        fixed=column.width,
    )


def by_name(name: str, found: ColumnType, pattern: str | None, house: House, where: str) -> ColumnPlan:
    """A column of which the job gives no more than its name.

    Raises:
        JobError: the format does not fit what the values are.
    """
    return plan_column(Column(field=name, format=pattern), found, house, where)


def labelled(field: str) -> str:
    """A column's name as a heading: `fat_pct` → `Fat pct`."""
    words = field.replace("_", " ").strip()
    return words[:1].upper() + words[1:]


def default_pattern(found: ColumnType, kind: ValueKind, house: House) -> str | None:
    """The pattern of a column for which the job gives none."""
    match kind:
        case ValueKind.NUMBER:
            return "0" if found.is_integer else "#,##0." + "0" * min(max(found.decimals, 1), 4)
        case ValueKind.DATE:
            return house.medium_date_pattern()
        case ValueKind.TIME:
            return f"{house.medium_date_pattern()} HH:mm"
        case _:
            return None


def widest(fields: Fields, column: ColumnPlan, at: int, house: House) -> tuple[str, ...]:
    """Texts of a column among which the widest of the run is (or is nearly): the longest ones, and its total.

    Args:
        fields: The values of a row.
        column: How they are shown.
        at: Which value it is.
        house: Conventions for figures.
    """
    values = f"(select {fields.sql_at(at)} as value from {fields.view}) where value is not null"
    if column.kind is ValueKind.NUMBER:
        totals = ", sum(value)" if column.total == "sum" else ""
        longest = "arg_max(value, (length(cast(value as varchar)), value))"
        found: list[Any] = list(fields.answer(f"select min(value), max(value), {longest}{totals} from {values}")[0])
    else:
        longest = f"select distinct value from {values} order by length(cast(value as varchar)) desc, 1 limit 40"
        found = [value for (value,) in fields.answer(longest)]
    write = CellText(replace(column, total=None), house)
    return tuple(
        write(Decimal(value) if isinstance(value, int) and not isinstance(value, bool) else value) for value in found
    )
