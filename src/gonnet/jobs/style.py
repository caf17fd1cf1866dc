"""The house style: of the workspace, and what a job or a report changes of it."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from babel import Locale
from pydantic import AfterValidator, BeforeValidator, Field, field_validator

from gonnet.jobs.sections import Section
from gonnet.jobs.values import as_float, as_tuple
from gonnet.wording.languages import locale_of

Paper = Literal["A3", "A4", "A5", "Letter", "Legal"]


def _four(value: object) -> object:
    value = as_float(value)
    if isinstance(value, float):
        return (value,) * 4
    return tuple(as_float(part) for part in value) if isinstance(value, list) else as_tuple(value)


Margin = Annotated[float, Field(ge=5, le=80)]
_Four = tuple[Margin, Margin, Margin, Margin]
Margins = Annotated[_Four, BeforeValidator(_four, json_schema_input_type=Margin | _Four)]
"""Millimetres: top, right, bottom, left; one number is for all four."""


def _colour(value: str) -> str:
    if not re.fullmatch(r"#[0-9a-fA-F]{6}", value):
        raise ValueError(f"'{value}' is not a colour; write one such as #2f5d50")
    return value


_HEX = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]
Colour = Annotated[
    str,
    BeforeValidator(lambda value: _colour(value) if isinstance(value, str) else value, json_schema_input_type=_HEX),
]


class Fonts(Section):
    """A family of TrueType or OpenType faces (with TrueType outlines), as files of the workspace.

    Attributes:
        regular: The file of the usual face.
        bold: The file of the bold face.
        italic: The file of the italic face; the regular one when left out.
        bold_italic: The file of the bold italic face; the bold one when left out.
    """

    regular: str
    bold: str
    italic: str | None = None
    bold_italic: str | None = None


def _as_it_stands(value: str) -> str:
    if "{{" in value or "{%" in value:
        raise ValueError("merge fields are not filled here: write the text without {{ }}")
    return value


Plain = Annotated[str, AfterValidator(_as_it_stands)]
"""A text that is put in as it stands."""


class Watermark(Section):
    """A text across every page of a PDF.

    Attributes:
        text: What it says, as it stands.
        size: The size of its letters, in points.
        weight: Its face, regular or bold.
        angle: How far it is turned, in degrees, against the clock.
        opacity: From 0, which is not seen, to 1.
        place: Where on the page it stands.
        colour: Its colour, `#rrggbb`.
        under: Whether it lies under what the page shows.
    """

    text: Plain = Field(min_length=1)
    size: Annotated[float, BeforeValidator(as_float), Field(ge=6, le=300)] = 90.0
    weight: Literal["regular", "bold"] = "bold"
    angle: Annotated[float, BeforeValidator(as_float), Field(ge=-180, le=180)] = 45.0
    opacity: Annotated[float, BeforeValidator(as_float), Field(gt=0, le=1)] = 0.12
    place: Literal["top", "middle", "bottom"] = "middle"
    colour: Colour = "#1d2321"
    under: bool = True


class Style(Section):
    """The house style of every document and message.

    Attributes:
        organisation: The name at the head of every page, and the author of every file.
        accent: Colour of titles and rules, `#rrggbb`.
        second: Colour of the headings between blocks; the accent when left out.
        logo: A PNG, JPEG or SVG of the workspace, at the head of every page in place of the organisation's name.
        fonts: Faces of your own; Noto Sans when left out.
        size: The size of running text, in points; everything else grows with it.
        paper: The size of pages.
        margins: The margins of pages in millimetres: one number, or top, right, bottom, left.
        page_count: What stands at the foot of a page, or that for each language; the first `{}` is its number, the
            second how many there are.
        watermark: A text across every page of PDFs.
        locale: Language and territory, such as `en_IE`: of texts, numbers and dates.
        currency: The currency of `money` where a text names none: a code such as `EUR`.
        pdf: `tagged` PDFs can be read aloud and archived (PDF/UA-1, PDF/A-2b); `plain` ones are smaller.
    """

    organisation: Plain = ""
    accent: Colour = "#2f5d50"
    second: Colour | None = None
    logo: str | None = None
    fonts: Fonts | None = None
    size: Annotated[float, BeforeValidator(as_float), Field(ge=6, le=16)] = 9.5
    paper: Paper = "A4"
    margins: Margins = (18.0, 18.0, 18.0, 18.0)
    page_count: str | dict[str, str] | None = None
    watermark: Watermark | None = None
    locale: str = "en"
    currency: str | None = None
    pdf: Literal["tagged", "plain"] = "tagged"

    @field_validator("locale")
    @classmethod
    def _locale_is_known(cls, value: str) -> str:
        try:
            return locale_of(value)
        except ValueError as error:
            raise ValueError(f"'{value}' is not a locale; write one such as en_IE or de_AT") from error

    @field_validator("currency")
    @classmethod
    def _currency_is_a_code(cls, value: str | None) -> str | None:
        if value is not None and value not in Locale("en").currencies:
            raise ValueError(f"'{value}' is not a currency code of ISO 4217; write one such as EUR")
        return value

    @field_validator("page_count")
    @classmethod
    def _page_count_has_both(cls, value: str | dict[str, str] | None) -> str | dict[str, str] | None:
        texts = value if isinstance(value, dict) else {"en": value} if value is not None else {}
        for tag, text in texts.items():
            locale_of(tag)
            if text.count("{}") != 2:
                raise ValueError("`page_count` holds {} twice: the number of the page, and how many there are")
        return value

    def changed_by(self, other: Style | None) -> Style:
        """This style with whatever `other` says itself."""
        if other is None:
            return self
        return self.model_copy(update={name: getattr(other, name) for name in other.model_fields_set})
