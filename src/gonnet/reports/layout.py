"""From a report and a slice to a layout that any format can draw."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from gonnet.reports.charting import ChartSetter, PlannedChart
from gonnet.reports.columns import CellText
from gonnet.reports.laid import LaidBlock, LaidFacts, LaidForm, LaidHeading, LaidText, Layout, Merged
from gonnet.reports.planned import (
    Look,
    Picture,
    PlannedBands,
    PlannedBlock,
    PlannedCrosstab,
    PlannedFacts,
    PlannedForm,
    PlannedHeading,
    PlannedTable,
    PlannedText,
    ReportPlan,
    Space,
)
from gonnet.reports.spread import lay_bands, lay_crosstab
from gonnet.reports.standing import PlannedStanding, standing_facts
from gonnet.reports.tables import TableSetter
from gonnet.reports.widths import settle_widths
from gonnet.wording.formats import House
from gonnet.wording.marked import paragraphs
from gonnet.wording.template import Template
from gonnet.wording.templates import Wording

Rows = Sequence[tuple[object, ...]]
RowsByView = Mapping[str, Rows]
Lay = Callable[[Rows], LaidBlock]


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

    def _layer(self, block: PlannedBlock, room: float) -> Lay | None:
        """What lays out a block of rows, or None for a block of texts."""
        house = self.house
        match block:
            case PlannedTable():
                writers = [CellText(column, house) for column in block.columns]
                return TableSetter(block, writers, [CellText(group.column, house) for group in block.groups]).lay
            case PlannedBands():
                writers = [CellText(column, house) for column in block.columns]
                return lambda rows: lay_bands(block, writers, rows, house)
            case PlannedCrosstab():
                head, top, body = (CellText(column, house) for column in (block.head, block.top, block.body))
                return lambda rows: lay_crosstab(
                    block, head, top, body, rows, lambda columns, texts: settle_widths(columns, texts, room, self._look)
                )
            case PlannedChart():
                return ChartSetter(block, house).lay
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
            rows: View → the slice's rows of it, as `settle` counts their values.
            names: What its texts may merge.
            hidden: The blocks that are left out, by their number.

        Raises:
            DataError: a text cannot be filled.
        """
        plan = self._plans[report]
        mine = rows.get(plan.view, ())
        title = self._filled(plan.title, names, key)
        header = self._filled(plan.header, names, key) if plan.header else ("", ())
        footer = self._filled(plan.footer, names, key) if plan.footer else ("", ())
        sheet = self._filled(plan.sheet, names, key)
        blocks: list[LaidBlock] = []
        merged: list[Merged] = []
        headings: list[Merged] = []
        for index, block in enumerate(plan.blocks):
            if index in hidden:
                continue
            of_rows = self._of_rows.get((report, index))
            blocks.append(of_rows(mine) if of_rows else self._of_texts(block, names, key, merged))
            if isinstance(block, PlannedHeading):
                headings.append(merged[-1])
        return Layout(
            title=title[0],
            sheet=sheet[0],
            header=header[0],
            footer=footer[0],
            page=plan.page,
            blocks=tuple(blocks),
            merged=tuple(merged),
            title_merged=title,
            page_merged=(header, footer),
            sheet_merged=sheet,
            headings_merged=tuple(headings),
            form=self._form(plan.form, names, key) if plan.form else None,
            view=plan.view,
        )

    def _form(self, form: PlannedForm, names: Mapping[str, object], key: str) -> LaidForm:
        cells: list[tuple[str, object]] = []
        merged: list[Merged] = []
        for name, template in form.cells:
            value, numbers = self._wording.value(template, names, key=key)
            cells.append((name, value))
            merged.append((str(value), numbers))
        return LaidForm(plan=form, cells=tuple(cells), merged=tuple(merged))

    def _of_texts(self, block: PlannedBlock, names: Mapping[str, object], key: str, merged: list[Merged]) -> LaidBlock:
        match block:
            case PlannedHeading():
                merged.append(self._filled(block.heading, names, key))
                return LaidHeading(text=merged[-1][0])
            case PlannedFacts():
                filled = [self._filled(text, names, key) for _, text in block.facts]
                merged += filled
                pairs = zip((label for label, _ in block.facts), (text for text, _ in filled), strict=True)
                return LaidFacts(facts=tuple(pairs), columns=block.columns)
            case PlannedStanding():
                figures = names["figures"]
                assert isinstance(figures, Mapping)
                facts = standing_facts(block, figures, self.house)
                texts = tuple(text for _, text in facts)
                merged.append(("\n".join(texts), texts))
                return LaidFacts(facts=facts, columns=block.columns)
            case PlannedText():
                text, numbers = self._wording.fill_markup(block.text, names, key=key)
                found = paragraphs(text)
                merged.append(("\n".join(part.text for part in found), numbers))
                return LaidText(paragraphs=found)
            case Picture() | Space():
                return block
            case _:
                raise AssertionError(f"{type(block).__name__} is a block of rows")

    def _filled(self, template: Template, names: Mapping[str, object], key: str) -> Merged:
        return self._wording.fill(template, names, key=key)
