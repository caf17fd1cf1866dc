"""What all documents have in common that other systems made for many."""

from __future__ import annotations

import re
from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field, field_validator

from gonnet.jobs.sections import Names, Section
from gonnet.jobs.sources import Expectation
from gonnet.jobs.texts import Text

KEY, FILE, PAGE, SHEET, ROW = "key", "file", "page", "sheet", "row"
"""Columns of the data set that an arrival is."""


def _pattern(text: str) -> str:
    try:
        found = re.compile(text)
    except re.error as error:
        raise ValueError(f"'{text}' is no regular expression: {error}") from error
    if found.groups > 1 and "key" not in found.groupindex and "value" not in found.groupindex:
        raise ValueError(f"'{text}' has several groups: call the one that is meant (?P<key>…), or (?P<value>…)")
    return text


Pattern = Annotated[str, AfterValidator(_pattern)]
"""A regular expression with one group, which is what is meant; all that it matches where it has none."""

OnPictures = Literal["hold", "accept"]


class Value(Section):
    """A value that an arrival says.

    Attributes:
        kind: What it is.
        numbers: How numbers are written, shown by one of them, such as `1.234,56`.
        dates: The patterns (CLDR) in which dates are written.
    """

    kind: Literal["text", "number", "date"] = Field(default="text", alias="as")
    numbers: str | None = None
    dates: Names = ()


class Coming(Section):
    """A document for many, or a folder of them, that another system made.

    Attributes:
        title: What it is called where it stands among other parts of a document; made from its name when left out.
        leave_out: Regular expressions: what has one of them in its text is nobody's, such as a separator sheet.
        expect: What must be true of it before anything is made; its rows are its pages, sheets, rows or files.
    """

    formats: ClassVar[tuple[str, ...]] = ("pdf",)
    """What its parts may be; the usual first."""

    @property
    def unit(self) -> str:
        """What there is a row for in its data set."""
        return "page"

    @property
    def places(self) -> tuple[str, ...]:
        """The columns that say where one stands."""
        return FILE, PAGE

    title: Text | None = None
    leave_out: tuple[Pattern, ...] = ()
    expect: Expectation = Expectation()

    @field_validator("leave_out", mode="before", json_schema_input_type=str | tuple[str, ...])
    @classmethod
    def _one_or_several(cls, value: object) -> object:
        return (value,) if isinstance(value, str) else tuple(value) if isinstance(value, list) else value

    @field_validator("read", check_fields=False)
    @classmethod
    def _names_of_their_own(cls, value: dict[str, Value]) -> dict[str, Value]:
        taken = next((name for name in value if name.casefold() in (KEY, FILE, PAGE)), None)
        if taken is not None:
            raise ValueError(f"'{taken}' is a column of every arrival: give the value another name")
        return value


class Paged(Coming):
    """What is cut by page.

    Attributes:
        unmarked: What becomes of a page that says no key: it belongs to the one before, is a mistake, or is left out.
        again: Whether a key that comes back later is a mistake, or gets all of its pages together.
    """

    unmarked: Literal["follow", "refuse", "leave out"] = "refuse"
    again: Literal["refuse", "together"] = "refuse"
