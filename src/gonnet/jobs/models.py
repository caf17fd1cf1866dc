"""What a job file may say: one model for each part, none of them with a default that surprises."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, field_validator, model_validator

from gonnet.jobs.positions import Positions
from gonnet.wording.formats import is_date_pattern, is_number_pattern
from gonnet.wording.template import Template

NAME = r"^[A-Za-z][A-Za-z0-9_]*$"


class Part(BaseModel):
    """Any mapping of a job or workspace file: unknown keys are mistakes, values never change."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, populate_by_name=True)


Name = Annotated[str, Field(pattern=NAME)]


SPANS = ("day", "week", "month", "quarter", "half-year", "year")
"""The kinds of parameters that are periods."""


class ChoicesFrom(Part):
    """Choices that the data give: the values of a data set's column."""

    rows: str
    column: str


class Parameter(Part):
    """A value asked for at run time.

    Attributes:
        of: The choices of a `choice`: a list, or where they come from.
        several: Whether more than one of them can be chosen.
    """

    kind: Literal["text", "number", "date", "yes/no", "choice", "day", "week", "month", "quarter", "half-year", "year"]
    default: str | bool | int | Decimal | dt.date | None = None
    label: str | None = None
    of: tuple[str, ...] | ChoicesFrom = ()
    several: bool = False

    @field_validator("of", mode="before")
    @classmethod
    def _choices_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value

    @model_validator(mode="after")
    def _choices_where_they_belong(self) -> Parameter:
        if (self.kind == "choice") != bool(self.of):
            raise ValueError("a parameter of kind choice, and only that, has its choices under `of`")
        if self.several and self.kind != "choice":
            raise ValueError("only a choice can be `several`")
        return self


ColumnKind = Annotated[str, Field(pattern=r"^(text|whole|number|date|time|yes/no|decimal\(\d{1,2}, ?\d{1,2}\))$")]


def _listed(value: object) -> object:
    return (value,) if isinstance(value, str) else tuple(value) if isinstance(value, list) else value


Names = Annotated[tuple[str, ...], BeforeValidator(_listed)]


class Newest(Part):
    """How fresh a data set must be: the newest date of a column, at most so many days before the date of the run."""

    column: str
    within: int = Field(ge=0)


class ControlTotal(Part):
    """A sum that a column must have: a number, or SQL over the data sets that gives one."""

    column: str
    is_: int | Decimal | str = Field(alias="is")


class Expectation(Part):
    """What must be true of a data set before anything is made of it.

    Attributes:
        rows: At least so many.
        newest: How fresh it must be.
        columns: Columns that must be there.
        unique: Columns whose values together stand only once.
        filled: Columns without an empty value.
        total: What a column must add up to.
        otherwise: Whether the run stops or is held where something of this fails.
    """

    rows: int | None = Field(default=None, ge=0)
    newest: Newest | None = None
    columns: Names = ()
    unique: Names = ()
    filled: Names = ()
    total: ControlTotal | None = None
    otherwise: Literal["stop", "hold"] = "stop"


class Command(Part):
    """A program that is run without a shell: its words, and how long it may take."""

    run: Names = Field(min_length=1)
    seconds: int = Field(default=600, ge=1, le=86_400)


class FileDataSet(Part):
    """A data set from a file or, by a pattern, from several; its ending says what it is.

    Attributes:
        sheet: Of a workbook, or the table of a SQLite file.
        header: The row of a workbook that names the columns, from 1.
        encoding: Of a text file; found when it is not given.
        types: Column → the type it must have.
    """

    file: str
    sheet: str | None = None
    header: int = Field(default=1, ge=1)
    encoding: str | None = None
    types: dict[str, ColumnKind] = {}
    expect: Expectation = Expectation()


class PerKey(Part):
    """A query that is asked once for each key, bound as `$key`, instead of once for all.

    Attributes:
        keys: The data set (a file or a query) whose key column says which keys there are; the recipient list when not
            given.
        at_once: How many questions are asked at the same time.
    """

    keys: str | None = None
    at_once: int = Field(default=4, ge=1, le=64)


class DatabaseDataSet(Part):
    """A data set from a query to a database of the workspace."""

    database: str
    sql: str
    per_key: PerKey | None = None
    types: dict[str, ColumnKind] = {}
    expect: Expectation = Expectation()


class SqlDataSet(Part):
    """A data set from SQL over the data sets above it."""

    sql: str
    expect: Expectation = Expectation()


class Split(Part):
    """Which data set is cut, and by which column."""

    rows: str
    by: str


class RecipientList(Part):
    """Who receives: a data set with one line per contact, matched to the slices by key."""

    rows: str
    key: str
    to: str
    name: str | None = None
    cc: Names = ()
    bcc: Names = ()


class FactsBlock(Part):
    """A grid of labels and values."""

    facts: dict[str, str] = Field(min_length=1)


class TextBlock(Part):
    """Paragraphs, apart by blank lines."""

    text: str


class Column(Part):
    """One column of a table."""

    field: str
    label: str | None = None
    format: str | None = None
    align: Literal["left", "right", "centre"] | None = None
    width: float | Literal["auto"] = "auto"
    """Width in millimetres, or `auto`."""
    total: Literal["sum", "count", "average", "min", "max"] | None = None

    @field_validator("format")
    @classmethod
    def _format_can_be_written(cls, value: str | None) -> str | None:
        if value is None or is_number_pattern(value) or is_date_pattern(value):
            return value
        raise ValueError(
            f"'{value}' is neither a number pattern such as #,##0.00 nor a date pattern such as d MMM yyyy"
        )

    @field_validator("width", mode="before")
    @classmethod
    def _width_is_positive(cls, value: object) -> object:
        if isinstance(value, (int, Decimal)) and not isinstance(value, bool):
            value = float(value)
        if isinstance(value, float) and not 4 <= value <= 250:
            raise ValueError("a width is between 4 and 250 millimetres, or auto")
        return value


class TableSpec(Part):
    """Columns, and what a table says when the slice is empty."""

    columns: tuple[Column, ...] = Field(min_length=1)
    title: str | None = None
    empty: str = "No rows."

    @field_validator("columns", mode="before")
    @classmethod
    def _columns_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value


class TableBlock(Part):
    """The rows of the slice."""

    table: TableSpec


Block = FactsBlock | TextBlock | TableBlock


class Report(Part):
    """A layout of blocks over one slice."""

    title: str
    header: str | None = None
    footer: str | None = None
    landscape: bool = False
    blocks: tuple[Block, ...] = Field(min_length=1)

    @field_validator("blocks", mode="before")
    @classmethod
    def _blocks_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value


class DocumentSpec(Part):
    """One document of every package: a report in a format."""

    report: str
    format: Literal["pdf", "xlsx"] = Field(alias="as")


class PackageSpec(Part):
    """What a recipient is to get, and what the files are called."""

    documents: tuple[DocumentSpec, ...] = Field(min_length=1)
    name: str

    @field_validator("documents", mode="before")
    @classmethod
    def _documents_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value


class Rule(Part):
    """A condition and what it changes about a package."""

    name: str
    when: str
    skip: str | None = None
    hold: str | None = None

    @model_validator(mode="after")
    def _one_outcome(self) -> Rule:
        if (self.skip is None) == (self.hold is None):
            raise ValueError("a rule needs one outcome: either skip or hold, with the reason")
        return self


class Message(Part):
    """Subject and body of what is mailed."""

    subject: str
    body: str


class EmailSpec(Part):
    """How a message leaves: from whom, through which server of the workspace."""

    sender: str = Field(alias="from")
    reply_to: str | None = None
    server: str | None = None


class EmailDelivery(Part):
    """Delivery by mail."""

    email: EmailSpec


class Checks(Part):
    """What the leak check looks for besides keys and addresses, and what it may pass over.

    Attributes:
        identifying: Columns of the recipient list whose values name a recipient.
        harmless: Values that may stand in anybody's documents.
    """

    identifying: Names = ()
    harmless: Names = ()


class JobFile(Part):
    """The whole of `jobs/NAME.yaml`."""

    title: str
    about: str = ""
    tags: Names = ()
    before: Command | None = None
    after: Command | None = None
    parameters: dict[Name, Parameter] = {}
    data: dict[Name, FileDataSet | DatabaseDataSet | SqlDataSet] = Field(min_length=1)
    split: Split
    recipients: RecipientList | None = None
    figures: dict[Name, str] = {}
    reports: dict[Name, Report] = Field(min_length=1)
    package: PackageSpec
    rules: tuple[Rule, ...] = ()
    messages: dict[Name, Message] = {}
    deliver: tuple[EmailDelivery, ...] = ()
    checks: Checks = Checks()

    @field_validator("rules", "deliver", mode="before")
    @classmethod
    def _lists_as_tuples(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value

    @field_validator("deliver")
    @classmethod
    def _one_way_out(cls, value: tuple[EmailDelivery, ...]) -> tuple[EmailDelivery, ...]:
        if len(value) > 1:
            raise ValueError("a job delivers by one email entry")
        return value


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """A job file that was read: what it says, and where each part of it stands.

    Attributes:
        name: The file's stem.
        path: The file, as the operator would name it (relative to the workspace).
        file: Its contents.
        positions: Line and column of every part.
        digest: SHA-256 of the file's bytes, hexadecimal.
    """

    name: str
    path: Path
    file: JobFile
    positions: Positions
    digest: str

    def at(self, *place: str | int) -> str:
        """`file:line:column` of a part, such as `at("rules", 0, "when")`."""
        line, column = self.positions.of(place)
        return f"{self.path.as_posix()}:{line}:{column}"

    def text(self, source: str, *place: str | int) -> Template:
        """A text of this job with the place where it stands."""
        return Template(source=source, where=self.at(*place))

    @property
    def email(self) -> EmailSpec | None:
        """How messages leave, or None where the job mails nothing."""
        return self.file.deliver[0].email if self.file.deliver else None

    @property
    def message(self) -> tuple[str, Message] | None:
        """Name and text of the message that every recipient gets: `standard`, else the first; None without any."""
        messages = self.file.messages
        if not messages:
            return None
        name = "standard" if "standard" in messages else next(iter(messages))
        return name, messages[name]
