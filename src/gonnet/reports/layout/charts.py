"""Laying out a chart: values, ticks and texts, before any format draws them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from gonnet.reports.layout.ordering import each_in_order
from gonnet.reports.plans.columns import CellText, ValueKind, rounded, totalled
from gonnet.reports.plans.models import ChartKind, ChartPlan, SeriesPlan
from gonnet.wording.formats import House, rounded_half_up

Rows = Sequence[tuple[object, ...]]
_TICKS = 5
MOST_SERIES = 6
MOST_SHARES = 20
_MOST_TOLD = 100  # places of a chart whose numbers are said
LIGHTER = (0.0, 0.55, 0.8, 0.3, 0.92, 0.7)
"""How far the colours of the series go towards white, one after the other: apart also in grey."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SeriesLayout:
    """A row of values as they are shown, rounded; None where there is none. An aggregate of the run is a line.

    Attributes:
        exact: The values before they were rounded.
    """

    label: str
    values: tuple[Decimal | None, ...]
    texts: tuple[str, ...]
    of_run: bool = False
    exact: tuple[Decimal | None, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartLayout:
    """A chart ready to be drawn.

    Attributes:
        over: What the places are called.
        places: The texts along the axis.
        measured: Whether the places are amounts or dates rather than names.
        lines: Label, value and text of lines straight across.
        ticks: Value and text of each line of the grid, from the lowest.
        pattern: How a workbook shows the values.
        parts: The labels of series that are values of the data.
    """

    kind: ChartKind
    title: str | None
    over: str
    places: tuple[str, ...]
    measured: bool
    series: tuple[SeriesLayout, ...]
    lines: tuple[tuple[str, Decimal, str], ...]
    ticks: tuple[tuple[Decimal, str], ...]
    unit: str
    pattern: str
    height: float
    alt: str
    empty: str
    parts: tuple[str, ...] = ()

    @property
    def has_labels(self) -> bool:
        """Whether values are written beside what shows them: shares, and bars that stand alone."""
        return self.kind == "shares" or (self.kind == "bars" and len(self.series) == 1 and not self.lines)

    def numbers(self) -> Iterator[tuple[str, object]]:
        """Text and value of every amount and date of it."""
        for series in self.series:
            yield from zip(series.texts, series.values, strict=True)
        for _, value, text in self.lines:
            yield from [(text, value)] * len(self.places)
        if self.measured:
            yield from ((text, None) for text in self.places)

    def drawn_numbers(self) -> Iterator[tuple[str, object]]:
        """Text and value of every amount and date that is written on its drawing."""
        if self.has_labels:
            yield from zip(self.series[0].texts, self.series[0].values, strict=True)
        yield from ((text, value) for _, value, text in self.lines)
        if self.kind != "shares":
            yield from ((text, value) for value, text in self.ticks)
        if self.measured:
            yield from ((text, None) for text in self.places)

    def in_words(self) -> str:
        """What those hear who cannot see it: what it shows, and its numbers, series by series."""
        told = [self.alt.rstrip(".")]
        for series in self.series:
            pairs = zip(self.places[:_MOST_TOLD], series.texts, strict=False)
            found = ", ".join(f"{place} {text}" for place, text in pairs if text)
            told.append(f"{series.label}: {found}{' …' if len(self.places) > _MOST_TOLD else ''}")
        told += [f"{label}: {text}" for label, _, text in self.lines]
        return ". ".join(told)

    def texts(self) -> Iterator[str]:
        """Every text on it."""
        yield from (self.title or "", self.over, self.unit, self.empty, *self.places)
        yield from (series.label for series in self.series)
        yield from (label for label, _, _ in self.lines)
        yield from (text for text, _ in (*self.numbers(), *self.drawn_numbers()))


class ChartLayoutMaker:
    """Lays out one chart of a run; keeps the formatted values."""

    def __init__(self, plan: ChartPlan, house: House) -> None:
        self._plan, self._house = plan, house
        self._place = CellText(plan.places, house)
        self._by = CellText(plan.by[1], house) if plan.by else None
        self._value = CellText(plan.body, house)

    def lay(self, rows: Rows) -> ChartLayout:
        """The chart for one slice's rows."""
        plan = self._plan
        places = each_in_order((row[plan.over] for row in rows), plan.ranks)
        own = self._own(rows, places)
        run = [self._series(label, [values.get(place) for place in places], of_run=True) for label, values in plan.run]
        named = [self._place(place) or "–" for place in places]
        if plan.kind == "shares":
            named, own = self._by_share(places, own[0])
        series = (*own, *run)
        lines = [*plan.lines]
        known = [value for value in own[0].exact if value is not None]
        if plan.average and known:
            lines.append((plan.average, sum(known, Decimal(0)) / len(known)))
        shown = tuple((label, *self._shown(value)) for label, value in lines)
        return ChartLayout(
            kind=plan.kind,
            title=plan.title,
            over=plan.places.label,
            places=tuple(named),
            measured=plan.places.kind is not ValueKind.TEXT,
            series=series,
            lines=shown,
            ticks=self._ticks(series, [value for _, value, _ in shown]),
            unit=plan.unit,
            pattern=plan.body.pattern or "0",
            height=plan.height,
            alt=plan.alt or self._described(series, named),
            empty=plan.empty,
            parts=tuple(series.label for series in own) if plan.by else (),
        )

    def _described(self, series: Sequence[SeriesLayout], places: Sequence[str]) -> str:
        """What it shows where the job does not say it: which values, and from where to where."""
        shown = ", ".join(dict.fromkeys(part.label for part in series))
        along = self._plan.places.label
        if places and self._plan.kind != "shares":
            along = f"{along}: {places[0]} – {places[-1]}" if len(places) > 1 else f"{along}: {places[0]}"
        return f"{self._house.words.chart}: {shown} ({along})"

    def _own(self, rows: Rows, places: Sequence[object]) -> list[SeriesLayout]:
        plan = self._plan
        if plan.by is None:
            return [self._aggregated(series, series.label, rows, places) for series in plan.series]
        assert self._by is not None
        at, found = plan.by[0], []
        parts = each_in_order((row[at] for row in rows), plan.by_ranks)
        kept = parts if len(parts) <= MOST_SERIES else parts[: MOST_SERIES - 1]
        for part in kept:
            mine = [row for row in rows if row[at] == part]
            found.append(self._aggregated(plan.series[0], self._by(part) or "–", mine, places))
        if len(kept) < len(parts):
            others = [row for row in rows if row[at] not in kept]
            found.append(self._aggregated(plan.series[0], "…", others, places))
        return found or [self._series("", [])]

    def _aggregated(self, series: SeriesPlan, label: str, rows: Rows, places: Sequence[object]) -> SeriesLayout:
        cells: dict[object, list[object]] = {}
        for row in rows:
            cells.setdefault(row[self._plan.over], []).append(row[series.at])
        measure = replace(self._plan.body, total=series.show)
        return self._series(label, [totalled(measure, cells[place]) if place in cells else None for place in places])

    def _series(self, label: str, values: Sequence[object], *, of_run: bool = False) -> SeriesLayout:
        exact = [Decimal(value) if isinstance(value, (int, Decimal)) else None for value in values]
        pairs = [self._shown(value) if value is not None else (None, "") for value in exact]
        return SeriesLayout(
            label=label,
            values=tuple(value for value, _ in pairs),
            texts=tuple(text for _, text in pairs),
            of_run=of_run,
            exact=tuple(exact),
        )

    def _shown(self, value: Decimal) -> tuple[Decimal, str]:
        shown = rounded(self._plan.body, value)
        assert isinstance(shown, Decimal)
        return shown, self._value(value)

    def _by_share(self, places: Sequence[object], series: SeriesLayout) -> tuple[list[str], list[SeriesLayout]]:
        """Places from the largest value down, each value with its share of the total."""
        exact = series.exact
        whole = sum((value for value in exact if value is not None), Decimal(0))
        order = sorted(range(len(places)), key=lambda at: -(exact[at] or 0))
        pairs = [(self._place(places[at]) or "–", exact[at]) for at in order]
        if len(pairs) > MOST_SHARES:  # what does not fit a page is one bar
            rest = sum((value for _, value in pairs[MOST_SHARES - 1 :] if value is not None), Decimal(0))
            pairs = [*pairs[: MOST_SHARES - 1], ("…", rest)]
        shown = self._series(series.label, [value for _, value in pairs])
        parts = zip(shown.exact, shown.texts, strict=True)
        texts = [f"{text} ({self._share(value, whole)}\u00a0%)" if value is not None else "" for value, text in parts]
        return [place for place, _ in pairs], [replace(shown, texts=tuple(texts))]

    def _share(self, value: Decimal | None, whole: Decimal) -> str:
        return self._house.number(rounded_half_up(100 * (value or 0) / whole, 1), "0.0") if whole else "–"

    def _ticks(self, series: Sequence[SeriesLayout], more: Sequence[Decimal]) -> tuple[tuple[Decimal, str], ...]:
        values = [value for part in series for value in part.values if value is not None]
        if self._plan.kind == "stacked":
            stacks = list(zip(*(part.values for part in series), strict=True))
            values = [sum((v for v in stack if v is not None and v > 0), Decimal(0)) for stack in stacks]
            values += [sum((v for v in stack if v is not None and v < 0), Decimal(0)) for stack in stacks]
        ticks = nice_ticks([*values, *more], self._least())
        return tuple((value, self._value(value)) for value in ticks)

    def _least(self) -> Decimal:
        """The least that two ticks may be apart: what is counted is whole, and what is shown alike would be two."""
        shown = Decimal(1).scaleb(-self._plan.body.places)
        return max(shown, Decimal(1)) if all(part.show == "count" for part in self._plan.series) else shown


def nice_ticks(values: Sequence[Decimal], least: Decimal = Decimal(0)) -> list[Decimal]:
    """Round values, evenly apart, that reach over `values` and zero: steps of 1, 2 or 5 times a power of ten.

    Args:
        values: What they reach over.
        least: How far they are apart at least, a power of ten.
    """
    low, high = min([Decimal(0), *values]), max([Decimal(0), *values])
    if low == high:
        high = Decimal(1)
    rough = max((high - low) / _TICKS, least)
    power = Decimal(10) ** rough.adjusted()
    step = next(power * factor for factor in (1, 2, 5, 10) if power * factor >= rough)
    first, last = (low / step).to_integral_value("ROUND_FLOOR"), (high / step).to_integral_value("ROUND_CEILING")
    return [step * number for number in range(int(first), int(last) + 1)]
