"""What a job says of a chart."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs.sections import ConditionalBlock, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import Aggregate, Millimetres, as_tuple_of_one, as_tuple_of_text, exact
from gonnet.wording.formats import is_number_pattern


class Series(Section):
    """One row of values of a chart.

    Attributes:
        value: The column that is aggregated.
        show: How its values become one at each place of the axis.
        label: What it is called; the column's name when left out.
    """

    value: str
    show: Aggregate = "sum"
    label: Text | None = None


class Against(Section):
    """The whole run beside the recipient's own values, as aggregates of all recipients and never as a single one.

    Attributes:
        show: The average of all, or the quartiles.
        label: What the run is called.
        least: Over how many recipients an aggregate must be; where there are fewer, nothing is shown.
    """

    show: Literal["average", "quartiles"] = "average"
    label: Text | None = None
    least: int = Field(default=5, ge=3)


class ChartSpec(Section):
    """Values over the values of a column.

    Attributes:
        kind: How values are drawn: bars side by side, bars on each other, lines, or bars with their shares of the
            whole.
        over: The column whose values are the places on the axis.
        series: The values that are drawn: one series, or up to six.
        alt: What it shows, in words, for those who cannot see it; when left out, which values, and from where to where.
        by: A column each of whose values makes a series of its own; only with a single series.
        title: What stands above the chart.
        target: A line at this value.
        target_label: What the line of the target is called.
        average: A line at the average of the first series.
        average_label: What the line of the average is called.
        against: The whole run beside the first series.
        unit: The unit of the values, at the axis.
        format: How values are written.
        over_format: How the places on the axis are written.
        height: How high it is, in millimetres.
        empty: What stands there when there are no rows.
    """

    kind: Literal["bars", "stacked", "lines", "shares"]
    over: str
    series: Annotated[
        tuple[Series, ...],
        BeforeValidator(as_tuple_of_one, json_schema_input_type=Series | tuple[Series, ...]),
        Field(min_length=1, max_length=6),
    ]
    alt: Text | None = None
    by: str | None = None
    title: Text | None = None
    target: Annotated[Decimal | None, BeforeValidator(exact)] = None
    target_label: Text | None = None
    average: bool = False
    average_label: Text | None = None
    against: Against | None = None
    unit: Text = ""
    format: Text = "#,##0"
    over_format: Text | None = None
    height: Millimetres = 60.0
    empty: Text | None = None

    @model_validator(mode="after")
    def _parts_that_go_together(self) -> ChartSpec:
        if self.by is not None and len(self.series) > 1:
            raise ValueError("`by` makes the series: give one of them")
        if self.kind == "shares" and (len(self.series) > 1 or self.by or self.against or self.target is not None):
            raise ValueError("a chart of shares has one series and no lines")
        if self.kind == "stacked" and self.against:
            raise ValueError("the run cannot be shown next to stacked bars; use bars or lines")
        return self


_Standing = Literal["place", "average", "quartiles"]


class StandingSpec(Section):
    """A figure of the recipient among those of all, as aggregates of all and never as another's figure.

    Attributes:
        figure: Its name under `figures:`, or `rows`.
        label: What it is called.
        show: The recipient's place, the average of all, the quartiles.
        first: Whether the highest or the lowest figure has the first place.
        everyone: What all of them are called.
        least: Over how many recipients that must be; where there are fewer, the recipient's own figure stands alone.
        format: How figures are written, as a number pattern (CLDR).
        columns: How many values stand beside each other.
    """

    figure: str
    label: Text
    show: Annotated[
        tuple[_Standing, ...],
        BeforeValidator(as_tuple_of_text, json_schema_input_type=_Standing | tuple[_Standing, ...]),
        Field(min_length=1),
    ] = ("place", "average")
    first: Literal["highest", "lowest"] = "highest"
    everyone: Text | None = None
    least: int = Field(default=5, ge=3)
    format: Text = "#,##0"
    columns: int = Field(default=1, ge=1, le=3)

    @field_validator("format")
    @classmethod
    def _format_can_be_written(cls, value: str) -> str:
        if not is_number_pattern(value):
            raise ValueError(f"'{value}' is not a number pattern such as #,##0.00")
        return value


class StandingBlock(ConditionalBlock):
    """Where the recipient stands among all.

    Attributes:
        standing: Which figure, and what is said of it.
    """

    standing: StandingSpec


class ChartBlock(ConditionalBlock):
    """Values over the values of a column.

    Attributes:
        chart: What is shown over what.
    """

    chart: ChartSpec
