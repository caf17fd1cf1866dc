"""Laying out bands and crosstabs: the slice's rows spread over columns."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal

from gonnet.reports.layout.models import Line, TableLayout
from gonnet.reports.layout.ordering import each_in_order
from gonnet.reports.plans.columns import CellText, CellValue, ColumnPlan, rounded, totalled
from gonnet.reports.plans.models import BandsPlan, CrosstabPlan
from gonnet.wording.formats import House, rounded_half_up

Rows = Sequence[tuple[object, ...]]
Size = Callable[[tuple[ColumnPlan, ...], Sequence[Sequence[str]]], tuple[ColumnPlan, ...]]
"""Gives columns with these texts their widths."""


def lay_out_bands(plan: BandsPlan, writers: Sequence[CellText], rows: Rows, house: House) -> TableLayout:
    """A line for each value of `by` (in the order of the rows), an amount in the band that its number falls into.

    What has no number stands in the total alone, so that the total is that of all amounts.
    """
    count, width = len(plan.edges) + 1, len(plan.by)
    lines: dict[tuple[object, ...], list[Decimal]] = {}
    for row in rows:
        key = tuple(row[at] for at in plan.by)
        sums = lines.setdefault(key, [Decimal(0)] * (count + 1))
        amount, number = row[plan.amount], row[plan.of]
        if amount is not None:
            value = _decimal(amount)
            sums[count] += value
            if number is not None:
                sums[bisect_left(plan.edges, _decimal(number))] += value
    shown = [
        [write.shown(value) for write, value in zip(writers, (*key, *sums), strict=True)] for key, sums in lines.items()
    ]
    whole = [sum(column, Decimal(0)) for column in zip(*lines.values(), strict=True)]
    totals = _foot(plan, writers, whole, len(lines), house) if lines and width else ()
    if lines and plan.shares and not width:
        totals = (_share_line(plan, whole, 1, house),)
    return _laid(plan.columns, plan.title, plan.empty, shown, len(rows), totals, keep=width)


def _foot(
    plan: BandsPlan, writers: Sequence[CellText], whole: Sequence[Decimal], before: int, house: House
) -> tuple[Line, ...]:
    width = len(plan.by)
    pairs = [write.shown(value) for write, value in zip(writers[width:], whole, strict=True)]
    head: list[CellValue] = [(plan.total, plan.total), *[("", None)] * (width - 1)]
    total = _line(before, [*head, *pairs])
    return (total, _share_line(plan, whole, before, house)) if plan.shares else (total,)


def _share_line(plan: BandsPlan, whole: Sequence[Decimal], before: int, house: House) -> Line:
    pairs: list[CellValue] = [("%", "%"), *[("", None)] * (len(plan.by) - 1)] if plan.by else []
    for value in whole:
        share = rounded_half_up(100 * value / whole[-1], 1) if whole[-1] else None
        pairs.append(("", None) if share is None else (f"{house.number(share, '0.0')}\u00a0%", share))
    return _line(before, pairs)


def lay_out_crosstab(
    plan: CrosstabPlan, head: CellText, top: CellText, body: CellText, rows: Rows, size: Size
) -> TableLayout:
    """A row for each value of one column, a column for each of another, and totals both ways.

    Totals of an average, a smallest or a largest value are those of the rows themselves, not of the cells.
    """
    cells: dict[tuple[object, object], list[object]] = {}
    for row in rows:
        value = row[plan.value] if plan.value is not None else 1
        cells.setdefault((row[plan.rows], row[plan.columns]), []).append(value)
    heads = each_in_order((row for row, _ in cells), plan.row_ranks)
    tops = each_in_order((column for _, column in cells), plan.column_ranks)
    measure = replace(plan.body, total=plan.show)

    def shown(values: list[object]) -> CellValue:
        total = totalled(measure, values) if values else None
        if total is None:
            return "", None
        return (f"{total}", total) if plan.show == "count" else (body(total), rounded(measure, total))

    def of(row: object, column: object) -> CellValue:
        return shown(cells.get((row, column), []))

    lines = [
        [head.shown(row), *(of(row, column) for column in tops), shown(_along(cells, tops, row=row))] for row in heads
    ]
    foot = [
        (plan.total, plan.total),
        *(shown([value for row in heads for value in cells.get((row, column), [])]) for column in tops),
        shown([value for values in cells.values() for value in values]),
    ]
    columns = (plan.head, *(replace(plan.body, label=top(column) or "–") for column in tops), _last(plan))
    texts = (
        [[text for text, _ in column] for column in zip(*lines, foot, strict=True)] if lines else [[]] * len(columns)
    )
    sized = size(columns, texts)
    found = _laid(sized, plan.title, plan.empty, lines, len(rows), (_line(len(lines), foot),) if lines else ())
    return replace(found, tops=tuple(map(top, tops)))


def _along(cells: Mapping[tuple[object, object], list[object]], tops: Sequence[object], *, row: object) -> list[object]:
    return [value for column in tops for value in cells.get((row, column), [])]


def _last(plan: CrosstabPlan) -> ColumnPlan:
    return replace(plan.body, label=plan.total)


def _line(before: int, pairs: Sequence[CellValue]) -> Line:
    texts, values = zip(*pairs, strict=True)
    return Line(before=before, texts=texts, values=values, is_total=True)


def _laid(
    columns: tuple[ColumnPlan, ...],
    title: str | None,
    empty: str,
    shown: Sequence[Sequence[CellValue]],
    rows: int,
    totals: tuple[Line, ...],
    keep: int = 1,
) -> TableLayout:
    by_column = list(zip(*shown, strict=True)) or [()] * len(columns)
    return TableLayout(
        columns=columns,
        title=title,
        empty=empty,
        values=tuple(tuple(value for _, value in column) for column in by_column),
        texts=tuple(tuple(text for text, _ in column) for column in by_column),
        rows=rows,
        totals=totals,
        keep=keep,
    )


def _decimal(value: object) -> Decimal:
    assert isinstance(value, (int, Decimal))
    return Decimal(value)
