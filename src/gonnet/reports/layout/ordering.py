"""Values in the order in which a reader expects them: that of the job where it gives one, else their own."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from gonnet.reports.plans.models import Ranks


def order_of(ranks: Ranks) -> Callable[[Any], Any]:
    """What values of one column are sorted by: those that the job names come first."""
    if not ranks:
        return lambda value: value
    return lambda value: (ranks.get(value, len(ranks)), value)


def each_in_order(values: Iterable[object], ranks: Ranks) -> list[object]:
    """Every value once, in order; what has no value comes last."""
    found = dict.fromkeys(values)
    known = sorted((value for value in found if value is not None), key=order_of(ranks))
    return [*known, *([None] if None in found else [])]
