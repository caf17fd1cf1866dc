"""Values that several parts of a job file have in common."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field

Aggregate = Literal["sum", "count", "average", "min", "max"]
Total = Literal["sum", "count", "average", "min", "max", "weighted"]
Accent = Literal["bold", "tint", "mark"]


def as_tuple(value: object) -> object:
    """A list as a tuple."""
    return tuple(value) if isinstance(value, list) else value


def as_tuple_of_one(value: object) -> object:
    """A list, or a single group of lines, as a tuple."""
    return (value,) if isinstance(value, dict) else as_tuple(value)


def as_float(value: object) -> object:
    """A number of any kind as a float."""
    return float(value) if isinstance(value, (int, Decimal)) and not isinstance(value, bool) else value


def exact(value: object) -> object:
    """A whole number as a decimal."""
    return Decimal(value) if isinstance(value, int) and not isinstance(value, bool) else value


Millimetres = Annotated[float, BeforeValidator(as_float), Field(gt=0, le=400)]
