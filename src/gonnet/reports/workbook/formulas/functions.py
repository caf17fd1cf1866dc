"""The functions that are computed here (ECMA-376, part 1, 18.17.7), over values that are known."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from decimal import ROUND_HALF_UP, Decimal
from itertools import chain
from math import fsum
from typing import NamedTuple

from gonnet.reports.workbook.formulas.values import DIVIDED, WRONG, BeyondError, ErrorValue, Value, compared, number


class Area(NamedTuple):
    """The values of some cells, row by row."""

    rows: Sequence[Sequence[Value]]

    def values(self) -> Iterable[Value]:
        """All of them in a row."""
        return chain.from_iterable(self.rows)


Argument = Value | Area


def numbers(arguments: Sequence[Argument]) -> list[float] | ErrorValue:
    """The numbers among some arguments: of cells those that are numbers, of others what they can be taken for."""
    found: list[float] = []
    for one in arguments:
        for value in one.values() if isinstance(one, Area) else (one,):
            if isinstance(value, ErrorValue):
                return value
            if isinstance(one, Area):
                found += [value] if isinstance(value, float) else []
                continue
            taken = number(value)
            if isinstance(taken, ErrorValue):
                return taken
            found.append(taken)
    return found


def _over(what: Callable[[list[float]], Value]) -> Callable[[Sequence[Argument]], Value]:
    def function(arguments: Sequence[Argument]) -> Value:
        found = numbers(arguments)
        return found if isinstance(found, ErrorValue) else what(found)

    return function


def _average(found: list[float]) -> Value:
    return fsum(found) / len(found) if found else DIVIDED


def _count(arguments: Sequence[Argument]) -> Value:
    cells = (value for one in arguments for value in (one.values() if isinstance(one, Area) else (one,)))
    return float(sum(isinstance(value, float) for value in cells))


def _counted(arguments: Sequence[Argument]) -> Value:
    cells = (value for one in arguments for value in (one.values() if isinstance(one, Area) else (one,)))
    return float(sum(value is not None for value in cells))


def _round(arguments: Sequence[Argument]) -> Value:
    value, digits = _two_numbers(arguments)
    if isinstance(value, ErrorValue) or isinstance(digits, ErrorValue):
        return value if isinstance(value, ErrorValue) else digits
    # As it is shown, not as it is in binary: 2.675 to two places is 2.68.
    return float(Decimal(repr(value)).quantize(Decimal(1).scaleb(-int(digits)), ROUND_HALF_UP))


def _absolute(arguments: Sequence[Argument]) -> Value:
    value = number(_one(arguments))
    return value if isinstance(value, ErrorValue) else abs(value)


def _one(arguments: Sequence[Argument]) -> Value:
    if len(arguments) != 1 or isinstance(arguments[0], Area):
        raise BeyondError("a function of one value that has others")
    return arguments[0]


def _two_numbers(arguments: Sequence[Argument]) -> tuple[float | ErrorValue, float | ErrorValue]:
    if len(arguments) != 2:
        raise BeyondError("a function of two values that has others")
    first, second = (number(_one([one])) for one in arguments)
    return first, second


def _sum_if(arguments: Sequence[Argument]) -> Value:
    kept = _kept(arguments)
    return kept if isinstance(kept, ErrorValue) else fsum(kept)


def _average_if(arguments: Sequence[Argument]) -> Value:
    kept = _kept(arguments)
    return kept if isinstance(kept, ErrorValue) else _average(kept)


def _kept(arguments: Sequence[Argument]) -> list[float] | ErrorValue:
    """The numbers beside the cells that fit."""
    asked, wanted, *more = arguments
    summed = more[0] if more else asked
    if not isinstance(asked, Area) or not isinstance(summed, Area) or isinstance(wanted, Area) or len(more) > 1:
        raise BeyondError("a condition that is not of cells and one value")
    pairs = list(zip(asked.values(), summed.values(), strict=False))
    if len(list(summed.values())) != len(list(asked.values())):
        raise BeyondError("a condition over other cells than are summed")
    fits = criterion(wanted)
    found = [value for key, value in pairs if fits(key)]
    wrong = next((value for value in found if isinstance(value, ErrorValue)), None)
    return wrong if wrong is not None else [value for value in found if isinstance(value, float)]


def _count_if(arguments: Sequence[Argument]) -> Value:
    asked, wanted = arguments
    if not isinstance(asked, Area) or isinstance(wanted, Area):
        raise BeyondError("a condition that is not of cells and one value")
    return float(sum(map(criterion(wanted), asked.values())))


_ASKED = re.compile(r"(<>|<=|>=|=|<|>)?(.*)", re.DOTALL)
_NUMBER = re.compile(r"-?\d+(\.\d+)?")


def criterion(wanted: Value) -> Callable[[Value], bool]:
    """The condition that a value such as `5`, `>5`, `<>North` or `No*` means.

    Raises:
        BeyondError: what it compares with may be a number in one language and a text in another.
    """
    if isinstance(wanted, ErrorValue) or wanted is None:
        raise BeyondError("a condition of an error or of nothing")
    operator, said = "=", wanted
    if isinstance(wanted, str):
        found = _ASKED.fullmatch(wanted)
        assert found is not None
        operator, said = found[1] or "=", found[2]
        if _NUMBER.fullmatch(said):
            said = float(said)
        elif any(sign.isdigit() for sign in said) and not any(sign.isalpha() for sign in said):
            raise BeyondError(f"the condition {wanted!r}")
    if isinstance(said, str):
        return _of_text(operator, said)
    return lambda value: isinstance(value, type(said)) and _holds(operator, compared(value, said))


def _of_text(operator: str, said: str) -> Callable[[Value], bool]:
    if operator not in ("=", "<>"):
        return lambda value: isinstance(value, str) and _holds(operator, compared(value, said))
    if not said:
        raise BeyondError("a condition of nothing")
    parts = re.split(r"(~?[*?])", said)
    joined = "".join({"*": ".*", "?": "."}.get(part, re.escape(part.lstrip("~"))) for part in parts)
    pattern = re.compile(joined, re.IGNORECASE | re.DOTALL)
    is_meant = operator == "="
    return lambda value: (isinstance(value, str) and pattern.fullmatch(value) is not None) is is_meant


def _holds(operator: str, found: int | ErrorValue) -> bool:
    return not isinstance(found, ErrorValue) and holds(operator, found)


def holds(operator: str, found: int) -> bool:
    """Whether a comparison that came to -1, 0 or 1 is what an operator asks."""
    return {
        "=": found == 0, "<>": found != 0, "<": found < 0, "<=": found <= 0, ">": found > 0, ">=": found >= 0
    }[operator]  # fmt: skip


FUNCTIONS: dict[str, Callable[[Sequence[Argument]], Value]] = {
    "SUM": _over(fsum),
    "AVERAGE": _over(_average),
    "MIN": _over(lambda found: min(found, default=0.0)),
    "MAX": _over(lambda found: max(found, default=0.0)),
    "COUNT": _count,
    "COUNTA": _counted,
    "ABS": _absolute,
    "ROUND": _round,
    "SUMIF": _sum_if,
    "AVERAGEIF": _average_if,
    "COUNTIF": _count_if,
}
"""What is computed once all arguments are known."""

SUBTOTALS = {1: "AVERAGE", 2: "COUNT", 3: "COUNTA", 4: "MAX", 5: "MIN", 9: "SUM"}
"""Number of a subtotal → its function (18.17.7.313); with 100 more, without rows that were hidden by hand."""

LAZY = frozenset(("IF", "IFERROR", "AND", "OR", "NOT", "SUBTOTAL"))
"""Functions that look at their arguments one by one."""

KNOWN = frozenset((*FUNCTIONS, *LAZY))
"""Every function that is computed here."""

__all__ = ["FUNCTIONS", "KNOWN", "LAZY", "SUBTOTALS", "WRONG", "Area", "Argument", "criterion", "holds", "numbers"]
