"""Values of cells, and how formulas take one kind for another (ECMA-376, part 1, 18.17.2.7)."""

from __future__ import annotations

import datetime as dt
import math
from decimal import Decimal
from typing import NamedTuple


class ErrorValue(NamedTuple):
    """What a formula comes to that has no result, such as `#DIV/0!` or `#VALUE!`."""

    text: str


Value = float | str | bool | ErrorValue | None
"""A number, a text, a truth, an error, or nothing."""

DIVIDED = ErrorValue("#DIV/0!")
WRONG = ErrorValue("#VALUE!")
NO_NUMBER = ErrorValue("#NUM!")


class BeyondError(Exception):
    """A formula that is not computed here; its text says why."""


def of_cell(value: object, kind: str, epoch: dt.datetime) -> Value:
    """The value of a cell without a formula, as openpyxl has it.

    Args:
        value: The value.
        kind: Its data type.
        epoch: From which the workbook counts days.

    Raises:
        BeyondError: it is of another kind.
    """
    from openpyxl.utils.datetime import to_excel

    match value:
        case None | bool():
            return value
        case int() | float() | Decimal():
            return float(value)
        case str():
            return ErrorValue(value) if kind == "e" else value
        case dt.date() | dt.time() | dt.timedelta():
            return float(to_excel(value, epoch))  # type: ignore[no-untyped-call]
        case _:
            raise BeyondError(f"a value of the kind {type(value).__name__}")


def number(value: Value) -> float | ErrorValue:
    """A value where a number is wanted.

    Raises:
        BeyondError: a text looks like a number: which one depends on the language of whoever reads it.
    """
    if isinstance(value, ErrorValue):
        return value
    if isinstance(value, str):
        if any(sign.isdigit() for sign in value):
            raise BeyondError("a text is taken for a number")
        return WRONG
    return float(value or 0)


def finite(value: float) -> float | ErrorValue:
    """A number that a cell can hold."""
    return value if math.isfinite(value) else NO_NUMBER


def text(value: Value) -> str | ErrorValue:
    """A value where a text is wanted, as a cell without a format shows it."""
    match value:
        case ErrorValue() | str():
            return value
        case None:
            return ""
        case bool():
            return "TRUE" if value else "FALSE"
        case _:
            return f"{value:.0f}" if value.is_integer() and abs(value) < 1e15 else f"{value:.15G}"


def truth(value: Value) -> bool | ErrorValue:
    """A value where a truth is wanted."""
    if isinstance(value, str):
        return {"TRUE": True, "FALSE": False}.get(value.upper(), WRONG)
    found = number(value)
    return found if isinstance(found, ErrorValue) else found != 0


def compared(first: Value, second: Value) -> int | ErrorValue:
    """-1, 0 or 1: numbers come before texts, texts before truths; case does not count; nothing is what it meets."""
    for one in (first, second):
        if isinstance(one, ErrorValue):
            return one
    left, right = _ranked(first, second), _ranked(second, first)
    return (left > right) - (left < right)


def _ranked(value: Value, other: Value) -> tuple[int, float, str]:
    if value is None:
        value = "" if isinstance(other, str) else False if isinstance(other, bool) else 0.0
    if isinstance(value, bool):
        return 2, float(value), ""
    if isinstance(value, str):
        return 1, 0.0, value.casefold()
    assert isinstance(value, float)
    return 0, value, ""
