"""What a report plans for the whole run: whatever every document of it shares."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Literal

from gonnet.jobs.style import Paper, Style, Watermark
from gonnet.jobs.texts import other_language
from gonnet.jobs.values import Accent, Aggregate
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.standings import StandingPlan
from gonnet.wording.formats import House
from gonnet.wording.languages import chosen, language_tag
from gonnet.wording.template import Template

ChartKind = Literal["bars", "stacked", "lines", "shares"]
Align = Literal["left", "centre", "right"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Picture:
    """An image: its bytes, its size in points, and what it shows."""

    data: bytes
    width: float
    height: float
    align: Align
    alt: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PageForm:
    """The form of a report's pages, in points.

    Attributes:
        paper: Its name.
        margins: Top, right, bottom, left.
        watermark: A text across every page, or None.
    """

    paper: Paper
    landscape: bool
    width: float
    height: float
    margins: tuple[float, float, float, float]
    watermark: Watermark | None

    @property
    def room(self) -> float:
        """Width between the margins."""
        return self.width - self.margins[1] - self.margins[3]


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """The house style of a run.

    Attributes:
        style: What the workspace and the job say of it.
        house: Conventions for figures.
        logo: At the head of every page, or None.
        fonts: The files of its faces, regular, bold, italic, bold italic; None for those that Gonnet has.
    """

    style: Style
    house: House
    logo: Picture | None = None
    fonts: tuple[str, str, str, str] | None = None

    @property
    def organisation(self) -> str:
        """CellValue at the head of every page, and the author of every file."""
        return self.style.organisation

    @property
    def accent(self) -> str:
        """Colour of rules and titles, `#rrggbb`."""
        return self.style.accent

    @property
    def second(self) -> str:
        """Colour of headings."""
        return self.style.second or self.style.accent

    @property
    def scale(self) -> float:
        """How much larger than usual everything is."""
        return self.style.size / 9.5

    @property
    def language(self) -> str:
        """BCP 47 tag of its texts."""
        return language_tag(self.house.locale)

    def other_language(self, text: str | None) -> str:
        """The tag of the language in which a text of the job stands in for one of the reader's; empty for theirs."""
        return other_language(text or "", self.house.locale)

    @property
    def page_count(self) -> str:
        """What stands at the foot of a page, with `{}` for its number and for how many there are."""
        given = self.style.page_count
        if isinstance(given, dict):
            return given[chosen(given, self.house.locale, self.style.locale)]
        return given if given is not None else self.house.words.page_count

    def for_reader(self, locale: str) -> Look:
        """The same look in the language and territory of `locale`."""
        return replace(self, house=replace(self.house, locale=locale))


@dataclass(frozen=True, slots=True, kw_only=True)
class HeadingPlan:
    """A line that names what follows; `language` is its own where that is not the reader's."""

    heading: Template
    language: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FactsPlan:
    """Labels, each with the text of its value."""

    facts: tuple[tuple[str, Template], ...]
    columns: int


@dataclass(frozen=True, slots=True, kw_only=True)
class TextPlan:
    """Paragraphs in CommonMark; `language` is their own where that is not the reader's."""

    text: Template
    language: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """Room in points; a new page where it is None."""

    height: float | None


Ranks = Mapping[object, int]
"""A value of the data → its place in the order that the job gives its column; empty where it gives none."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SortPlan:
    """By which of a row's values a table is sorted, in which order, and whether that is turned round."""

    at: int
    ranks: Ranks
    falling: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupPlan:
    """Rows that belong together: by which of the row's values, shown how, in which order."""

    at: int
    ranks: Ranks
    column: ColumnPlan
    label: str
    subtotals: bool
    new_page: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class EmphasisPlan:
    """What stands out where the row's value at `at` is true: some columns of the table, or all."""

    at: int
    columns: frozenset[int]
    look: frozenset[Accent]


@dataclass(frozen=True, slots=True, kw_only=True)
class RowText:
    """A text that is filled for each row, and where the values of a row that it merges stand, by name."""

    text: Template
    fields: tuple[tuple[str, int], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class CurrencyPlan:
    """The currency of a column's amounts, and how these are written; with the currency's own decimals where None."""

    code: RowText
    pattern: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class TablePlan:
    """A table of the slice's rows.

    Attributes:
        columns: Its columns, sized.
        at: Where their values stand in a row of the run.
        sort: How it is sorted; groups come before.
        control: Whether its sums count as shown in every package: it has no condition.
        links: Column of the table → where its values lead.
        currencies: Column of the table → the currency of its amounts.
    """

    title: str | None
    columns: tuple[ColumnPlan, ...]
    at: tuple[int, ...]
    empty: str
    sort: tuple[SortPlan, ...] = ()
    groups: tuple[GroupPlan, ...] = ()
    first: int | None = None
    rest: str = ""
    total: str = ""
    emphases: tuple[EmphasisPlan, ...] = ()
    formulas: bool = False
    keep: int = 1
    control: bool = True
    links: Mapping[int, RowText] = field(default_factory=dict)
    currencies: Mapping[int, CurrencyPlan] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class BandsPlan:
    """Amounts spread over intervals.

    Attributes:
        columns: Those of `by`, then one for each band, then the total; sized.
        by: Where the values that make a line stand in a row of the run.
        amount: Where the amount stands.
        of: Where the number, or the age in days, stands.
        edges: The upper edges, included.
    """

    title: str | None
    columns: tuple[ColumnPlan, ...]
    by: tuple[int, ...]
    amount: int
    of: int
    edges: tuple[Decimal, ...]
    total: str
    shares: bool
    empty: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CrosstabPlan:
    """One aggregate in rows × columns; the columns are those of the slice.

    Attributes:
        head: How the values that head the rows are shown.
        top: How those that head the columns are shown.
        body: How the aggregate is shown.
        rows: Where the first stand in a row of the run.
        columns: Where the second stand.
        value: Where the value stands; None for a count of rows.
        row_ranks: The order of the first.
        column_ranks: The order of the second.
    """

    title: str | None
    head: ColumnPlan
    top: ColumnPlan
    body: ColumnPlan
    rows: int
    columns: int
    value: int | None
    row_ranks: Ranks
    column_ranks: Ranks
    show: Aggregate
    total: str
    empty: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SeriesPlan:
    """One row of values: what it is called, where its values stand in a row of the run, and how they are aggregated."""

    label: str
    at: int
    show: Aggregate


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartPlan:
    """A chart, as it is for the whole run.

    Attributes:
        over: Where the places on the axis stand in a row of the run.
        ranks: Their order.
        places: How they are shown.
        by: Where the values that make the series stand, and how they are shown; None where `series` says it.
        by_ranks: Their order.
        body: How values are shown.
        lines: Label and value of lines straight across.
        average: What the line at the average of the first series is called, or None.
        run: Label of each aggregate of the whole run, and place → its value.
        height: In points.
    """

    kind: ChartKind
    title: str | None
    over: int
    ranks: Ranks
    places: ColumnPlan
    by: tuple[int, ColumnPlan] | None
    by_ranks: Ranks
    series: tuple[SeriesPlan, ...]
    body: ColumnPlan
    lines: tuple[tuple[str, Decimal], ...]
    average: str | None
    run: tuple[tuple[str, Mapping[object, Decimal]], ...]
    unit: str
    height: float
    alt: str | None
    empty: str


BlockPlan = (
    HeadingPlan
    | FactsPlan
    | TextPlan
    | Picture
    | Space
    | TablePlan
    | BandsPlan
    | CrosstabPlan
    | ChartPlan
    | StandingPlan
)


@dataclass(frozen=True, slots=True, kw_only=True)
class FormPlan:
    """A form, as it is for the whole run.

    Attributes:
        data: The bytes of the workbook.
        cells: Defined name → what is filled in.
        rows: The defined name of the row; None where the form has no table.
        rows_sheet: The sheet in which that row is.
        columns: Column of the sheet (1 is A) → column of the report's table.
        sheets: The sheets that a recipient gets; all when empty.
        only_values: Whether values take the place of formulas.
    """

    data: bytes
    cells: tuple[tuple[str, Template], ...]
    rows: str | None
    columns: Mapping[int, int]
    rows_sheet: str = ""
    sheets: tuple[Template, ...] = ()
    only_values: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ReportPlan:
    """One report of the job, as it is for the whole run.

    Attributes:
        view: The view of the rows that it shows.
        language: That of its title, where it is not the reader's.
    """

    name: str
    view: str
    title: Template
    sheet: Template
    header: Template | None
    footer: Template | None
    page: PageForm
    blocks: tuple[BlockPlan, ...]
    form: FormPlan | None = None
    language: str = ""

    def tables(self) -> Iterator[TablePlan]:
        """Its tables of rows, in order."""
        for block in self.blocks:
            if isinstance(block, TablePlan):
                yield block
