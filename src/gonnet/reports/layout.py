"""One document before it is drawn: every text filled, every value beside its text."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from gonnet.reports.columns import CellText, rounded, totalled
from gonnet.reports.plan import PlannedFacts, PlannedTable, PlannedText, ReportPlan
from gonnet.wording.formats import House
from gonnet.wording.template import Template
from gonnet.wording.templates import Wording

_PARAGRAPHS = re.compile(r"\n[ \t]*\n")


@dataclass(frozen=True, slots=True, kw_only=True)
class LaidFacts:
    """Labels and values."""

    facts: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class LaidText:
    """Paragraphs."""

    paragraphs: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class LaidTable:
    """A table, by columns.

    Attributes:
        plan: What is the same for the run.
        values: For each column, its values as they are shown: numbers already rounded.
        texts: For each column, the texts of these values.
        totals: For each column its rounded total, or None.
        total_texts: For each column the text of its total, empty without one.
        exact: Column index → exact sum of its values, for every column totalled by `sum`.
    """

    plan: PlannedTable
    values: tuple[tuple[object, ...], ...]
    texts: tuple[tuple[str, ...], ...]
    totals: tuple[object, ...]
    total_texts: tuple[str, ...]
    exact: Mapping[int, Decimal]

    @property
    def rows(self) -> int:
        """Number of rows, totals not counted."""
        return len(self.texts[0])


LaidBlock = LaidFacts | LaidText | LaidTable

Merged = tuple[str, tuple[str, ...]]
"""A text, and the texts of the numbers and dates that were merged into it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """A document ready to be drawn in any format."""

    title: str
    header: str
    footer: str
    landscape: bool
    blocks: tuple[LaidBlock, ...]
    merged: tuple[Merged, ...]
    """The texts of its blocks, each with the numbers and dates that were merged into it."""
    title_merged: Merged
    """The same of the title, which also stands in the file's properties."""
    page_merged: tuple[Merged, ...]
    """The same of the header and the footer, which stand on every page."""

    def tables(self) -> Iterator[LaidTable]:
        """Its tables, in order."""
        for block in self.blocks:
            if isinstance(block, LaidTable):
                yield block

    def signs(self) -> frozenset[str]:
        """Every character on it."""
        return frozenset().union(*(text for _, text in self.texts()))

    def texts(self) -> Iterator[tuple[str, str]]:
        """Every text on it with the place where it stands, for messages."""
        yield from (("title", self.title), ("header", self.header), ("footer", self.footer))
        for block in self.blocks:
            match block:
                case LaidFacts():
                    for label, value in block.facts:
                        yield f"'{label}'", label + value
                case LaidText():
                    for paragraph in block.paragraphs:
                        yield "a text", paragraph
                case LaidTable():
                    for column, texts in zip(block.plan.columns, block.texts, strict=True):
                        yield f"column '{column.label}'", column.label + "".join(texts)
                    yield "a table", f"{block.plan.title or ''}{block.plan.empty}"


class Setter:
    """Lays out documents of one run; keeps each column's formatted values, so it is made once per process."""

    def __init__(self, plans: Sequence[ReportPlan], wording: Wording) -> None:
        self._wording = wording
        self._plans = {plan.name: plan for plan in plans}
        self._writers = {
            (plan.name, at): tuple(CellText(column, wording.house) for column in table.columns)
            for plan in plans
            for at, table in enumerate(plan.tables())
        }

    @property
    def house(self) -> House:
        """The conventions for figures."""
        return self._wording.house

    def lay(self, report: str, key: str, rows: Sequence[tuple[object, ...]], names: Mapping[str, object]) -> Layout:
        """The layout of `report` for one slice.

        Args:
            report: The report's name.
            key: The slice's key, for messages.
            rows: The slice's rows, in the columns that `settle` returned.
            names: What its texts may merge.

        Raises:
            DataError: a text cannot be filled.
        """
        plan = self._plans[report]
        title = self._filled(plan.title, names, key)
        header = self._filled(plan.header, names, key) if plan.header else ("", ())
        footer = self._filled(plan.footer, names, key) if plan.footer else ("", ())
        blocks: list[LaidBlock] = []
        merged: list[Merged] = []
        tables = 0
        for block in plan.blocks:
            match block:
                case PlannedFacts():
                    filled = [self._filled(text, names, key) for _, text in block.facts]
                    merged += filled
                    labels = (label for label, _ in block.facts)
                    blocks.append(LaidFacts(facts=tuple(zip(labels, (text for text, _ in filled), strict=True))))
                case PlannedText():
                    text, numbers = self._filled(block.text, names, key)
                    merged.append((text, numbers))
                    paragraphs = tuple(" ".join(part.split()) for part in _PARAGRAPHS.split(text) if part.strip())
                    blocks.append(LaidText(paragraphs=paragraphs))
                case PlannedTable():
                    blocks.append(lay_table(block, self._writers[report, tables], rows))
                    tables += 1
        return Layout(
            title=title[0],
            header=header[0],
            footer=footer[0],
            landscape=plan.landscape,
            blocks=tuple(blocks),
            merged=tuple(merged),
            title_merged=title,
            page_merged=(header, footer),
        )

    def _filled(self, template: Template, names: Mapping[str, object], key: str) -> Merged:
        self._wording.numbers.clear()
        return self._wording.fill(template, names, key=key), tuple(self._wording.numbers)


def lay_table(table: PlannedTable, writers: Sequence[CellText], rows: Sequence[tuple[object, ...]]) -> LaidTable:
    """The table for one slice's rows."""
    raw = [[row[at] for row in rows] for at in table.at]
    sums = [totalled(column, values) for column, values in zip(table.columns, raw, strict=True)]
    exact = {
        index: total
        for index, (column, total) in enumerate(zip(table.columns, sums, strict=True))
        if column.total == "sum" and isinstance(total, Decimal)
    }
    shown = [[write.shown(value) for value in values] for write, values in zip(writers, raw, strict=True)]
    return LaidTable(
        plan=table,
        values=tuple(tuple([value for _, value in column]) for column in shown),
        texts=tuple(tuple([text for text, _ in column]) for column in shown),
        totals=tuple(
            total if column.total == "count" else rounded(column, total)
            for column, total in zip(table.columns, sums, strict=True)
        ),
        total_texts=tuple(
            f"{total}" if column.total == "count" else write(total) if total is not None else ""
            for column, write, total in zip(table.columns, writers, sums, strict=True)
        ),
        exact=exact,
    )
