"""What a job says of headings, texts, facts, pictures and breaks."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field

from gonnet.jobs.sections import ConditionalBlock, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import LanguageTag, Millimetres


class HeadingBlock(ConditionalBlock):
    """A line that names what follows.

    Attributes:
        heading: The text of the heading, with merge fields.
        language: The language that it is in, where that is not the reader's.
    """

    heading: Text
    language: LanguageTag | None = None


class TextBlock(ConditionalBlock):
    """Paragraphs and lists in CommonMark.

    Attributes:
        text: Paragraphs and lists in CommonMark, with merge fields.
        language: The language that they are in, where that is not the reader's.
    """

    text: Text
    language: LanguageTag | None = None


class Fact(Section):
    """One value of a grid.

    Attributes:
        value: The text of the value, with merge fields.
        label: What it is called, where that differs from its name in the job.
    """

    value: Text
    label: Text | None = None


def _as_fact(value: object) -> object:
    return value if isinstance(value, dict) and value.keys() <= {"value", "label"} else {"value": value}


class FactsBlock(ConditionalBlock):
    """A grid of labels and values.

    Attributes:
        facts: What each value is called → its text.
        columns: How many stand beside each other.
    """

    facts: dict[str, Annotated[Fact, BeforeValidator(_as_fact, json_schema_input_type=Text | Fact)]] = Field(
        min_length=1
    )
    columns: int = Field(default=1, ge=1, le=3)


class ImageBlock(ConditionalBlock):
    """A picture from a file of the workspace: PNG, JPEG or SVG.

    Attributes:
        image: The file, in the workspace.
        alt: What it shows, in words, for those who cannot see it.
        width: How wide it is, in millimetres.
        align: On which side of the page it stands.
    """

    image: str
    alt: Text
    width: Millimetres = 40.0
    align: Literal["left", "centre", "right"] = "left"


class SpaceBlock(ConditionalBlock):
    """Room between two blocks, in millimetres.

    Attributes:
        space: How much room, in millimetres.
    """

    space: Millimetres


class NewPageBlock(ConditionalBlock):
    """What follows begins a page (in a workbook, nothing happens).

    Attributes:
        new_page: Always `true`.
    """

    new_page: Literal[True]
