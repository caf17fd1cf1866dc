"""Where a recipient stands among all: their own figure, its place, and what is usual, never anybody else's figure."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from statistics import quantiles
from typing import Any

from gonnet.errors import JobError, meant
from gonnet.jobs import Job
from gonnet.jobs.blocks.charts import StandingSpec
from gonnet.jobs.reports import Figure
from gonnet.reports.plans.fields import Fields
from gonnet.wording.formats import House

_DIGITS = 2  # of a quartile: it may be somebody's own figure, which must not be read off it


@dataclass(frozen=True, slots=True, kw_only=True)
class StandingPlan:
    """A figure of the recipient among those of all.

    Attributes:
        figure: Its name.
        label: What it is called.
        usual: Label and text of each aggregate over all recipients.
        values: The figures of all, rising; empty where places are not told.
        highest_first: Whether the highest figure has the first place.
        pattern: How figures are written.
    """

    figure: str
    label: str
    usual: tuple[tuple[str, str], ...]
    values: tuple[Decimal, ...]
    highest_first: bool
    pattern: str
    columns: int


def plan_standing(
    spec: StandingSpec, fields: Fields, job: Job, place: tuple[str | int, ...], house: House
) -> StandingPlan:
    """The block as it is for the whole run: the figures of every key that has rows, in one query.

    Raises:
        JobError: there is no such figure, or it is not a number.
    """
    figures, where = {"rows": Figure(value="count(*)"), **job.file.figures}, job.at(*place, "figure")
    if spec.figure not in figures:
        raise JobError(f"there is no figure '{spec.figure}'", where=where, fix=meant(spec.figure, sorted(figures)))
    figure = figures[spec.figure]
    view = job.view_of(figure)
    sql = f"select ({figure.value}\n) from {view} where gonnet_key is not null group by gonnet_key"
    found: list[Any] = [value for (value,) in fields.answer(sql) if value is not None]
    if not all(isinstance(value, (int, float, Decimal)) for value in found):
        raise JobError(f"figure '{spec.figure}' is not a number", where=where, fix="Name another")
    values = sorted(Decimal(str(value)) for value in found)
    enough = len(values) >= spec.least
    return StandingPlan(
        figure=spec.figure,
        label=spec.label,
        usual=tuple(_usual(spec, values, house)) if enough else (),
        values=tuple(values) if enough and "place" in spec.show else (),
        highest_first=spec.first == "highest",
        pattern=spec.format,
        columns=spec.columns,
    )


def _usual(spec: StandingSpec, values: Sequence[Decimal], house: House) -> Iterator[tuple[str, str]]:
    words = house.words
    called = words.everyone if spec.everyone is None else spec.everyone
    average, *names = words.of_everyone
    if "average" in spec.show:
        yield f"{called}, {average}", house.number(sum(values) / len(values), spec.format)
    if "quartiles" in spec.show:
        for name, value in zip(names, quantiles(values, method="inclusive"), strict=True):
            yield f"{called}, {name}", house.number(coarse(value), spec.format)


def coarse(value: Decimal) -> Decimal:
    """A number with so few digits that nobody's own is told by it."""
    return round(value, _DIGITS - 1 - value.adjusted()) if value else value


def standing_facts(plan: StandingPlan, figures: Mapping[str, object], house: House) -> tuple[tuple[str, str], ...]:
    """Label and text of one recipient's figure, of its place if it has one, and of what is usual.

    Equal figures share the better place.
    """
    own = figures[plan.figure]
    if own is None:
        return (plan.label, "–"), *plan.usual
    value = Decimal(str(own))
    return (plan.label, house.number(value, plan.pattern)), *_place(plan, value, house), *plan.usual


def _place(plan: StandingPlan, own: Decimal, house: House) -> Iterator[tuple[str, str]]:
    if plan.values:
        count = len(plan.values)
        place = count - bisect_right(plan.values, own) + 1 if plan.highest_first else bisect_left(plan.values, own) + 1
        yield house.words.place, house.words.rank.format(house.number(place, "#,##0"), house.number(count, "#,##0"))
