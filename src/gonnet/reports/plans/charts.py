"""Settling a chart for the whole run, with what it shows of the run beside the recipient's own values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal
from typing import Any

from gonnet.data import ColumnType
from gonnet.jobs import Job
from gonnet.jobs.blocks.charts import Against, ChartSpec, Series
from gonnet.reports.plans.column_plans import by_name, labelled
from gonnet.reports.plans.fields import Fields
from gonnet.reports.plans.models import ChartPlan, SeriesPlan
from gonnet.reports.plans.standings import coarse
from gonnet.reports.plans.widths import POINTS
from gonnet.wording.formats import House
from gonnet.wording.words import Words

_SQL = {"sum": "sum", "count": "count", "average": "avg", "min": "min", "max": "max"}


def plan_chart(spec: ChartSpec, fields: Fields, job: Job, place: tuple[str | int, ...], house: House) -> ChartPlan:
    """The plan of a chart.

    Raises:
        JobError: a column is not there, holds no numbers, or a format does not fit.
    """
    words = house.words
    over = fields.column(spec.over, job.at(*place, "over"))
    by = fields.column(spec.by, job.at(*place, "by")) if spec.by else None
    series = tuple(_series(part, fields, job.at(*place, "series", at)) for at, part in enumerate(spec.series))
    kind = ColumnType(name="value", type="DECIMAL(38,10)")
    return ChartPlan(
        kind=spec.kind,
        title=spec.title,
        over=over,
        ranks=fields.ranks(spec.over, job.file.in_order, job.at("in_order", spec.over)),
        places=by_name(spec.over, fields.type_at(over), spec.over_format, house, job.at(*place)),
        by=(by, by_name(spec.by, fields.type_at(by), None, house, job.at(*place)))
        if by is not None and spec.by
        else None,
        by_ranks=fields.ranks(spec.by, job.file.in_order, job.at("in_order", spec.by)) if spec.by else {},
        series=series,
        body=replace(by_name("value", kind, spec.format, house, job.at(*place)), is_measure=True),
        lines=((_or(spec.target_label, words.target), spec.target),) if spec.target is not None else (),
        average=_or(spec.average_label, words.average) if spec.average else None,
        run=_of_run(spec.against, series[0], over, fields, words) if spec.against else (),
        unit=spec.unit,
        height=spec.height * POINTS,
        alt=spec.alt,
        empty=_or(spec.empty, words.empty),
    )


def _or(given: str | None, usual: str) -> str:
    return usual if given is None else given


def _series(part: Series, fields: Fields, where: str) -> SeriesPlan:
    at = fields.column(part.value, where) if part.show == "count" else fields.number(part.value, where, "`value`")
    return SeriesPlan(label=part.label or labelled(part.value), at=at, show=part.show)


def _of_run(
    against: Against, series: SeriesPlan, over: int, fields: Fields, words: Words
) -> tuple[tuple[str, Mapping[object, Decimal]], ...]:
    """Label of each aggregate over all recipients, and place on the axis → its value.

    A place at which there are too few recipients has none.
    """
    called, (average, *quartiles) = _or(against.label, words.everyone), words.of_everyone
    rows: list[Any] = fields.answer(
        f"""with each as (
          select gonnet_key, {fields.sql_at(over)} as place, {_SQL[series.show]}({fields.sql_at(series.at)}) as value
          from {fields.view} where gonnet_key is not null group by all
        )
        select place, avg(value), quantile_cont(value, 0.25), quantile_cont(value, 0.5), quantile_cont(value, 0.75)
        from each where value is not null group by place having count(*) >= {against.least}"""
    )
    if against.show == "average":
        return ((f"{called}, {average}", {place: Decimal(str(mean)) for place, mean, *_ in rows}),)
    return tuple(
        (f"{called}, {name}", {row[0]: coarse(Decimal(str(row[2 + at]))) for row in rows})
        for at, name in enumerate(quartiles)
    )
