"""From a report and a slice to a layout that any format can draw."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gonnet.reports.layout.charts import ChartLayoutMaker
from gonnet.reports.layout.models import BlockLayout, FactsLayout, FormLayout, HeadingLayout, Layout, TextLayout
from gonnet.reports.layout.row_texts import RowTexts
from gonnet.reports.layout.spread import lay_out_bands, lay_out_crosstab
from gonnet.reports.layout.tables import TableLayoutMaker
from gonnet.reports.plans.columns import CellText
from gonnet.reports.plans.models import (
    BandsPlan,
    BlockPlan,
    ChartPlan,
    CrosstabPlan,
    FactsPlan,
    FormPlan,
    HeadingPlan,
    Look,
    Picture,
    ReportPlan,
    Space,
    TablePlan,
    TextPlan,
)
from gonnet.reports.plans.standings import StandingPlan, standing_facts
from gonnet.reports.plans.widths import fit_widths
from gonnet.wording.filled import Filled
from gonnet.wording.filling import Wording
from gonnet.wording.formats import House
from gonnet.wording.marked import paragraphs
from gonnet.wording.template import Template

Rows = Sequence[tuple[object, ...]]
RowsByView = Mapping[str, Rows]
Lay = Callable[[Rows, RowTexts], BlockLayout]


class LayoutMaker:
    """Lays out documents of one run; keeps each column's formatted values, so it is made once per process."""

    def __init__(self, plans: Sequence[ReportPlan], wording: Wording, look: Look) -> None:
        self._wording, self._look = wording, look
        self._plans = {plan.name: plan for plan in plans}
        self._of_rows = {
            (plan.name, index): lay
            for plan in plans
            for index, block in enumerate(plan.blocks)
            if (lay := self._layer(block, plan.page.room)) is not None
        }

    @property
    def house(self) -> House:
        """The conventions for figures."""
        return self._wording.house

    def view_of(self, report: str) -> str:
        """The view of the rows that a report shows."""
        return self._plans[report].view

    def _layer(self, block: BlockPlan, room: float) -> Lay | None:
        """What lays out a block of rows, or None for a block of texts."""
        house = self.house
        match block:
            case TablePlan():
                return TableLayoutMaker(block, house).lay
            case BandsPlan():
                writers = [CellText(column, house) for column in block.columns]
                return lambda rows, _: lay_out_bands(block, writers, rows, house)
            case CrosstabPlan():
                head, top, body = (CellText(column, house) for column in (block.head, block.top, block.body))
                return lambda rows, _: lay_out_crosstab(
                    block, head, top, body, rows, lambda columns, texts: fit_widths(columns, texts, room, self._look)
                )
            case ChartPlan():
                chart = ChartLayoutMaker(block, house)
                return lambda rows, _: chart.lay(rows)
            case _:
                return None

    def lay(
        self,
        report: str,
        key: str,
        rows: RowsByView,
        names: Mapping[str, object],
        hidden: frozenset[int] = frozenset(),
    ) -> Layout:
        """The layout of `report` for one slice.

        Args:
            report: The report's name.
            key: The slice's key, for messages.
            rows: View → the slice's rows of it, as `plan_reports` counts their values.
            names: What its texts may merge.
            hidden: The blocks that are left out, by their number.

        Raises:
            DataError: a text cannot be filled.
        """
        plan = self._plans[report]
        mine = rows.get(plan.view, ())
        title = self._filled(plan.title, names, key)
        header = self._filled(plan.header, names, key) if plan.header else Filled("")
        footer = self._filled(plan.footer, names, key) if plan.footer else Filled("")
        sheet = self._filled(plan.sheet, names, key)
        blocks: list[BlockLayout] = []
        merged = [("the title", title), ("the header", header), ("the footer", footer), ("the sheet", sheet)]
        row_texts = RowTexts(self._wording, names, key)
        for index, block in enumerate(plan.blocks):
            if index in hidden:
                continue
            of_rows = self._of_rows.get((report, index))
            if of_rows is not None:
                blocks.append(of_rows(mine, row_texts))
            else:
                blocks.append(self._of_texts(block, names, key, merged))
        return Layout(
            title=title.text,
            sheet=sheet.text,
            header=header.text,
            footer=footer.text,
            page=plan.page,
            blocks=tuple(blocks),
            merged=tuple(merged),
            form=self._form(plan.form, names, key) if plan.form else None,
            language=plan.language,
            view=plan.view,
        )

    def _form(self, form: FormPlan, names: Mapping[str, object], key: str) -> FormLayout:
        cells: list[tuple[str, object]] = []
        merged: list[Filled] = []
        for name, template in form.cells:
            value, filled = self._wording.value(template, names, key=key)
            cells.append((name, value))
            merged.append(filled)
        sheets = tuple(self._wording.fill(one, names, key=key).text for one in form.sheets)
        return FormLayout(plan=form, cells=tuple(cells), merged=tuple(merged), sheets=sheets)

    def _of_texts(
        self, block: BlockPlan, names: Mapping[str, object], key: str, merged: list[tuple[str, Filled]]
    ) -> BlockLayout:
        match block:
            case HeadingPlan():
                filled = self._filled(block.heading, names, key)
                merged.append(("a heading", filled))
                return HeadingLayout(text=filled.text, language=block.language)
            case FactsPlan():
                values = [(label, self._filled(text, names, key)) for label, text in block.facts]
                merged += [(f"'{label}'", value) for label, value in values]
                return FactsLayout(facts=tuple((label, text) for label, (text, *_) in values), columns=block.columns)
            case StandingPlan():
                figures = names["figures"]
                assert isinstance(figures, Mapping)
                facts = standing_facts(block, figures, self.house)
                texts = tuple(text for _, text in facts)
                merged.append(("its standing", Filled("\n".join(texts), texts)))
                return FactsLayout(facts=facts, columns=block.columns)
            case TextPlan():
                filled = self._wording.fill_markup(block.text, names, key=key)
                found = paragraphs(filled.text)
                merged.append(("a text", filled))
                return TextLayout(paragraphs=found, language=block.language)
            case Picture() | Space():
                return block
            case _:
                raise AssertionError(f"{type(block).__name__} is a block of rows")

    def _filled(self, template: Template, names: Mapping[str, object], key: str) -> Filled:
        return self._wording.fill(template, names, key=key)
