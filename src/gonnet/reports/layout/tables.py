"""Laying out a table of the slice's rows: sorted, grouped, cut off, totalled."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from itertools import groupby

from gonnet.jobs.values import Accent
from gonnet.reports.layout.models import Line, TableLayout
from gonnet.reports.plans.columns import CellText, CellValue, rounded, totalled
from gonnet.reports.plans.models import GroupPlan, LinkPlan, TablePlan
from gonnet.wording.links import Link
from gonnet.wording.template import Template

Rows = Sequence[tuple[object, ...]]
FillLink = Callable[[Template, Mapping[str, object]], Link]


class TableLayoutMaker:
    """Lays out one table of a run; keeps the formatted values."""

    def __init__(self, plan: TablePlan, writers: Sequence[CellText], groups: Sequence[CellText]) -> None:
        self._plan = plan
        self._writers = writers
        self._groups = groups

    def lay(self, rows: Rows, fill: FillLink) -> TableLayout:
        """The table for one slice's rows; `fill` gives the link that a text is with some fields of a row."""
        plan, ordered = self._plan, self._arranged(rows)
        shown = ordered[: plan.first] if plan.first is not None else ordered
        pairs = [write.all_shown([row[at] for row in shown]) for write, at in zip(self._writers, plan.at, strict=True)]
        lines = tuple(self._group_lines(shown, 0, 0)) if plan.groups else ()
        if len(shown) < len(ordered):
            lines += (Line(before=len(shown), texts=(plan.rest.replace("{}", str(len(ordered) - len(shown))),)),)
        return TableLayout(
            columns=plan.columns,
            title=plan.title,
            empty=plan.empty,
            values=tuple(tuple([value for _, value in column]) for column in pairs),
            texts=tuple(tuple([text for text, _ in column]) for column in pairs),
            rows=len(rows),
            lines=lines,
            totals=tuple(self._total_line(ordered, len(shown), 0, plan.total)),
            emphasis=self._emphasis(shown),
            exact=self._exact(rows) if plan.control else {},
            formulas=plan.formulas,
            keep=plan.keep,
            links={at: tuple(self._links(link, shown, fill)) for at, link in plan.links.items()},
        )

    def _links(self, link: LinkPlan, rows: Rows, fill: FillLink) -> Iterator[Link]:
        for row in rows:
            yield fill(link.text, {name: row[at] for name, at in link.fields})

    def _arranged(self, rows: Rows) -> Rows:
        ordered = list(rows)
        by = [*((group.at, False) for group in self._plan.groups), *self._plan.sort]
        for at, falling in reversed(by):  # each sort keeps what the one before it did, the last counts most
            # What has no value comes last, whichever way the others go.
            known = [row for row in ordered if row[at] is not None]
            known.sort(key=lambda row: row[at], reverse=falling)  # type: ignore[arg-type, return-value]  # one column, one type
            ordered = known + [row for row in ordered if row[at] is None]
        return ordered

    def _group_lines(self, rows: Rows, level: int, before: int) -> Iterator[Line]:
        group, write = self._plan.groups[level], self._groups[level]
        for number, (value, found) in enumerate(groupby(rows, key=lambda row: row[group.at])):
            members = list(found)
            name = write(value)
            yield Line(before=before, texts=(_called(group, name),), new_page=group.new_page and number > 0, named=name)
            if level + 1 < len(self._plan.groups):
                yield from self._group_lines(members, level + 1, before)
            if group.subtotals:
                label = f"{self._plan.total} {name or '–'}"
                yield from self._total_line(members, before + len(members), before, label, named=name)
            before += len(members)

    def _total_line(self, rows: Rows, before: int, since: int, label: str, named: str = "") -> Iterator[Line]:
        """The totals of rows that end before row `before`; nothing where no column is totalled."""
        columns = self._plan.columns
        if not any(column.total for column in columns):
            return
        pairs = [self._total(index, rows) for index in range(len(columns))]
        if columns[0].total is None:
            pairs[0] = (label, label)
        yield Line(
            before=before,
            texts=tuple(text for text, _ in pairs),
            values=tuple(value for _, value in pairs),
            is_total=True,
            since=since,
            named=named,
        )

    def _total(self, index: int, rows: Rows) -> CellValue:
        column, at = self._plan.columns[index], self._plan.at[index]
        weights = [row[column.weight] for row in rows] if column.weight is not None else None
        total = totalled(column, [row[at] for row in rows], weights)
        if column.total == "count":
            return f"{total}", total
        return (self._writers[index](total), rounded(column, total)) if total is not None else ("", None)

    def _exact(self, rows: Rows) -> Mapping[str, Decimal]:
        found = {}
        for column, at in zip(self._plan.columns, self._plan.at, strict=True):
            if column.total == "sum":
                total = totalled(column, [row[at] for row in rows])
                assert isinstance(total, Decimal)
                found[column.sql] = total
        return found

    def _emphasis(self, rows: Rows) -> dict[int, dict[int, frozenset[Accent]]]:
        found: dict[int, dict[int, frozenset[Accent]]] = {}
        for emphasis in self._plan.emphases:
            for number, row in enumerate(rows):
                if row[emphasis.at]:
                    cells = found.setdefault(number, {})
                    for column in emphasis.columns:
                        cells[column] = cells.get(column, frozenset()) | emphasis.look
        return found


def _called(group: GroupPlan, value: str) -> str:
    shown = value or "–"
    return f"{group.label}: {shown}" if group.label else shown
