"""What a job says of a PDF that another system made: where it is, and whose each page is."""

from __future__ import annotations

from pydantic import Field, field_validator, model_validator

from gonnet.jobs import secrets
from gonnet.jobs.arrivals.common import OnPictures, Paged, Pattern, Value
from gonnet.jobs.sections import Name, Section
from gonnet.jobs.values import as_float


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


class Named(Value):
    """A value that pages say.

    Attributes:
        text: A regular expression for the text of a page, whose group `value`, or only group, is the value.
        within: The place where that text stands; anywhere on the page when left out.
    """

    text: Pattern
    within: Within | None = None


class PdfRun(Paged):
    """A PDF that another system made for many: cut by page, each page with the key that it says.

    Attributes:
        pdf: The file, in the workspace; `*` stands for any signs, so that a pattern names several.
        key: What says whose a page is.
        read: Values that the pages of a key say, by name; they are figures.
        pictures: What becomes of parts with pages that are pictures only, which nobody can search: held, or accepted.
        password: What opens the file, never itself: only `${NAME}` or `${keyring:SERVICE/USER}`.
    """

    pdf: str
    key: KeyFrom
    read: dict[Name, Named] = {}
    pictures: OnPictures = "hold"
    password: str | None = Field(default=None, repr=False)

    @field_validator("password")
    @classmethod
    def _never_in_the_file(cls, value: str | None) -> str | None:
        return secrets.required(value)
