"""Laying out a table of the slice's rows: sorted, grouped, cut off, totalled."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from decimal import Context, Decimal
from itertools import groupby

from gonnet.errors import DataError
from gonnet.jobs.values import Accent
from gonnet.reports.layout.models import Line, TableLayout
from gonnet.reports.layout.ordering import order_of
from gonnet.reports.layout.row_texts import RowTexts
from gonnet.reports.plans.columns import CellText, CellValue, rounded, totalled
from gonnet.reports.plans.models import GroupPlan, SortPlan, TablePlan
from gonnet.wording.formats import House

Rows = Sequence[tuple[object, ...]]
_DIGITS = Context(prec=15)  # of a number in a workbook
Currencies = Mapping[int, Mapping[int, str]]
"""Column of a table → row (by identity) → the code of its currency."""


class TableLayoutMaker:
    """Lays out one table of a run; keeps the formatted values."""

    def __init__(self, plan: TablePlan, house: House) -> None:
        self._plan, self._house = plan, house
        self._writers = [CellText(column, house) for column in plan.columns]
        self._groups = [CellText(group.column, house) for group in plan.groups]
        self._money: dict[tuple[int, str], CellText] = {}

    def lay(self, rows: Rows, texts: RowTexts) -> TableLayout:
        """The table for one slice's rows; `texts` fills what is filled for each of them."""
        plan, ordered = self._plan, self._arranged(rows)
        currencies = self._currencies(ordered, texts)
        shown = ordered[: plan.first] if plan.first is not None else ordered
        pairs = [self._pairs(index, shown, currencies) for index in range(len(plan.columns))]
        lines = tuple(self._group_lines(shown, 0, 0, currencies)) if plan.groups else ()
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
            totals=tuple(self._total_lines(ordered, len(shown), 0, plan.total, currencies)),
            emphasis=self._emphasis(shown),
            exact=self._exact(rows) if plan.control else {},
            formulas=plan.formulas,
            exact_values=self._exact_values(shown) if plan.formulas else {},
            keep=plan.keep,
            links={at: tuple(texts.link(link, row) for row in shown) for at, link in plan.links.items()},
            money={
                at: tuple(self._writer(at, codes[id(row)]).column for row in shown) for at, codes in currencies.items()
            },
        )

    def _arranged(self, rows: Rows) -> Rows:
        ordered = list(rows)
        groups = (SortPlan(at=group.at, ranks=group.ranks, falling=False) for group in self._plan.groups)
        for sort in reversed(
            (*groups, *self._plan.sort)
        ):  # each keeps what the one before it did, the last counts most
            # What has no value comes last, whichever way the others go.
            at, place = sort.at, order_of(sort.ranks)
            known = [row for row in ordered if row[at] is not None]
            known.sort(key=lambda row: place(row[at]), reverse=sort.falling)
            ordered = known + [row for row in ordered if row[at] is None]
        return ordered

    def _currencies(self, rows: Rows, texts: RowTexts) -> Currencies:
        return {
            at: {id(row): texts.currency(currency.code, row) for row in rows}
            for at, currency in self._plan.currencies.items()
        }

    def _writer(self, index: int, code: str) -> CellText:
        """What writes the amounts of a column in a currency.

        Raises:
            DataError: there is no such currency.
        """
        if (index, code) not in self._money:
            currency, column = self._plan.currencies[index], self._plan.columns[index]
            try:
                pattern = self._house.money_pattern(code, currency.pattern)
            except ValueError as error:
                raise DataError(
                    f"{error}", where=currency.code.text.where, fix="Correct the data, or `currency`"
                ) from error
            self._money[index, code] = CellText(replace(column, pattern=pattern), self._house)
        return self._money[index, code]

    def _pairs(self, index: int, rows: Rows, currencies: Currencies) -> list[CellValue]:
        at = self._plan.at[index]
        if index not in currencies:
            return self._writers[index].all_shown([row[at] for row in rows])
        codes = currencies[index]
        return [self._writer(index, codes[id(row)]).shown(row[at]) for row in rows]

    def _group_lines(self, rows: Rows, level: int, before: int, currencies: Currencies) -> Iterator[Line]:
        group, write = self._plan.groups[level], self._groups[level]
        for number, (value, found) in enumerate(groupby(rows, key=lambda row: row[group.at])):
            members = list(found)
            name = write(value)
            yield Line(before=before, texts=(_called(group, name),), new_page=group.new_page and number > 0, named=name)
            if level + 1 < len(self._plan.groups):
                yield from self._group_lines(members, level + 1, before, currencies)
            if group.subtotals:
                label = f"{self._plan.total} {name or '–'}"
                yield from self._total_lines(members, before + len(members), before, label, currencies, name)
            before += len(members)

    def _total_lines(
        self, rows: Rows, before: int, since: int, label: str, currencies: Currencies, named: str = ""
    ) -> Iterator[Line]:
        """The totals of rows that end before row `before`, of each currency by itself; nothing where there are none."""
        columns = self._plan.columns
        if not any(column.total for column in columns):
            return
        totalled_in = [currencies[at] for at in currencies if columns[at].total]
        parts: dict[tuple[str, ...], list[tuple[object, ...]]] = {}
        for row in rows:
            parts.setdefault(tuple(codes[id(row)] for codes in totalled_in), []).append(row)
        for codes in sorted(parts) if len(parts) > 1 else ():
            said = f"{label}, {' / '.join(dict.fromkeys(code or '–' for code in codes))}"
            yield self._total_line(parts[codes], before, since, said, currencies, named, is_part=True)
        if len(parts) <= 1:
            yield self._total_line(rows, before, since, label, currencies, named, is_part=False)

    def _total_line(
        self,
        rows: Rows,
        before: int,
        since: int,
        label: str,
        currencies: Currencies,
        named: str,
        *,
        is_part: bool,
    ) -> Line:
        writers = [
            self._writer(at, currencies[at][id(rows[0])]) if at in currencies and rows else writer
            for at, writer in enumerate(self._writers)
        ]
        pairs = [self._total(index, rows, write) for index, write in enumerate(writers)]
        if self._plan.columns[0].total is None:
            pairs[0] = (label, label)
        return Line(
            before=before,
            texts=tuple(text for text, _ in pairs),
            values=tuple(value for _, value in pairs),
            is_total=True,
            since=since,
            named=named,
            columns=tuple(write.column for write in writers) if currencies else (),
            is_part=is_part,
        )

    def _total(self, index: int, rows: Rows, write: CellText) -> CellValue:
        column, at = write.column, self._plan.at[index]
        weights = [row[column.weight] for row in rows] if column.weight is not None else None
        total = totalled(column, [row[at] for row in rows], weights)
        if column.total == "count":
            return f"{total}", total
        return (write(total), rounded(column, total)) if total is not None else ("", None)

    def _exact_values(self, rows: Rows) -> Mapping[int, tuple[object, ...]]:
        """What a workbook adds up: the values themselves, with as many digits as it can hold."""
        pairs = enumerate(zip(self._plan.columns, self._plan.at, strict=True))
        totalled = [(index, at) for index, (column, at) in pairs if column.total in ("sum", "average")]
        return {index: tuple(_within_15_digits(row[at]) for row in rows) for index, at in totalled}

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


def _within_15_digits(value: object) -> object:
    """A number as exactly as a workbook can hold it."""
    return _DIGITS.create_decimal(value) if isinstance(value, (int, Decimal)) else value
