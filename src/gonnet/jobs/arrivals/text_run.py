"""What a job says of a print file that another system made: how it is written, and whose each page is."""

from __future__ import annotations

import codecs
from typing import ClassVar

from pydantic import Field, field_validator, model_validator

from gonnet.jobs.arrivals.common import Paged, Pattern, Value
from gonnet.jobs.sections import Name, Section


class Lines(Section):
    """A place on a page of text.

    Attributes:
        line: The first line of the place, from 1.
        lines: How many lines it has.
        column: The first column of the place, from 1.
        columns: How many columns it has; all that follow when left out.
    """

    line: int = Field(ge=1)
    lines: int = Field(default=1, ge=1)
    column: int = Field(default=1, ge=1)
    columns: int | None = Field(default=None, ge=1)


class KeyInText(Section):
    """What says whose a page of text is.

    Attributes:
        text: A regular expression for the text of a page, whose group `key`, or only group, is the key; or
        within: The place where that text stands; anywhere on the page when left out.
        list: a CSV file of the workspace with the columns `key`, `first` and `last`, which are pages from 1.
    """

    text: Pattern | None = None
    within: Lines | None = None
    list: str | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> KeyInText:
        if (self.text is None) == (self.list is None):
            raise ValueError("a key comes from one of `text` and `list`")
        if self.within is not None and self.text is None:
            raise ValueError("`within` is the place of a `text`")
        return self


class InText(Value):
    """A value that pages of text say.

    Attributes:
        text: A regular expression for the text of a page, whose group `value`, or only group, is the value.
        within: The place where that text stands; anywhere on the page when left out.
    """

    text: Pattern
    within: Lines | None = None


class TextRun(Paged):
    """A print file that another system made for many: cut by page, each page with the key that it says.

    Attributes:
        text: The file, in the workspace; `*` stands for any signs, so that a pattern names several.
        encoding: How its signs are written, such as `cp850` or `latin-1`; UTF-8 when left out.
        lines: How many lines a page has; pages end with a form feed when left out, or where one comes before.
        key: What says whose a page is.
        read: Values that the pages of a key say, by name; they are figures.
    """

    formats: ClassVar[tuple[str, ...]] = ("pdf", "txt")

    text: str
    encoding: str = "utf-8"
    lines: int | None = Field(default=None, ge=1, le=1000)
    key: KeyInText
    read: dict[Name, InText] = {}

    @field_validator("encoding")
    @classmethod
    def _is_known(cls, value: str) -> str:
        try:
            codecs.lookup(value)
        except LookupError as error:
            raise ValueError(f"'{value}' is not an encoding; write one such as cp850") from error
        return value
