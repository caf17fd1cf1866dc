"""Values that several parts of a job file have in common."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import AfterValidator, BeforeValidator, Field

from gonnet.wording.languages import locale_of

Aggregate = Literal["sum", "count", "average", "min", "max"]
Total = Literal["sum", "count", "average", "min", "max", "weighted"]
Accent = Literal["bold", "tint", "mark"]
Format = Literal["pdf", "xlsx", "html", "csv", "txt", "docx", "ods"]
OfDocument = Literal["pdf", "xlsx", "html", "csv", "txt", "docx", "ods", "file"]


def as_tuple(value: object) -> object:
    """A list as a tuple."""
    return tuple(value) if isinstance(value, list) else value


def as_tuple_of_one(value: object) -> object:
    """A list, or a single group of lines, as a tuple."""
    return (value,) if isinstance(value, dict) else as_tuple(value)


def as_tuple_of_text(value: object) -> object:
    """A list, or a single text, as a tuple."""
    return (value,) if isinstance(value, str) else as_tuple(value)


def now_called(name: str, other: str) -> Callable[[object], None]:
    """Refuses a key that has another name now, and says which."""

    def refuse(_value: object) -> None:
        raise ValueError(f"`{name}:` is now called `{other}:`")

    return refuse


def as_texts(value: object) -> object:
    """A list of values of the data as a tuple of their texts."""
    if not isinstance(value, list):
        return value
    return tuple(
        str(one) if isinstance(one, (int, Decimal, dt.date)) and not isinstance(one, bool) else one for one in value
    )


InOrder = Annotated[
    tuple[str, ...],
    BeforeValidator(as_texts, json_schema_input_type=tuple[str | int | Decimal | dt.date, ...]),
    Field(min_length=2),
]
"""Values of the data in an order of their own."""

_DAYS = {"day": 1, "week": 7, "month": 31, "year": 366}


def as_days(value: object) -> object:
    """A span such as `13 months` in days; a month has 31 of them, so that nothing is too short."""
    found = re.fullmatch(r"(\d+)\s*(day|week|month|year)s?", value.strip()) if isinstance(value, str) else None
    if found is None:
        raise ValueError(f"'{value}' is not a span of time; write one such as 13 months")
    return int(found[1]) * _DAYS[found[2]]


_SPAN = Annotated[str, Field(pattern=r"^\s*\d+\s*(day|week|month|year)s?\s*$")]
Days = Annotated[int, BeforeValidator(as_days, json_schema_input_type=_SPAN), Field(ge=1)]
"""A span of time in days."""


def as_float(value: object) -> object:
    """A number of any kind as a float."""
    return float(value) if isinstance(value, (int, Decimal)) and not isinstance(value, bool) else value


def exact(value: object) -> object:
    """A whole number as a decimal."""
    return Decimal(value) if isinstance(value, int) and not isinstance(value, bool) else value


Millimetres = Annotated[float, BeforeValidator(as_float), Field(gt=0, le=400)]


def _as_language(value: str) -> str:
    locale_of(value)
    return value


LanguageTag = Annotated[str, AfterValidator(_as_language)]
"""A tag of BCP 47, such as `de` or `en-IE`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Joint:
    """How several reports make one PDF.

    Attributes:
        cover: Whether the first of them is a cover, without header, footer and page number.
        contents: Whether a page with contents comes before the others.
        by_key: Whether its parts are of several keys, whose names then stand in the contents and on the sheets.
    """

    cover: bool = False
    contents: bool = False
    by_key: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class CsvForm:
    """How a CSV file is written.

    Attributes:
        delimiter: What stands between values.
        decimal: The decimal sign of numbers.
        quoting: `needed` quotes what must be, `all` everything.
        encoding: `utf-8` with a mark (BOM) is `utf-8-sig`.
        dates: `iso`, or as they are `shown` to the reader.
    """

    delimiter: str
    decimal: str
    quoting: Literal["needed", "all"] = "needed"
    encoding: str = "utf-8-sig"
    dates: Literal["iso", "shown"] = "iso"
