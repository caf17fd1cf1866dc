"""What a worker is told of one package, and the layouts that its documents are drawn from."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import NamedTuple

from gonnet.packages import DocumentPlan, PartPlan
from gonnet.packages.attachments import AttachmentPlan
from gonnet.packages.own_files import OwnFile
from gonnet.packages.places import PlacePlan
from gonnet.packages.plans import Fixed
from gonnet.recipients import Recipient
from gonnet.reports.layout.making import LayoutMaker
from gonnet.reports.layout.models import Layout

Rows = tuple[tuple[object, ...], ...]


class Slice(NamedTuple):
    """The rows of one key by view, what is merged into texts about them, and how they are called among others."""

    key: str
    rows: Mapping[str, Rows]
    names: Mapping[str, object]
    label: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Order:
    """One package to make: the rows of its keys and all that is merged into it."""

    key: str
    locale: str
    documents: tuple[DocumentPlan, ...]
    enclosures: tuple[Fixed, ...]
    own_files: tuple[OwnFile, ...]
    attachments: AttachmentPlan | None
    places: tuple[PlacePlan, ...]
    sender: int | None
    written: str
    slices: tuple[Slice, ...]
    names: Mapping[str, object]
    contacts: tuple[Recipient, ...]
    message: str
    important: bool
    hidden: Mapping[str, frozenset[int]]
    message_ids: tuple[str, ...]

    @property
    def whole(self) -> Slice:
        """All of its rows."""
        if len(self.slices) == 1 and self.slices[0].key == self.key:
            return self.slices[0]
        views = dict.fromkeys(view for part in self.slices for view in part.rows)
        rows = {view: tuple(row for part in self.slices for row in part.rows.get(view, ())) for view in views}
        return Slice(self.key, rows, self.names)

    @property
    def keys_of_files(self) -> tuple[str, ...]:
        """The key of each of its files, in order; empty where one is of several, or of everybody."""
        return (
            *(plan.slice for plan in self.documents),
            *("" for _ in self.enclosures),
            *(file.key for file in self.own_files),
        )

    @property
    def ways_of_files(self) -> tuple[frozenset[str], ...]:
        """The ways by which each of its files goes, in order."""
        documents = (plan.ways for plan in self.documents)
        return (*documents, *(part.ways for part in self.enclosures), *(file.ways for file in self.own_files))

    @property
    def owners(self) -> tuple[str, ...]:
        """Those whose values may stand in it."""
        return (self.key, *(part.key for part in self.slices))


def came(part: PartPlan, rows: Slice, view: str) -> list[tuple[object, ...]]:
    """The rows of the view of an arrival that a part of a document is of; the first value of each is its file."""
    return [row for row in rows.rows.get(view, ()) if not part.file or row[0] == part.file]


Insert = Callable[[PartPlan, Slice], Layout | None]
"""Gives the layout of what is put in from elsewhere; None for a report."""


class Layouts:
    """The layouts of one package, each laid out once whatever the number of documents that show it.

    Attributes:
        unsearched: What of parts of arrivals cannot be read.
    """

    def __init__(self, order: Order, layout_maker: LayoutMaker, insert: Insert = lambda _part, _rows: None) -> None:
        self._order, self._layout_maker, self._insert = order, layout_maker, insert
        self._slices = {part.key: part for part in order.slices}
        self._laid: dict[PartPlan, Layout] = {}
        self._took: defaultdict[str, set[tuple[object, ...]]] = defaultdict(set)
        self.unsearched: list[str] = []

    def of(self, plan: DocumentPlan) -> list[Layout]:
        """The layouts of a document, in order."""
        reports = {part.report for part in plan.parts if part.slice != self._order.key}
        return [self._called(self._of_part(part), part, plan, several=len(reports) > 1) for part in plan.parts]

    def came(self, plan: DocumentPlan, view: str) -> list[tuple[object, ...]]:
        """The rows of the view of an arrival that a document has, in order."""
        whole = self._order.whole
        return [row for part in plan.parts for row in came(part, self._slices.get(part.slice) or whole, view)]

    def took(self, view: str, rows: Iterable[tuple[object, ...]]) -> None:
        """Note that these rows of the view of an arrival are in a document."""
        self._took[view].update(rows)

    def _of_part(self, part: PartPlan) -> Layout:
        if part not in self._laid:
            rows = self._slices.get(part.slice) or self._order.whole
            inserted = self._insert(part, rows)
            self._laid[part] = inserted or self._layout_maker.lay(
                part.report, rows.key, rows.rows, rows.names, part.hidden
            )
        return self._laid[part]

    def _called(self, layout: Layout, part: PartPlan, plan: DocumentPlan, *, several: bool) -> Layout:
        """The layout with what it is called in the contents and on its sheet: by whose rows it shows."""
        if plan.joint is None or not plan.joint.by_key or part.slice == self._order.key:
            return layout
        label = self._slices[part.slice].label + (f", {layout.title}" if several else "")
        if layout.sheet != self._layout_maker.house.words.sheet:  # the job names its sheets
            return replace(layout, label=label)
        return replace(layout, label=label, sheet=label)

    def shown(self, plan: DocumentPlan) -> int:
        """Rows of the longest table of each slice in a document; all where it has no table, none if its sheet went."""
        rows: dict[str, int] = {}
        form = self._laid[plan.parts[0]].form if plan.format == "xlsx" else None
        if form is not None and form.plan.rows is not None and not form.shows_rows:
            return 0
        tables = [(part.slice, table) for part in plan.parts for table in self._laid[part].tables()]
        for key, table in tables:
            rows[key] = max(table.rows, rows.get(key, 0))
        if len(rows) > 1:
            rows.pop(self._order.key, None)  # a cover over all of them
        return sum(rows.values()) if tables else len(self._order.whole.rows.get(self._laid[plan.parts[0]].view, ()))

    def rows(self, in_messages: Iterable[str]) -> dict[str, int]:
        """View → rows of the package in it, of those that some report shows: of its documents or `in_messages`."""
        shown = {layout.view for layout in self._laid.values()} | {
            self._layout_maker.view_of(name) for name in in_messages
        }
        whole = self._order.whole.rows
        return {view: len(whole.get(view, ())) for view in shown} | {
            view: len(rows) for view, rows in self._took.items()
        }

    def dead_links(self) -> dict[tuple[str, str], int]:
        """Column of a table, and why a link in it leads nowhere → how many do."""
        return Counter(
            (table.columns[at].label, link.trouble)
            for layout in self._laid.values()
            for table in layout.tables()
            for at, links in table.links.items()
            for link in links
            if link.trouble
        )

    def sums(self) -> dict[tuple[str, str], Decimal]:
        """View and column → its exact sum over all rows, as they were laid out: key by key, or all together."""
        of_keys: Counter[tuple[str, str]] = Counter()
        of_all: dict[tuple[str, str], Decimal] = {}
        seen: set[tuple[str, str, str]] = set()
        for part, layout in self._laid.items():
            for column, total in _sums(layout):
                place = (layout.view, column)
                if part.slice not in self._slices:
                    of_all[place] = total
                elif (part.slice, *place) not in seen:
                    seen.add((part.slice, *place))
                    of_keys[place] += total  # type: ignore[assignment]  # counters add any number
        return of_all | {place: Decimal(total) for place, total in of_keys.items()}


def _sums(layout: Layout) -> Iterator[tuple[str, Decimal]]:
    for table in layout.tables():
        yield from table.exact.items()
