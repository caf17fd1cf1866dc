"""What a job says of documents that other systems made: where they are, and whose each part of them is."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, field_validator, model_validator

from gonnet.jobs import secrets
from gonnet.jobs.sections import Name, Names, Section
from gonnet.jobs.sources import Expectation
from gonnet.jobs.texts import Text
from gonnet.jobs.values import as_float

KEY, FILE, PAGE = "key", "file", "page"
"""The columns of the data set that an arrival is: a row for each page."""

_OWN = (KEY, FILE, PAGE)


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


class Within(Section):
    """A place on a page, in millimetres, as it is seen: turned pages are turned first.

    Attributes:
        left: From the left edge of the page to the place.
        top: From the upper edge of the page to the place.
        width: How wide the place is.
        height: How high the place is.
    """

    left: float = Field(ge=0, le=2000)
    top: float = Field(ge=0, le=2000)
    width: float = Field(gt=0, le=2000)
    height: float = Field(gt=0, le=2000)

    @field_validator("left", "top", "width", "height", mode="before")
    @classmethod
    def _numbers(cls, value: object) -> object:
        return as_float(value)


class KeyFrom(Section):
    """What says whose a page is.

    Attributes:
        text: A regular expression for the text of a page, whose group `key` is the key; or
        within: The place where that text stands; anywhere on the page when left out.
        bookmark: a regular expression for the bookmark under which a page is; or
        label: a regular expression for the label of a page, such as `F00116-1`; or
        list: a CSV file of the workspace with the columns `key`, `first` and `last`, which are pages from 1.
    """

    text: Pattern | None = None
    within: Within | None = None
    bookmark: Pattern | None = None
    label: Pattern | None = None
    list: str | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> KeyFrom:
        if sum(part is not None for part in (self.text, self.bookmark, self.label, self.list)) != 1:
            raise ValueError("a key comes from one of `text`, `bookmark`, `label` and `list`")
        if self.within is not None and self.text is None:
            raise ValueError("`within` is the place of a `text`")
        return self


class Named(Section):
    """A value that pages say.

    Attributes:
        text: A regular expression for the text of a page, whose group `value`, or only group, is the value.
        within: The place where that text stands; anywhere on the page when left out.
        kind: What it is.
        numbers: How numbers are written, shown by one of them, such as `1.234,56`.
        dates: The patterns (CLDR) in which dates are written.
    """

    text: Pattern
    within: Within | None = None
    kind: Literal["text", "number", "date"] = Field(default="text", alias="as")
    numbers: str | None = None
    dates: Names = ()


class PdfRun(Section):
    """A PDF that another system made for many: cut by page, each page with the key that it says.

    Attributes:
        title: What it is called where it stands among other parts of a document; made from its name when left out.
        pdf: The file, in the workspace; `*` stands for any signs, so that a pattern names several.
        key: What says whose a page is.
        unmarked: What becomes of a page that says no key: it belongs to the one before, is a mistake, or is left out.
        again: Whether a key that comes back later is a mistake, or gets all of its pages together.
        leave_out: Regular expressions: a page whose text has one of them is nobody's, such as a separator sheet.
        read: Values that the pages of a key say, by name; they are figures.
        pictures: What becomes of parts with pages that are pictures only, which nobody can search: held, or accepted.
        password: What opens the file, never itself: only `${NAME}` or `${keyring:SERVICE/USER}`.
        expect: What must be true of it before anything is made; its rows are pages.
    """

    title: Text | None = None
    pdf: str
    key: KeyFrom
    unmarked: Literal["follow", "refuse", "leave out"] = "refuse"
    again: Literal["refuse", "together"] = "refuse"
    leave_out: tuple[Pattern, ...] = ()
    read: dict[Name, Named] = {}
    pictures: Literal["hold", "accept"] = "hold"
    password: str | None = Field(default=None, repr=False)
    expect: Expectation = Expectation()

    @field_validator("leave_out", mode="before", json_schema_input_type=str | tuple[str, ...])
    @classmethod
    def _one_or_several(cls, value: object) -> object:
        return (value,) if isinstance(value, str) else tuple(value) if isinstance(value, list) else value

    @field_validator("password")
    @classmethod
    def _never_in_the_file(cls, value: str | None) -> str | None:
        return secrets.required(value)

    @field_validator("read")
    @classmethod
    def _names_of_their_own(cls, value: dict[str, Named]) -> dict[str, Named]:
        taken = next((name for name in value if name.casefold() in _OWN), None)
        if taken is not None:
            raise ValueError(f"'{taken}' is a column of every arrival: give the value another name")
        return value


def with_arrivals(tree: Mapping[str, object]) -> Mapping[str, object]:
    """A job with what follows from its arrivals: they are cut by their keys, and what they say are figures.

    Args:
        tree: The job in plain values, which may be wrong.
    """
    arrivals = tree["arrivals"]
    if not isinstance(arrivals, Mapping):
        return tree
    names, split = [str(name) for name in arrivals], tree.get("split")
    if split is None:
        split = {"rows": names[0], "by": KEY}
    if isinstance(split, Mapping):
        by: object = KEY if split.get("by") else []
        more = {name: by for name in names if name != split.get("rows")}
        given = split.get("also", {})
        split = {**split, "also": {**more, **given}} if isinstance(given, Mapping) else split
    figures = tree.get("figures", {})
    if isinstance(figures, Mapping):
        figures = {**_figures(arrivals), **figures}
    return {**tree, "figures": figures, "split": split}


def _figures(arrivals: Mapping[object, object]) -> dict[str, object]:
    """The values that pages say, and how many pages there are."""
    found: dict[str, object] = {}
    for name, spec in arrivals.items():
        found["pages" if len(arrivals) == 1 else f"{name}_pages"] = {"rows": name, "value": "count(*)"}
        values = spec.get("read") if isinstance(spec, Mapping) else None
        for value, said in values.items() if isinstance(values, Mapping) else ():
            is_number = isinstance(said, Mapping) and said.get("as") == "number"
            found[str(value)] = {"rows": name, "value": f"{'sum' if is_number else 'max'}({quoted_name(str(value))})"}
    return found


def quoted_name(name: str) -> str:
    """A name as SQL has it."""
    return '"' + name.replace('"', '""') + '"'
