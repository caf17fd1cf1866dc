"""What a job says of a chart."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from gonnet.jobs.sections import ConditionalBlock, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import Aggregate, Millimetres, as_tuple, as_tuple_of_one, exact
from gonnet.wording.formats import is_number_pattern


class Series(Section):
    """One row of values of a chart.

    Attributes:
        value: The column that is aggregated.
        show: How.
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
        over: The column whose values are the places on the axis.
        by: A column each of whose values makes a series of its own; only with a single series.
        target: A line at this value.
        average: A line at the average of the first series.
        against: The whole run beside the first series.
        unit: What the values are of, at the axis.
        format: How values are written.
        over_format: How the places on the axis are written.
        height: In millimetres.
        alt: What it shows, for those who cannot see it.
    """

    kind: Literal["bars", "stacked", "lines", "shares"]
    over: str
    series: Annotated[tuple[Series, ...], BeforeValidator(as_tuple_of_one), Field(min_length=1, max_length=6)]
    alt: Text
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


class StandingSpec(Section):
    """A figure of the recipient among those of all, as aggregates of all and never as another's figure.

    Attributes:
        figure: Its name under `figures:`, or `rows`.
        label: What it is called.
        show: The recipient's place, the average of all, the quartiles.
        first: Whether the highest or the lowest figure has the first place.
        everyone: What all of them are called.
        least: Over how many recipients that must be; where there are fewer, the recipient's own figure stands alone.
    """

    figure: str
    label: Text
    show: Annotated[
        tuple[Literal["place", "average", "quartiles"], ...],
        BeforeValidator(lambda value: (value,) if isinstance(value, str) else as_tuple(value)),
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
    """Where the recipient stands among all."""

    standing: StandingSpec


class ChartBlock(ConditionalBlock):
    """Values over the values of a column."""

    chart: ChartSpec
