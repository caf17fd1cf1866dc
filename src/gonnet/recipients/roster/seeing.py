"""What a line may see: values, ranges and limits in columns named like the data's, all of which must hold.

A line sees a key when every row of it meets every column; one of which a row does not, or is empty there, it does not
see at all, so that nobody gets a row by guess.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import NamedTuple

from gonnet.data import Engine, quoted
from gonnet.errors import nearest

EVERY = "*"
_LIMIT = re.compile(
    r"^(?:(?P<sign><=|>=|<|>|≤|≥)|(?P<words>more than|less than|at least|at most|from|up to))\s*(?P<value>.+)$", re.I
)
_RANGE = re.compile(r"^(?:from\s+)?(?P<low>.+?)\s*(?:\.\.|…|\s+to\s+|\s+–\s+)\s*(?P<high>.+)$", re.I)
_SAME = {"more than": ">", "less than": "<", "at least": ">=", "at most": "<=", "from": ">=", "up to": "<=", "≤": "<=",
    "≥": ">="}  # fmt: skip

Ordered = Decimal | dt.date


class CannotBeMeantError(ValueError):
    """What a cell says; the message says what is wrong with it, and how to put it right."""


class _Column(NamedTuple):
    """A column of the data: of each key its only value as text, or its least and its greatest; None for an empty row.

    Attributes:
        name: The column.
        kind: `number`, `date` or `text`.
        values: Key → what its rows have, as it is compared; None for a key with an empty one.
        shown: What is compared → how the data have it.
        extent: Key → the least and the greatest, of numbers and dates; None for a key with an empty one.
    """

    name: str
    kind: str
    values: Mapping[str, frozenset[str] | None]
    shown: Mapping[str, str]
    extent: Mapping[str, tuple[Ordered, Ordered] | None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What a cell says of a column.

    Attributes:
        said: The cell.
        every: Whether it is every value.
        values: The values, as they are compared.
        low: The least, and whether it counts itself; None for no limit.
        high: The greatest, and whether it counts itself; None for no limit.
    """

    said: str
    every: bool = False
    values: frozenset[str] = frozenset()
    low: tuple[Ordered, bool] | None = None
    high: tuple[Ordered, bool] | None = None

    def meets(self, column: _Column, key: str) -> bool:
        """Whether all rows of a key are as it says."""
        if self.every:
            return True
        if self.values:
            there = column.values.get(key)
            return there is not None and there <= self.values
        extent = column.extent.get(key)
        return extent is not None and _above(extent[0], self.low) and _below(extent[1], self.high)


def _above(value: Ordered, low: tuple[Ordered, bool] | None) -> bool:
    return low is None or value > low[0] or (low[1] and value == low[0])  # type: ignore[operator]  # both of one kind


def _below(value: Ordered, high: tuple[Ordered, bool] | None) -> bool:
    return high is None or value < high[0] or (high[1] and value == high[0])  # type: ignore[operator]


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """What one line may see.

    Attributes:
        keys: The keys, in order.
        said: The same in words.
        troubles: Column → what of it cannot be meant, or is in no row.
        is_refused: Whether nothing may be made for it: something cannot be meant, or is wider than the job allows.
    """

    keys: tuple[str, ...]
    said: str
    troubles: Mapping[str, str]
    is_refused: bool


def seen_by(
    engine: Engine,
    lines: Iterable[tuple[int, Mapping[str, str]]],
    sees: Sequence[str],
    counts: Mapping[str, int],
    *,
    everything: bool,
) -> dict[int, Seen]:
    """Row of the workbook → what its line may see.

    Args:
        engine: The engine, after the split.
        lines: Row and cells of each line, under the names of the data's columns.
        sees: The columns that say so.
        counts: Key → rows.
        everything: Whether a line may see all.

    Raises:
        DataError: the data have no such column.
    """
    columns = [_column(engine, name) for name in sees]
    return {row: _seen(cells, columns, counts, everything=everything) for row, cells in lines}


def _seen(cells: Mapping[str, str], columns: Sequence[_Column], counts: Mapping[str, int], *, everything: bool) -> Seen:
    wanted: list[tuple[_Column, Wanted]] = []
    troubles: dict[str, str] = {}
    for column in columns:
        try:
            wanted.append((column, wanted_by(cells.get(column.name, ""), column.kind)))
        except CannotBeMeantError as error:
            troubles[column.name] = str(error)
    is_refused = bool(troubles)
    if not is_refused and all(one.every for _, one in wanted) and not everything:
        troubles[columns[0].name if columns else ""] = (
            f"'{EVERY}' everywhere is all rows, which the job does not allow. Write what the person may see"
        )
        is_refused = True
    if not is_refused:
        troubles |= {column.name: text for column, one in wanted if (text := _unknown(column, one))}
    keys = () if is_refused else tuple(key for key in counts if all(one.meets(column, key) for column, one in wanted))
    said = "; ".join(f"{column.name} {one.said}" for column, one in wanted if not one.every) or "everything"
    return Seen(keys=keys, said=said, troubles=troubles, is_refused=is_refused)


def _unknown(column: _Column, wanted: Wanted) -> str:
    """Which of the values is in no row; empty where all are."""
    for value in sorted(wanted.values - column.shown.keys()):
        shown = next(
            (part for part in map(str.strip, wanted.said.split(";")) if _form(part, column.kind) == value), value
        )
        close = nearest(shown, sorted(column.shown.values()))
        return f"'{shown}' is in no row of the data" + (f". Did you mean '{close}'?" if close else "")
    return ""


def _column(engine: Engine, name: str) -> _Column:
    found = next(column for column in engine.columns("gonnet_rows") if column.name == name)
    kind = "number" if found.is_number else "date" if found.is_date else "text"
    cell = quoted(name)
    shown = f"cast(cast({cell} as date) as varchar)" if kind == "date" else f"trim(cast({cell} as varchar))"
    ends = f"min({cell}), max({cell})" if kind != "text" else "null, null"
    rows = engine.query(
        f"""select gonnet_key, count({cell}) = count(*), list(distinct {shown}), {ends}
        from gonnet_rows where gonnet_key is not null group by 1"""
    )
    values: dict[str, frozenset[str] | None] = {}
    extent: dict[str, tuple[Ordered, Ordered] | None] = {}
    original: dict[str, str] = {}
    for key, is_whole, texts, low, high in rows:
        assert isinstance(texts, list)
        forms = {_form(str(text), kind): str(text) for text in texts if text is not None}
        original |= forms
        values[str(key)] = frozenset(forms) if is_whole else None
        extent[str(key)] = (_ordered(low), _ordered(high)) if is_whole and kind != "text" else None
    return _Column(name, kind, values, original, extent)


def _ordered(value: object) -> Ordered:
    if isinstance(value, dt.datetime):
        return value.date()
    return value if isinstance(value, dt.date) else Decimal(str(value))


def _form(text: str, kind: str) -> str:
    """A value as it is compared: numbers without the zeros that their writing adds, texts without regard to case."""
    if kind == "number":
        try:
            return f"{Decimal(text.replace(' ', '')).normalize():f}"
        except InvalidOperation:
            return text
    return text.casefold()


def wanted_by(cell: str, kind: str) -> Wanted:
    """What a cell says of a column: `North`, `North; East`, `*`, `100 .. 200`, `> 400`, `more than 400`.

    Args:
        cell: The cell.
        kind: Whether the column has a `number`, a `date` or `text`.

    Raises:
        CannotBeMeantError: it says nothing, or what such a column cannot be.
    """
    text = " ".join(cell.split())
    if not text:
        raise CannotBeMeantError(f"it is empty. Write what the person may see; '{EVERY}' is every value")
    if text in (EVERY, "all"):
        return Wanted(said="any", every=True)
    if kind != "text":
        if (found := _RANGE.match(text)) is not None:
            low, high = (_value(found[side], kind) for side in ("low", "high"))
            if low > high:  # type: ignore[operator]  # both of one kind
                raise CannotBeMeantError(f"'{text}' ends before it begins. Write the smaller one first")
            return Wanted(said=text, low=(low, True), high=(high, True))
        if (found := _LIMIT.match(text)) is not None:
            sign = found["sign"] or found["words"].casefold()
            sign, limit = _SAME.get(sign, sign), _value(found["value"], kind)
            side = (limit, "=" in sign)
            return Wanted(said=text, low=side) if sign.startswith(">") else Wanted(said=text, high=side)
    elif text.startswith(("<", ">")):
        raise CannotBeMeantError(
            f"'{text}' is a limit, and this column has texts. Write the values, with ; between them"
        )
    parts = [part.strip() for part in text.split(";") if part.strip()]
    if EVERY in parts:
        raise CannotBeMeantError(f"'{EVERY}' stands with other values. Write one or the other")
    values = frozenset(_form(str(_value(part, kind)) if kind != "text" else part, kind) for part in parts)
    return Wanted(said="; ".join(parts), values=values)


def _value(text: str, kind: str) -> Ordered:
    text = text.strip()
    try:
        return dt.date.fromisoformat(text) if kind == "date" else Decimal(text.replace(" ", ""))
    except (ValueError, InvalidOperation) as error:
        what = "a date such as 2026-11-30" if kind == "date" else "a number such as 400"
        raise CannotBeMeantError(f"'{text}' is not {what}") from error
