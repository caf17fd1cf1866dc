"""The blocks that a report is made of."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs.charts import ChartBlock, StandingBlock
from gonnet.jobs.sections import ConditionalBlock, Names, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import (
    Accent,
    Aggregate,
    Millimetres,
    Total,
    as_float,
    as_tuple,
    as_tuple_of_one,
    as_tuple_of_text,
    exact,
)
from gonnet.wording.formats import is_date_pattern, is_number_pattern
from gonnet.wording.links import SCHEMES


def _as_edges(value: object) -> object:
    return tuple(map(exact, value)) if isinstance(value, list) else value


Edges = Annotated[tuple[Decimal, ...], BeforeValidator(_as_edges)]


class HeadingBlock(ConditionalBlock):
    """A line that names what follows.

    Attributes:
        heading: The text of the heading, with merge fields.
    """

    heading: Text


class TextBlock(ConditionalBlock):
    """Paragraphs and lists in CommonMark.

    Attributes:
        text: Paragraphs and lists in CommonMark, with merge fields.
    """

    text: Text


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


class Head(Formatted):
    """A column whose values head the lines of a block, or its columns.

    Attributes:
        field: The column of the data set.
    """

    field: str


def _as_head(value: object) -> object:
    return {"field": value} if isinstance(value, str) else value


def _as_heads(value: object) -> object:
    found = (value,) if isinstance(value, str) else as_tuple_of_one(value)
    return tuple(map(_as_head, found)) if isinstance(found, tuple) else found


class BandsSpec(Section):
    """Amounts spread over intervals of a number, or of an age in days.

    Attributes:
        amount: The column that is spread.
        of: A number, or a date whose age counts.
        on: The date parameter (or period, by its end) from which ages count; the date of the run when left out.
        edges: Where one band ends and the next begins: a value on an edge belongs to the lower band.
        by: The columns that a line is for, each a name, or `field` with `label` and `format`; else one line for all.
        labels: What the bands are called; made from the edges when left out.
        format: How amounts are written, as a number pattern (CLDR).
        title: What stands above the table.
        total: What the line of totals and its column are called.
        shares: Whether a line under the totals gives each band's share.
        empty: What stands there when there are no rows.
    """

    amount: str
    of: str
    on: str | None = None
    edges: Annotated[Edges, Field(min_length=1, max_length=12)]
    by: Annotated[
        tuple[Head, ...], BeforeValidator(_as_heads, json_schema_input_type=str | Head | tuple[str | Head, ...])
    ] = ()
    labels: Annotated[tuple[Text, ...], BeforeValidator(as_tuple)] = ()
    format: str = "#,##0.00"
    title: Text | None = None
    total: Text | None = None
    shares: bool = True
    empty: Text | None = None

    @model_validator(mode="after")
    def _edges_rise(self) -> BandsSpec:
        if list(self.edges) != sorted(set(self.edges)):
            raise ValueError("the edges of bands must rise")
        if self.labels and len(self.labels) != len(self.edges) + 1:
            raise ValueError(f"{len(self.edges)} edges make {len(self.edges) + 1} bands: give as many labels, or none")
        return self


class BandsBlock(ConditionalBlock):
    """Amounts spread over intervals.

    Attributes:
        bands: The amounts, and the intervals.
    """

    bands: BandsSpec


class CrosstabSpec(Formatted):
    """One aggregate in rows × columns, with totals both ways.

    Attributes:
        rows: The column whose values head the rows: its name, or `field` with `label` and `format`.
        columns: The column whose values head the columns, likewise.
        value: The column that is aggregated; not needed for a count.
        show: How the values of a cell become one.
        title: What stands above the table.
        total: What the totals are called.
        empty: What stands there when there are no rows.
    """

    rows: Annotated[Head, BeforeValidator(_as_head, json_schema_input_type=str | Head)]
    columns: Annotated[Head, BeforeValidator(_as_head, json_schema_input_type=str | Head)]
    value: str | None = None
    show: Aggregate = "sum"
    title: Text | None = None
    total: Text | None = None
    empty: Text | None = None

    @model_validator(mode="after")
    def _a_value_to_aggregate(self) -> CrosstabSpec:
        if self.value is None and self.show != "count":
            raise ValueError(f"a crosstab that shows the {self.show} needs `value`, the column to show")
        return self


class CrosstabBlock(ConditionalBlock):
    """One aggregate in rows × columns.

    Attributes:
        crosstab: What heads the rows and the columns, and what stands in the cells.
    """

    crosstab: CrosstabSpec


Block = (
    HeadingBlock
    | TextBlock
    | FactsBlock
    | ImageBlock
    | SpaceBlock
    | NewPageBlock
    | TableBlock
    | BandsBlock
    | CrosstabBlock
    | ChartBlock
    | StandingBlock
)
