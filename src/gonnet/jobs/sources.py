"""Where a job's figures come from: parameters, data sets, and what is expected of them."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs.sections import LooksLike, Names, Section

SPANS = ("day", "week", "month", "quarter", "half-year", "year")
"""The kinds of parameters that are periods."""


class ChoicesFrom(Section):
    """Choices that the data give: the values of a data set's column.

    Attributes:
        rows: The data set that has them.
        column: The column of the data set.
    """

    rows: str
    column: str


class Parameter(Section):
    """A value asked for at run time.

    Attributes:
        kind: What kind of value it is.
        default: The value when none is given; of a period `current`, `previous` or one of them; `all` for every choice.
        label: What the question for it says.
        of: The choices of a `choice`: a list, or where they come from.
        several: Whether more than one of them can be chosen.
    """

    kind: Literal["text", "number", "date", "yes/no", "choice", "day", "week", "month", "quarter", "half-year", "year"]
    default: str | bool | int | Decimal | dt.date | tuple[str, ...] | None = None
    label: str | None = None
    of: tuple[str, ...] | ChoicesFrom = ()
    several: bool = False

    @field_validator("of", "default", mode="before")
    @classmethod
    def _choices_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else value

    @model_validator(mode="after")
    def _choices_where_they_belong(self) -> Parameter:
        if (self.kind == "choice") != bool(self.of):
            raise ValueError("a parameter of kind choice, and only that, has its choices under `of`")
        if self.several and self.kind != "choice":
            raise ValueError("only a choice can be `several`")
        if isinstance(self.default, tuple) and not self.several:
            raise ValueError("a default of several values needs `several: true`")
        return self


ColumnKind = Annotated[
    str,
    LooksLike(
        r"(text|whole|number|date|time|yes/no|decimal\([0-9]{1,2}, ?[0-9]{1,2}\))",
        "is not a type; write text, whole, number, date, time, yes/no, or decimal(10, 2) for ten digits, two of them "
        "after the point",
    ),
]
_PlacesInLine = Annotated[
    str, LooksLike("[1-9][0-9]{0,4} ?- ?[1-9][0-9]{0,4}", "is not a first and a last place in the line, such as 1-12")
]


class Newest(Section):
    """How fresh a data set must be: the newest date of a column, at most so many days before the date of the run.

    Attributes:
        column: The column with dates.
        within: How many days before the date of the run its newest date may be.
    """

    column: str
    within: int = Field(ge=0)


class ControlTotal(Section):
    """A sum that a column must have: a number, or SQL over the data sets that gives one.

    Attributes:
        column: The column that is added up.
        is_: The sum that it must have: a number, or SQL over the data sets that gives one.
    """

    column: str
    is_: int | Decimal | str = Field(alias="is")


class Expectation(Section):
    """What must be true of a data set before anything is made of it.

    Attributes:
        rows: How many rows there must be at least.
        newest: How fresh it must be.
        columns: Columns that must be there.
        unique: Columns whose values together are unique.
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


class LastLine(Section):
    """What the last line of an export says of the lines above it.

    Attributes:
        total: The columns of which it has the sums.
        count: The column in which it has the number of lines.
    """

    total: Names = ()
    count: str | None = None


def _as_tuple(value: object) -> object:
    return tuple(value) if isinstance(value, list) else value


def _named_tuples(value: object) -> object:
    """One text or several, for all columns or by column, as tuples."""
    if isinstance(value, dict):
        return {name: _named_tuples(part) for name, part in value.items()}
    return (value,) if isinstance(value, str) else _as_tuple(value)


_Row = Annotated[int, Field(ge=0)]
_Ways = str | tuple[str, ...]
_ByColumn = Annotated[
    tuple[str, ...] | dict[str, tuple[str, ...]],
    BeforeValidator(_named_tuples, json_schema_input_type=_Ways | dict[str, _Ways]),
]


class FileDataSet(Section):
    """A data set from a file or, by a pattern, from several; its ending says what it is.

    Attributes:
        file: The file, in the workspace; `*` stands for any signs, so that a pattern names several.
        sheet: The sheet of a workbook, the table of a SQLite file, or the list in a JSON file.
        skip: Lines at the top of a text file or a sheet that do not count as rows.
        header: The row that names the columns, from 1; 0 where none does; two rows where two do.
        separator: What stands between the columns of a text file; found when it is not given.
        encoding: The encoding of a text file; found when it is not given.
        positions: Column → its first and last sign in each line of a text file, from 1, such as `1-6`.
        columns: Name in the file, or number of the column from 1 → the name it gets; nothing leaves it out.
        numbers: How numbers are written, shown by one of them; by column where they differ.
        dates: The patterns (CLDR) in which dates are written; by column where they differ.
        missing: Texts that stand for no value; by column where they differ.
        language: Whose names of months the dates have; that of the house when it is not given.
        rows: SQL over the columns, all of them text as in the file: only rows for which it holds are taken.
        last: What the last line is: the totals of the lines above it.
        types: Column → the type it must have.
        expect: What must be true of it before anything is made.
    """

    file: str
    sheet: str | None = None
    skip: int = Field(default=0, ge=0)
    header: Annotated[_Row | tuple[_Row, _Row], BeforeValidator(_as_tuple)] = 1
    separator: Literal[",", ";", "|", "tab"] | None = None
    encoding: str | None = None
    positions: dict[str, _PlacesInLine] = {}
    columns: dict[str | int, str | None] = {}
    numbers: str | dict[str, str] | None = None
    dates: _ByColumn = ()
    missing: _ByColumn = ()
    language: str | None = None
    rows: str | None = None
    last: Literal["total"] | LastLine | None = None
    types: dict[str, ColumnKind] = {}
    expect: Expectation = Expectation()


class PerKey(Section):
    """A query that is asked once for each key, bound as `$key`, instead of once for all.

    Attributes:
        keys: The data set (a file or a query) whose key column says which keys there are; the recipient list when not
            given.
        at_once: How many questions are asked at the same time.
    """

    keys: str | None = None
    at_once: int = Field(default=4, ge=1, le=64)


class DatabaseDataSet(Section):
    """A data set from a query to a database of the workspace.

    Attributes:
        database: The database of the workspace, by its name.
        sql: The query; parameters are written `$name` and are bound.
        per_key: That it is asked once for each key.
        types: Column → the type it must have.
        expect: What must be true of it before anything is made.
    """

    database: str
    sql: str
    per_key: PerKey | None = None
    types: dict[str, ColumnKind] = {}
    expect: Expectation = Expectation()


class SqlDataSet(Section):
    """A data set from SQL over the data sets above it.

    Attributes:
        sql: The query; parameters are written `$name` and are bound.
        expect: What must be true of it before anything is made.
    """

    sql: str
    expect: Expectation = Expectation()
