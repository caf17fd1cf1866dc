"""Settling the reports of a job for the whole run: which values of a row they need, formats, alignment, widths."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace

from gonnet.data import ColumnType, Engine, quoted
from gonnet.errors import JobError, meant
from gonnet.jobs import Job, blocks, references
from gonnet.jobs.blocks.charts import ChartBlock, StandingBlock
from gonnet.jobs.reports import Form, Report
from gonnet.jobs.texts import other_language
from gonnet.reports.plans.charts import plan_chart
from gonnet.reports.plans.column_plans import by_name, plan_column, widest
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.fields import Fields
from gonnet.reports.plans.forms import plan_form
from gonnet.reports.plans.models import (
    BandsPlan,
    BlockPlan,
    CrosstabPlan,
    CurrencyPlan,
    EmphasisPlan,
    FactsPlan,
    FormPlan,
    GroupPlan,
    HeadingPlan,
    Look,
    ReportPlan,
    RowText,
    SortPlan,
    Space,
    TablePlan,
    TextPlan,
)
from gonnet.reports.plans.pictures import picture
from gonnet.reports.plans.standings import plan_standing
from gonnet.reports.plans.widths import POINTS, fit_widths, page_form
from gonnet.wording.filling import fields_of

Place = tuple[str | int, ...]
_ANY_CURRENCY = "\u00a0MMM0"  # about as wide as the longest sign of a currency, and a decimal more


def plan_reports(
    engine: Engine,
    versions: Mapping[str, tuple[Job, Look]],
    bound: Mapping[str, object],
    needed: Mapping[str, Sequence[str]],
) -> tuple[dict[str, tuple[ReportPlan, ...]], dict[str, tuple[str, ...]], tuple[tuple[str, str], ...]]:
    """Plan every report that the package uses, in every language.

    Args:
        engine: The engine, after the split.
        versions: Locale → the job with the texts of that language, and the house style with its figures and dates.
        bound: Parameters by name, for expressions.
        needed: View → columns of which the values come first in a row, whatever reports need.

    Returns:
        Locale → plans; and the view of each data set that is cut → the SQL of each value of a row, in the order in
        which the plans count them; and place in the job and SQL of every expression.

    Raises:
        JobError: an expression does not run, or a format does not fit its column's type.
    """
    views = next(iter(versions.values()))[0].views
    fields = {view: Fields(engine=engine, view=view, bound=bound) for view in views}
    for view, columns in needed.items():
        for column in columns:
            fields[view].column(column, view)
    found = {}
    for locale, (job, look) in versions.items():
        in_files = (document.report for document in job.file.package.documents if document.report is not None)
        join = job.file.package.join
        covers = (join.cover,) if join and join.cover else ()
        wanted = dict.fromkeys((*in_files, *covers, *references.reports_in_messages(job)))
        found[locale] = tuple(
            _Planner(job, name, fields[job.view_of(job.file.reports[name])], look).plan() for name in wanted
        )
    asked = tuple(dict.fromkeys(one for part in fields.values() for one in part.asked))
    return found, {view: part.expressions for view, part in fields.items()}, asked


class _Planner:
    """Plans one report."""

    def __init__(self, job: Job, name: str, fields: Fields, look: Look) -> None:
        self._job, self._name, self._fields, self._look = job, name, fields, look
        self._report: Report = job.file.reports[name]
        self._page = page_form(self._report, look.style)
        self._room = self._page.room
        self._words = look.house.words

    def plan(self) -> ReportPlan:
        report, at = self._report, ("reports", self._name)
        text = self._job.text
        plans = tuple(self._block(block, (*at, "blocks", index)) for index, block in enumerate(report.blocks))
        return ReportPlan(
            name=self._name,
            view=self._fields.view,
            title=text(report.title, *at, "title"),
            language=other_language(report.title, self._look.house.locale),
            sheet=text(report.sheet if report.sheet is not None else self._words.sheet, *at, "sheet"),
            header=text(report.header, *at, "header") if report.header is not None else None,
            footer=text(report.footer, *at, "footer") if report.footer is not None else None,
            page=self._page,
            blocks=plans,
            form=self._form(report.form, plans, (*at, "form")) if report.form else None,
        )

    def _form(self, form: Form, plans: Sequence[BlockPlan], place: Place) -> FormPlan:
        cells = [(name, self._job.text(text, *place, "cells", name)) for name, text in form.cells.items()]
        table = next((block for block in plans if isinstance(block, TablePlan)), None)
        sheets = [self._job.text(text, *place, "sheets", at) for at, text in enumerate(form.sheets)]
        return plan_form(form, cells, sheets, table, self._job.reach, self._job.at(*place))

    def _block(self, block: blocks.Block, place: Place) -> BlockPlan:
        text = self._job.text
        match block:
            case blocks.HeadingBlock():
                language = other_language(block.heading, self._look.house.locale, block.language)
                return HeadingPlan(heading=text(block.heading, *place, "heading"), language=language)
            case blocks.FactsBlock():
                facts = tuple(
                    (name if fact.label is None else fact.label, text(fact.value, *place, "facts", name, "value"))
                    for name, fact in block.facts.items()
                )
                return FactsPlan(facts=facts, columns=block.columns)
            case blocks.TextBlock():
                language = other_language(block.text, self._look.house.locale, block.language)
                return TextPlan(text=text(block.text, *place, "text"), language=language)
            case blocks.ImageBlock():
                return picture(block, self._job.reach, self._job.at(*place, "image"), self._room)
            case blocks.SpaceBlock():
                return Space(height=block.space * POINTS)
            case blocks.NewPageBlock():
                return Space(height=None)
            case blocks.TableBlock():
                return self._table(block, (*place, "table"))
            case blocks.BandsBlock():
                return self._bands(block.bands, (*place, "bands"))
            case blocks.CrosstabBlock():
                return self._crosstab(block.crosstab, (*place, "crosstab"))
            case ChartBlock():
                return plan_chart(block.chart, self._fields, self._job, (*place, "chart"), self._look.house)
            case StandingBlock():
                return plan_standing(block.standing, self._fields, self._job, (*place, "standing"), self._look.house)

    def _table(self, block: blocks.TableBlock, place: Place) -> TablePlan:
        spec, at = block.table, self._job.at
        found = [self._column(column, (*place, "columns", index)) for index, column in enumerate(spec.columns)]
        columns = [column for column, _ in found]
        samples = [widest(self._fields, column, where, self._look.house) for column, where in found]
        for index, column in enumerate(spec.columns):
            if column.currency is not None:
                samples[index] = tuple(text + _ANY_CURRENCY for text in samples[index])
        return TablePlan(
            title=spec.title,
            columns=fit_widths(columns, samples, self._room, self._look, spec.keep),
            at=tuple(where for _, where in found),
            empty=self._words.empty if spec.empty is None else spec.empty,
            sort=tuple(self._sorted(text, at(*place, "sort")) for text in spec.sort),
            groups=tuple(self._group(group, (*place, "group", index)) for index, group in enumerate(spec.group)),
            first=spec.first,
            rest=self._words.rest if spec.rest is None else spec.rest,
            total=self._words.total,
            emphases=tuple(
                self._emphasis(part, spec, (*place, "emphasise", index)) for index, part in enumerate(spec.emphasise)
            ),
            formulas=spec.totals == "formulas",
            keep=min(spec.keep, len(columns) - 1),
            control=block.when is None,
            links={
                index: self._row_text(column.link, (*place, "columns", index, "link"))
                for index, column in enumerate(spec.columns)
                if column.link is not None
            },
            currencies={
                index: self._currency(column, columns[index], (*place, "columns", index))
                for index, column in enumerate(spec.columns)
                if column.currency is not None
            },
        )

    def _currency(self, column: blocks.Column, plan: ColumnPlan, place: Place) -> CurrencyPlan:
        if plan.kind is not ValueKind.NUMBER:
            what = f"column '{plan.field}' is {plan.kind.words} and has no currency"
            raise JobError(what, where=self._job.at(*place, "currency"), fix="Amounts have one; leave `currency` out")
        return CurrencyPlan(code=self._row_text(f"{column.currency}", (*place, "currency")), pattern=column.format)

    def _row_text(self, text: str, place: Place) -> RowText:
        template = self._job.text(text, *place)
        names = fields_of(template, "row")
        return RowText(text=template, fields=tuple((name, self._fields.column(name, template.where)) for name in names))

    def _ranks(self, name: str) -> dict[object, int]:
        """The order that the job gives the values of a column."""
        return self._fields.ranks(name, self._job.file.in_order, self._job.at("in_order", name))

    def _column(self, column: blocks.Column, place: Place) -> tuple[ColumnPlan, int]:
        where = self._job.at(*place)
        if column.field is not None:
            at = self._fields.column(column.field, where)
        else:
            at = self._fields.expression(f"{column.value}", self._job.at(*place, "value"))
        plan = plan_column(column, self._fields.type_at(at), self._look.house, where)
        if column.weight is not None:
            weight = self._fields.number(column.weight, self._job.at(*place, "weight"), "`weight`")
            plan = replace(plan, weight=weight)
        return replace(plan, sql=self._fields.sql_at(at)), at

    def _sorted(self, text: str, where: str) -> SortPlan:
        name = text.removesuffix(" descending")
        return SortPlan(at=self._fields.column(name, where), ranks=self._ranks(name), falling=name != text)

    def _group(self, group: blocks.Group, place: Place) -> GroupPlan:
        at = self._fields.column(group.by, self._job.at(*place, "by"))
        return GroupPlan(
            at=at,
            ranks=self._ranks(group.by),
            column=self._plain(blocks.Head(field=group.by), at, self._job.at(*place)),
            label=group.label,
            subtotals=group.subtotals,
            new_page=group.new_page,
        )

    def _emphasis(self, spec: blocks.Emphasis, table: blocks.TableSpec, place: Place) -> EmphasisPlan:
        where = self._job.at(*place, "when")
        names = {name: index for index, column in enumerate(table.columns) for name in _names(column)}
        for name in spec.cells:
            if name not in names:
                raise JobError(f"the table has no column '{name}'", where=where, fix=meant(name, list(names)))
        chosen = [names[name] for name in spec.cells] or range(len(table.columns))
        at = self._fields.condition(spec.when, where)
        return EmphasisPlan(at=at, columns=frozenset(chosen), look=frozenset(spec.look))

    def _plain(self, head: blocks.Head, at: int, where: str) -> ColumnPlan:
        """A column that heads something."""
        found = by_name(head.field, self._fields.type_at(at), head.format, self._look.house, where)
        return found if head.label is None else replace(found, label=head.label)

    def _bands(self, spec: blocks.BandsSpec, place: Place) -> BandsPlan:
        at: Callable[..., str] = self._job.at
        amount = self._fields.number(spec.amount, at(*place, "amount"), "`amount`")
        by = [self._fields.column(head.field, at(*place, "by")) for head in spec.by]
        heads = [self._plain(head, where, at(*place, "by")) for head, where in zip(spec.by, by, strict=True)]
        kind = ColumnType(name="amount", type="DECIMAL(38,2)")
        labels = [*(spec.labels or self._band_labels(spec)), self._words.total if spec.total is None else spec.total]
        bodies = [
            plan_column(
                blocks.Column(field=spec.amount, label=label, format=spec.format), kind, self._look.house, at(*place)
            )
            for label in labels
        ]
        samples = [widest(self._fields, head, where, self._look.house) for head, where in zip(heads, by, strict=True)]
        whole = widest(self._fields, replace(bodies[0], total="sum"), amount, self._look.house)
        return BandsPlan(
            title=spec.title,
            columns=fit_widths(
                [*heads, *bodies], [*samples, *[whole] * len(bodies)], self._room, self._look, len(heads)
            ),
            by=tuple(by),
            amount=amount,
            of=self._band_number(spec, place),
            edges=spec.edges,
            total=self._words.total if spec.total is None else spec.total,
            shares=spec.shares,
            empty=self._words.empty if spec.empty is None else spec.empty,
        )

    def _band_number(self, spec: blocks.BandsSpec, place: Place) -> int:
        """Where the number that chooses the band stands: a column of numbers, or the age of a date."""
        where = self._job.at(*place, "of")
        column = self._fields.column(spec.of, where)
        kind = self._fields.type_at(column)
        if kind.is_number:
            return column
        if not kind.is_date:
            raise JobError(
                f"bands are of numbers or of dates, '{spec.of}' is neither", where=where, fix="Name another column"
            )
        bound = self._fields.bound
        name = spec.on or "as_of"
        day = next((candidate for candidate in (name, f"{name}_end") if candidate in bound), None)
        if day is None:
            known = [key for key in bound if not key.endswith(("_start", "_end"))]
            raise JobError(f"there is no parameter '{name}'", where=self._job.at(*place, "on"), fix=meant(name, known))
        return self._fields.expression(f"age_in_days({quoted(spec.of)}, ${day})", where)

    def _band_labels(self, spec: blocks.BandsSpec) -> list[str]:
        """`up to 30`, `31–60` … `over 120`: whole numbers, as ages in days are; others by their edges alone."""
        edges = [f"{edge.normalize():f}" for edge in spec.edges]
        whole = all(edge == edge.to_integral_value() for edge in spec.edges)
        pairs = zip(spec.edges, edges[1:], strict=False)
        middle = [f"{low + 1:f}–{high}" if whole else f"{low}–{high}" for low, high in pairs]
        return [self._words.up_to.format(edges[0]), *middle, self._words.over.format(edges[-1])]

    def _crosstab(self, spec: blocks.CrosstabSpec, place: Place) -> CrosstabPlan:
        at = self._job.at
        rows, columns = (
            self._fields.column(head.field, at(*place, part))
            for head, part in ((spec.rows, "rows"), (spec.columns, "columns"))
        )
        head = self._plain(spec.rows, rows, at(*place, "rows"))
        value, kind = None, ColumnType(name="count", type="BIGINT")
        if spec.value is not None:
            value = self._fields.number(spec.value, at(*place, "value"), "`value`")
            kind = self._fields.type_at(value)
        pattern = "0" if spec.show == "count" else spec.format
        body = blocks.Column(field=spec.value or "count", label=spec.label or "", format=pattern, align="right")
        return CrosstabPlan(
            title=spec.title,
            head=replace(head, label=spec.label) if spec.label and spec.rows.label is None else head,
            top=self._plain(spec.columns, columns, at(*place, "columns")),
            body=replace(plan_column(body, kind, self._look.house, at(*place)), is_measure=True),
            rows=rows,
            columns=columns,
            value=value,
            row_ranks=self._ranks(spec.rows.field),
            column_ranks=self._ranks(spec.columns.field),
            show=spec.show,
            total=self._words.total if spec.total is None else spec.total,
            empty=self._words.empty if spec.empty is None else spec.empty,
        )


def _names(column: blocks.Column) -> Iterator[str]:
    """What the job may call a column of a table: its field, or its label in any language."""
    if column.field is not None:
        yield column.field
    if column.label is not None:
        yield from getattr(column.label, "every", ())
