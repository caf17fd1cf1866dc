"""What a job says of tables and their columns."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs.sections import ConditionalBlock, Names, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import (
    Accent,
    Total,
    as_float,
    as_tuple,
    as_tuple_of_one,
    as_tuple_of_text,
)
from gonnet.wording.formats import is_date_pattern, is_number_pattern
from gonnet.wording.links import SCHEMES


class Formatted(Section):
    """How the values of a column are called and written.

    Attributes:
        label: The heading; made from the name of the column when left out.
        format: How values are written: a number pattern such as `#,##0.00`, or a date pattern such as `d MMM yyyy`
            (CLDR).
    """

    label: Text | None = None
    format: Text | None = None

    @field_validator("format")
    @classmethod
    def _format_can_be_written(cls, value: str | None) -> str | None:
        if value is None or is_number_pattern(value) or is_date_pattern(value):
            return value
        raise ValueError(
            f"'{value}' is neither a number pattern such as #,##0.00 nor a date pattern such as d MMM yyyy"
        )


class Column(Formatted):
    """One column of a table.

    Attributes:
        field: The column of the data set; or
        value: an SQL expression over a row.
        align: On which side values and heading stand: numbers `right`, others `left` when left out.
        width: Millimetres, a share of the page such as `20%`, or `auto`.
        total: What stands in the line of totals.
        weight: The column by which a `weighted` average is weighted.
        currency: The currency of its amounts: a code such as `EUR`, or a text such as `{{ row.currency }}`.
        link: Where its values lead, such as `https://pool.tarnvale.example/loads/{{ row.load_no }}`.
    """

    field: str | None = None
    value: str | None = None
    align: Literal["left", "right", "centre"] | None = None
    width: float | str = "auto"
    total: Total | None = None
    weight: str | None = None
    currency: Text | None = None
    link: Text | None = None

    @field_validator("link")
    @classmethod
    def _link_leads_somewhere(cls, value: str | None) -> str | None:
        if value is None or value.lstrip().startswith((*SCHEMES, "{")):
            return value
        raise ValueError(
            f"'{value}' leads nowhere: a link begins with https://, http:// or mailto:, or with {{{{ row.… }}}}"
        )

    @field_validator("width", mode="before")
    @classmethod
    def _width_is_sensible(cls, value: object) -> object:
        value = as_float(value)
        share = value.removesuffix("%") if isinstance(value, str) and value.endswith("%") else ""
        if value == "auto" or (share.isdecimal() and 1 <= int(share) <= 100):
            return value
        if not isinstance(value, float) or not 4 <= value <= 250:
            raise ValueError("a width is between 4 and 250 millimetres, a share of the page such as 20%, or auto")
        return value

    @model_validator(mode="after")
    def _one_source_and_a_weight_where_it_belongs(self) -> Column:
        if (self.field is None) == (self.value is None):
            raise ValueError("a column needs one source: either `field`, a column, or `value`, an SQL expression")
        if self.value is not None and self.label is None:
            raise ValueError("a column with `value` needs a `label`")
        if (self.total == "weighted") != (self.weight is not None):
            raise ValueError("`total: weighted` and `weight`, the column it is weighted by, go together")
        return self


class Group(Section):
    """Rows that belong together.

    Attributes:
        by: The column whose equal values make a group.
        label: What stands before the value in the heading of the group.
        subtotals: Whether the group ends with its own totals.
        new_page: Whether every group after the first begins a page.
    """

    by: str
    label: Text = ""
    subtotals: bool = True
    new_page: bool = False


class Emphasis(Section):
    """Rows or cells that stand out; never by a tint alone, which a print in black and white would lose.

    Attributes:
        when: SQL over a row: it stands out where this holds.
        cells: The columns that stand out, by field or label; the whole row when left out.
        look: How they stand out; never by `tint` alone.
    """

    when: str
    cells: Names = ()
    look: Annotated[
        tuple[Accent, ...], BeforeValidator(as_tuple_of_text, json_schema_input_type=Accent | tuple[Accent, ...])
    ] = Field(default=("bold", "tint"), alias="as", min_length=1)

    @field_validator("look")
    @classmethod
    def _never_by_colour_alone(cls, value: tuple[Accent, ...]) -> tuple[Accent, ...]:
        if value == ("tint",):
            raise ValueError("a tint alone is lost in black and white; add bold or mark")
        return value


class TableSpec(Section):
    """The rows of the slice.

    Attributes:
        columns: The columns, from left to right.
        title: What stands above the table.
        empty: What stands there when there are no rows.
        sort: Columns, each with ` descending` behind it where it is meant; groups come before.
        group: The columns by which rows are grouped, the outer one first.
        first: How many rows are shown at most; totals are always those of all rows.
        rest: What is said of the rows that are not shown; `{}` is their number.
        emphasise: Rows or cells that stand out.
        totals: Whether a workbook has its totals as `values` or as `formulas`.
        keep: How many columns are repeated where a table is too wide and goes on beside itself.
    """

    columns: Annotated[tuple[Column, ...], BeforeValidator(as_tuple), Field(min_length=1)]
    title: Text | None = None
    empty: Text | None = None
    sort: Names = ()
    group: Annotated[
        tuple[Group, ...], BeforeValidator(as_tuple_of_one, json_schema_input_type=Group | tuple[Group, ...])
    ] = ()
    first: int | None = Field(default=None, ge=1)
    rest: Text | None = None
    emphasise: Annotated[
        tuple[Emphasis, ...], BeforeValidator(as_tuple_of_one, json_schema_input_type=Emphasis | tuple[Emphasis, ...])
    ] = ()
    totals: Literal["values", "formulas"] = "values"
    keep: int = Field(default=1, ge=0, le=5)

    @model_validator(mode="after")
    def _formulas_see_all_rows(self) -> TableSpec:
        if self.totals == "formulas" and self.first is not None:
            raise ValueError("formulas add up what is shown: `first` and `totals: formulas` do not go together")
        return self


class TableBlock(ConditionalBlock):
    """The rows of the slice.

    Attributes:
        table: The columns, and how rows are sorted, grouped and shown.
    """

    table: TableSpec
