"""A document before it is drawn: every text filled, every value beside its text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from gonnet.jobs.values import Accent
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.models import FormPlan, PageForm, Picture, Space
from gonnet.wording.filled import Filled
from gonnet.wording.links import Link
from gonnet.wording.marked import Paragraph


@dataclass(frozen=True, slots=True, kw_only=True)
class HeadingLayout:
    """A line that names what follows; `language` is its own where that is not the reader's."""

    text: str
    language: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FactsLayout:
    """Labels and values, in so many columns."""

    facts: tuple[tuple[str, str], ...]
    columns: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class TextLayout:
    """Paragraphs; `language` is their own where that is not the reader's."""

    paragraphs: tuple[Paragraph, ...]
    language: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A line of a table that is no row of the slice.

    Attributes:
        before: The row before which it stands; the number of rows for one at the end.
        texts: For each column its text. A heading or a note has only the first, which may be as wide as the table.
        values: For each column its value.
        is_total: Whether it totals rows, which end before it; else it is a heading or a note.
        since: For totals: the first of these rows.
        new_page: Whether it begins a page.
        named: The value of the data by which it is called; empty where it has none.
        columns: For totals of amounts with currencies: how each is written; as in the table when empty.
        is_part: Whether it totals only the rows of one currency.
    """

    before: int
    texts: tuple[str, ...]
    values: tuple[object, ...] = ()
    is_total: bool = False
    since: int = 0
    new_page: bool = False
    named: str = ""
    columns: tuple[ColumnPlan, ...] = ()
    is_part: bool = False

    def part(self, columns: Sequence[int]) -> Line:
        """The same line with some of its columns."""
        if not self.is_total:
            return self
        texts, values = ([part[at] for at in columns] for part in (self.texts, self.values))
        written = tuple(self.columns[at] for at in columns) if self.columns else ()
        return replace(self, texts=tuple(map(str, texts)), values=tuple(values), columns=written)


@dataclass(frozen=True, slots=True, kw_only=True)
class TableLayout:
    """A table, by columns.

    Attributes:
        values: For each column, its values as they are shown: numbers already rounded.
        texts: For each column, the texts of these values.
        lines: Headings of groups, subtotals, notes; in order.
        totals: The lines at the foot.
        emphasis: Row → column → how it stands out.
        exact: Column → exact sum of all of its values, where it is totalled by `sum` and is a control total.
        rows: Number of the slice's rows it was made of.
        formulas: Whether a workbook computes the totals.
        exact_values: Column whose total a workbook computes → its values as they are added up, not rounded.
        keep: Columns that are repeated where it goes on beside itself.
        tops: The headings of columns that are values of the data.
        links: Column → where each of its values leads.
        money: Column of amounts with currencies → how each of them is written.
    """

    columns: tuple[ColumnPlan, ...]
    title: str | None
    empty: str
    values: tuple[tuple[object, ...], ...]
    texts: tuple[tuple[str, ...], ...]
    rows: int
    lines: tuple[Line, ...] = ()
    totals: tuple[Line, ...] = ()
    emphasis: Mapping[int, Mapping[int, frozenset[Accent]]] = field(default_factory=dict)
    exact: Mapping[str, Decimal] = field(default_factory=dict)
    formulas: bool = False
    exact_values: Mapping[int, tuple[object, ...]] = field(default_factory=dict)
    keep: int = 1
    tops: tuple[str, ...] = ()
    links: Mapping[int, tuple[Link, ...]] = field(default_factory=dict)
    money: Mapping[int, tuple[ColumnPlan, ...]] = field(default_factory=dict)

    @property
    def height(self) -> int:
        """Number of rows that are shown."""
        return len(self.texts[0])

    def part(self, columns: Sequence[int]) -> TableLayout:
        """The same table with some of its columns."""
        where = {column: at for at, column in enumerate(columns)}
        emphasis = {
            row: {where[column]: look for column, look in looks.items() if column in where}
            for row, looks in self.emphasis.items()
        }
        return replace(
            self,
            columns=tuple(self.columns[at] for at in columns),
            values=tuple(self.values[at] for at in columns),
            texts=tuple(self.texts[at] for at in columns),
            lines=tuple(line.part(columns) for line in self.lines),
            totals=tuple(line.part(columns) for line in self.totals),
            emphasis=emphasis,
            links={where[column]: links for column, links in self.links.items() if column in where},
            exact_values={where[at]: found for at, found in self.exact_values.items() if at in where},
            money={where[column]: plans for column, plans in self.money.items() if column in where},
        )

    def written(self, column: int, row: int) -> ColumnPlan:
        """How a value is written."""
        return self.money[column][row] if column in self.money else self.columns[column]

    def link(self, column: int, row: int) -> str:
        """Where a value leads; empty where it leads nowhere."""
        return self.links[column][row].address if column in self.links else ""

    def numbers(self) -> Iterator[tuple[str, object]]:
        """Text and value of every amount and date on it."""
        for index, column in enumerate(self.columns):
            if column.is_measure:
                yield from zip(self.texts[index], self.values[index], strict=True)
                yield from zip(self.texts[index], self.exact_values.get(index, ()), strict=False)
                for line in (*self.lines, *self.totals):
                    if line.is_total:
                        yield line.texts[index], line.values[index]


BlockLayout = HeadingLayout | FactsLayout | TextLayout | Picture | Space | TableLayout | ChartLayout


@dataclass(frozen=True, slots=True, kw_only=True)
class FormLayout:
    """What is filled into a form.

    Attributes:
        plan: The form.
        cells: Defined name → value.
        merged: The texts among them, as they were filled.
        sheets: The sheets that stay; all when empty.
    """

    plan: FormPlan
    cells: tuple[tuple[str, object], ...]
    merged: tuple[Filled, ...]
    sheets: tuple[str, ...] = ()

    @property
    def shows_rows(self) -> bool:
        """Whether the rows of a table stand in it: not where their sheet goes."""
        kept = {name.casefold() for name in self.sheets}
        return self.plan.rows is not None and (not kept or self.plan.rows_sheet.casefold() in kept)


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """A document ready to be drawn in any format."""

    title: str
    sheet: str
    header: str
    footer: str
    page: PageForm
    blocks: tuple[BlockLayout, ...]
    merged: tuple[tuple[str, Filled], ...]
    """Its texts as they were filled, each with the place where it stands, for messages."""
    form: FormLayout | None = None
    """What its workbook is made from."""
    language: str = ""
    """That of its title, where it is not the reader's."""
    view: str = "gonnet_rows"
    """The view of the rows that it shows."""
    label: str = ""
    """How it is called among other parts of a document; by its title when empty."""
    inserted: tuple[tuple[float, float], ...] = ()
    """Width and height of pages that are put in later, instead of blocks: those of a document made elsewhere."""

    def tables(self) -> Iterator[TableLayout]:
        """Its tables, in order."""
        for block in self.blocks:
            if isinstance(block, TableLayout):
                yield block

    def numbers(self) -> Iterator[tuple[str, object]]:
        """Text and value of every amount and date in its tables and charts."""
        for block in self.blocks:
            match block:
                case TableLayout():
                    yield from block.numbers()
                case ChartLayout():
                    yield from block.numbers()
                    yield from block.drawn_numbers()
                case _:
                    pass

    def signs(self) -> frozenset[str]:
        """Every character on it."""
        return frozenset().union(*(text for _, text in self.texts()))

    def texts(self) -> Iterator[tuple[str, str]]:
        """Every text on it with the place where it stands, for messages."""
        yield from (("title", self.title + self.label), ("header", self.header), ("footer", self.footer))
        if self.page.watermark:
            yield "the watermark", self.page.watermark.text
        for block in self.blocks:
            match block:
                case HeadingLayout():
                    yield "a heading", block.text
                case FactsLayout():
                    for label, value in block.facts:
                        yield f"'{label}'", label + value
                case TextLayout():
                    for paragraph in block.paragraphs:
                        yield "a text", paragraph.mark + paragraph.text
                case TableLayout():
                    yield from _table_texts(block)
                case ChartLayout():
                    yield "a chart", "".join(block.texts())
                case _:
                    pass


def _table_texts(table: TableLayout) -> Iterator[tuple[str, str]]:
    for column, texts in zip(table.columns, table.texts, strict=True):
        yield f"column '{column.label}'", column.label + "".join(texts)
    lines: Sequence[Line] = (*table.lines, *table.totals)
    yield "a table", "".join([table.title or "", table.empty, *(text for line in lines for text in line.texts)])
