"""What a job says of bands and crosstabs."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated

from pydantic import BeforeValidator, Field, model_validator

from gonnet.jobs.blocks.tables import Formatted
from gonnet.jobs.sections import ConditionalBlock, Section
from gonnet.jobs.texts import Text
from gonnet.jobs.values import (
    Aggregate,
    as_tuple,
    as_tuple_of_one,
    exact,
)


def _as_edges(value: object) -> object:
    return tuple(map(exact, value)) if isinstance(value, list) else value


Edges = Annotated[tuple[Decimal, ...], BeforeValidator(_as_edges)]


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
