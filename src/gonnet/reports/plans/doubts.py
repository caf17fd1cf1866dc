"""What is odd about the tables of a run's reports, from the rows of all: asked in SQL, once for each table."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from gonnet.data import Engine, quoted
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import ReportPlan, TablePlan

_LISTED = 3


class TableDoubts:
    """Looks at the tables of reports.

    Args:
        engine: The engine, after the split.
        fields: View → SQL of each value of a row, as the plans count them.
        bound: Parameters by name.
    """

    def __init__(self, engine: Engine, fields: Mapping[str, Sequence[str]], bound: Mapping[str, object]) -> None:
        self._engine, self._fields, self._bound = engine, fields, bound

    def of(self, job: Job, reports: Iterable[ReportPlan]) -> Iterator[Finding]:
        """Links with an empty value, totals that are not the sum of what is seen, orders of values that no row has."""
        views = []
        for report in reports:
            views.append(report.view)
            for table in report.tables():
                yield from self._dead_links(report, table)
                yield from self._hidden_digits(report, table)
        yield from self._unmet_orders(job, tuple(dict.fromkeys(views)))

    def _count(self, view: str, condition: str) -> int:
        sql = f"select count(*) from {view} where gonnet_key is not null and ({condition})"
        ((count,),) = self._engine.query(sql, self._bound)
        assert isinstance(count, int)
        return count

    def _dead_links(self, report: ReportPlan, table: TablePlan) -> Iterator[Finding]:
        values = self._fields[report.view]
        for at, link in table.links.items():
            empty = [f"trim(coalesce(cast({values[field]} as varchar), '')) = ''" for _, field in link.fields]
            count = self._count(report.view, " or ".join(empty)) if empty else 0
            if count:
                rows = "1 row" if count == 1 else f"{count:,} rows"
                text = f"a link under '{table.columns[at].label}' leads nowhere in {rows}: a value in it is empty"
                yield Finding(weight=Weight.ATTENTION, text=text)

    def _hidden_digits(self, report: ReportPlan, table: TablePlan) -> Iterator[Finding]:
        values = self._fields[report.view]
        pairs = zip(table.columns, table.at, strict=True)
        hidden = [column for column, at in pairs if self._hides(report.view, column, values[at])]
        if hidden:
            names = ", ".join(f"'{column.label}'" for column in hidden[:_LISTED])
            more = f" and {len(hidden) - _LISTED} more" if len(hidden) > _LISTED else ""
            text = (
                f"report '{report.name}' shows fewer decimals of {names}{more} than the data have. A total adds up the "
                f"exact values, so it may differ from the sum of what is seen; to avoid that, round the values "
                f"in SQL: round(…, {hidden[0].places})"
            )
            yield Finding(weight=Weight.NOTE, text=text)

    def _hides(self, view: str, column: ColumnPlan, sql: str) -> bool:
        """Whether a total is of more digits than its values show."""
        if column.total != "sum" or column.kind is not ValueKind.NUMBER:
            return False
        return self._count(view, f"{sql} <> round({sql}, {column.places})") > 0

    def _unmet_orders(self, job: Job, views: Sequence[str]) -> Iterator[Finding]:
        types = {view: {column.name: column.type for column in self._engine.columns(view)} for view in views}
        for name, values in job.file.in_order.items():
            known = [(view, columns[name]) for view, columns in types.items() if name in columns]
            lacking = [
                f"'{text}'" for text in values if known and not any(self._has(name, text, *one) for one in known)
            ]
            if lacking:
                shown = ", ".join(lacking[:_LISTED]) + (
                    f" and {len(lacking) - _LISTED} more" * (len(lacking) > _LISTED)
                )
                yield Finding(weight=Weight.NOTE, text=f"no row has {shown} under '{name}', which `in_order` names")

    def _has(self, column: str, text: str, view: str, kind: str) -> bool:
        sql = f"select count(*) from {view} where {quoted(column)} = try_cast($text as {kind})"
        return self._engine.query(sql, {"text": text}) != [(0,)]
