"""What a job says of its reports and of its figures."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator

from gonnet.jobs.blocks import Block
from gonnet.jobs.sections import Section
from gonnet.jobs.style import Margins, Paper, Watermark
from gonnet.jobs.texts import Text
from gonnet.jobs.values import as_tuple


class Form(Section):
    """A workbook of one's own that is filled in, instead of one that is written.

    Attributes:
        file: A workbook of the workspace.
        cells: Name of a cell in it → what is filled in: `{{ figures.payable }}` is a number, not its text.
        rows: The name of a row in it, whose cells hold columns of the report's table; it becomes as many as there are.
        sheets: The sheets of it that a recipient gets, by name; all of them when left out.
        formulas: Whether they stay, with their values beside them, or their values take their place.
    """

    file: Text
    cells: dict[str, Text] = {}
    rows: str | None = None
    sheets: Annotated[tuple[Text, ...], BeforeValidator(as_tuple)] = ()
    formulas: Literal["keep", "values"] = "keep"


class Report(Section):
    """A layout of blocks over one slice.

    Attributes:
        title: The title of the document, with merge fields.
        rows: The data set that it shows; the main one that is cut when left out.
        sheet: The name of its sheet in a workbook.
        header: What stands at the head of every page, on the right.
        footer: What stands at the foot of every page, on the left.
        landscape: Whether its pages are wider than high.
        paper: The size of its pages; that of the house style when left out.
        margins: The margins of its pages in millimetres: one number, or top, right, bottom, left; those of the house
            style when left out.
        watermark: A text across every page of its PDF; that of the house style when left out.
        form: What its workbook is made from.
        blocks: What it shows, from top to bottom.
    """

    title: Text
    rows: str | None = None
    sheet: Text | None = None
    header: Text | None = None
    footer: Text | None = None
    landscape: bool = False
    paper: Paper | None = None
    margins: Margins | None = None
    watermark: Watermark | None = None
    form: Form | None = None
    blocks: tuple[Block, ...] = Field(min_length=1)

    @field_validator("blocks", mode="before")
    @classmethod
    def _blocks_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value


class Figure(Section):
    """An SQL aggregate over the rows of one key.

    Attributes:
        rows: The data set of the rows; the main one that is cut when left out.
        value: The aggregate, as SQL.
    """

    rows: str | None = None
    value: str


def as_value(given: object) -> object:
    """An aggregate alone, as a figure."""
    return {"value": given} if isinstance(given, str) else given
