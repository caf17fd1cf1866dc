"""Texts of a job: one for everybody, or one for each language."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated

from pydantic import BaseModel, ValidationInfo, ValidatorFunctionWrapHandler, WrapValidator

from gonnet.wording.languages import chosen, language_tag, locale_of, same_language

Place = tuple[str | int, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reader:
    """For whom a job file is read.

    Attributes:
        locale: The CLDR locale whose texts are taken.
        house: The locale whose texts stand in for those that are not given.
    """

    locale: str
    house: str


class Said(str):
    """A text that knows how it was given.

    Attributes:
        tag: The tag of its language in the job file; empty where it is the same for everybody.
        every: The text in every language.
    """

    tag: str = ""
    every: tuple[str, ...] = ()


def _picked(value: object, handler: ValidatorFunctionWrapHandler, info: ValidationInfo) -> object:
    tag, texts = "", {}
    if isinstance(value, dict):
        if not value:
            raise ValueError("a text, or one for each language, is missing here")
        texts = {str(name): handler(text) for name, text in value.items()}
        reader = info.context if isinstance(info.context, Reader) else Reader(locale="en", house="en")
        tag = chosen(texts, reader.locale, reader.house)
        value = texts[tag]
    found = handler(value)
    if isinstance(found, str):
        found = Said(found)
        found.tag, found.every = tag, tuple(texts.values()) or (str(found),)
    return found


Text = Annotated[str, WrapValidator(_picked, json_schema_input_type=str | dict[str, str])]
"""A text, or a group of lines `language: text`; validated for a `Reader`, it is the text that this reader gets."""


def given(part: object, place: Place = ()) -> Iterator[tuple[Place, Said]]:
    """Every text of a part of a job file that may be given per language, with its path in the file."""
    match part:
        case Said():
            yield place, part
        case BaseModel():
            for name, field in type(part).model_fields.items():
                yield from given(getattr(part, name), (*place, field.alias or name))
        case dict():
            for name, value in part.items():
                yield from given(value, (*place, name))
        case tuple():
            for index, value in enumerate(part):
                yield from given(value, (*place, index))
        case _:
            pass


def other_language(text: str, locale: str, said: str | None = None) -> str:
    """The language tag of a text that is not in the language of a reader; empty where it is, or nobody says.

    Args:
        text: As it was read for this reader.
        locale: The reader's.
        said: The tag that the job gives with a text which is the same for everybody.
    """
    tag = (text.tag if isinstance(text, Said) else "") or said or ""
    return language_tag(locale_of(tag)) if tag and not same_language(locale_of(tag), locale) else ""


def is_for(text: Said, locale: str) -> bool:
    """Whether the text was given for the language of `locale`."""
    return bool(text.tag) and locale_of(text.tag).split("_")[0] == locale.split("_")[0]
