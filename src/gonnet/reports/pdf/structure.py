"""The structure of a tagged PDF (ISO 32000-1, 14.6 to 14.8): what is a heading, a paragraph, a list, a table, a figure.

What is drawn is marked with numbers, page by page; elements name these numbers, in the order in which they are read.
What is no content, such as rules and the heads of pages, is marked as an artifact.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from gonnet.remembering import Remembered
from gonnet.reports.pdf.writing import packed, text_string

_SOME = 4096
_ALIKE = 500  # trees that are kept, of a few kilobytes each
_CELLS = [f"/TD <</MCID {number}>> BDC\n" for number in range(_SOME)]

CELL = "/TD"
COLUMN_HEAD = "/TH/A<</O/Table/Scope/Column>>"


class _Content(NamedTuple):
    """A marked piece of a page."""

    page: int
    number: int


class _Leads(NamedTuple):
    """A link that lies over a piece of a page."""

    annotation: int


class _Row(NamedTuple):
    """A row of a table: of each cell what it is, and the number of its content, which is -1 where it is empty."""

    page: int
    kinds: tuple[str, ...]
    numbers: tuple[int, ...]


class Element:
    """An element of the structure; it is in the tree from the first time that something of it is drawn.

    Args:
        kind: Its standard type (14.8.4), such as `P`.
        within: What it is a part of; None for the whole document.
        attributes: More entries of its dictionary.
    """

    __slots__ = ("attributes", "is_in", "kids", "kind", "within")

    def __init__(self, kind: str, within: Element | None = None, attributes: str = "") -> None:
        self.kind, self.within, self.attributes = kind, within, attributes
        self.kids: list[Element | _Content | _Leads | _Row] = []
        self.is_in = within is None

    def entered(self) -> Element:
        """The element, which is in the tree from now on."""
        if not self.is_in and self.within is not None:
            self.within.entered().kids.append(self)
            self.is_in = True
        return self


def in_language(language: str) -> str:
    """The entry of a part whose language is not the document's (14.9.2); empty where it is."""
    return f"/Lang{text_string(language)}" if language else ""


def figure(within: Element, alternative: str, language: str = "") -> Element:
    """A figure, with what those hear who cannot see it."""
    return Element("Figure", within, f"/Alt{text_string(alternative)}{in_language(language)}")


def spanning(columns: int, *, is_head: bool) -> str:
    """A cell that reaches over columns, or heads its row."""
    span = f"/ColSpan {columns}" if columns > 1 else ""
    if is_head:
        return f"/TH/A<</O/Table/Scope/Row{span}>>"
    return f"/TD/A<</O/Table{span}>>" if span else CELL


class Tags:
    """Marks what is drawn, and keeps the elements that it belongs to.

    Args:
        on: Whether the file is tagged; else nothing is marked.
    """

    def __init__(self, *, on: bool) -> None:
        self.on = on
        self.document = Element("Document")
        self._page, self._next = -1, 0
        self._counts: list[int] = []
        self._waiting: list[Element] = []

    def begin_page(self) -> None:
        """What is drawn from here on is on the next page."""
        self._page += 1
        self._next = 0
        self._counts.append(0)

    def open(self, element: Element) -> str:
        """The operator before a piece of an element; `close` ends it."""
        if not self.on:
            return ""
        number = self._taken(1)
        element.entered().kids.append(_Content(self._page, number))
        return f"/{element.kind} <</MCID {number}>> BDC\n"

    def close(self) -> str:
        """The operator after a piece."""
        return "EMC\n" if self.on else ""

    def artifact(self, what: str = "") -> str:
        """The operator before what is no content; `what` is its kind, such as `Pagination`."""
        if not self.on:
            return ""
        return f"/Artifact <</Type /{what}>> BDC\n" if what else "/Artifact BMC\n"

    def row(self, table: Element, kinds: tuple[str, ...], cells: Sequence[str], leading: Sequence[int] = ()) -> str:
        """The operators of the cells of a row, each marked; an empty one has nothing to mark.

        Args:
            table: What it is a row of.
            kinds: What each cell is.
            cells: What shows each.
            leading: The cells that lead somewhere.
        """
        if not self.on:
            return "".join(cells)
        if leading:
            return "".join(self._leading_row(table, kinds, cells, leading))
        if all(cells):
            first = self._taken(len(cells))
            numbers = tuple(range(first, first + len(cells)))
        else:
            numbers = tuple(self._taken(1) if cell else -1 for cell in cells)
        table.entered().kids.append(_Row(self._page, kinds, numbers))
        if self._next <= _SOME:
            return "".join([f"{_CELLS[n]}{cell}EMC\n" for n, cell in zip(numbers, cells, strict=True) if cell])
        parts = zip(numbers, cells, strict=True)
        return "".join([f"/TD <</MCID {n}>> BDC\n{cell}EMC\n" for n, cell in parts if cell])

    def _leading_row(
        self, table: Element, kinds: tuple[str, ...], cells: Sequence[str], leading: Sequence[int]
    ) -> Iterator[str]:
        row = Element("TR", table)
        for at, (kind, cell) in enumerate(zip(kinds, cells, strict=True)):
            name, slash, attributes = kind[1:].partition("/")
            element = Element(name, row, slash + attributes).entered()
            if at in leading:
                element = Element("Link", element)
                self._waiting.append(element)
            if cell:
                yield f"{self.open(element)}{cell}{self.close()}"

    def leading(self, many: int) -> list[Element]:
        """The cells that lead somewhere, of the rows that were marked last."""
        found, self._waiting = self._waiting, []
        return found if self.on else [self.document] * many

    def links(self, element: Element, annotation: int) -> None:
        """Let a link lie over what an element has."""
        if self.on:
            element.entered().kids.append(_Leads(annotation))

    def _taken(self, many: int) -> int:
        first = self._next
        self._next = self._counts[-1] = first + many
        return first

    def tree(self, first: int, pages: Sequence[int], annotations: Sequence[int]) -> tuple[bytes, int]:
        """The objects of the tree as one stream object, and how many they are.

        Documents of a run are often alike, but for what they say: their trees are the same then, and made once.

        Args:
            first: The number of the first of them, which is the root.
            pages: Those of the pages.
            annotations: Those of the links.
        """
        shape = _shape(self.document)
        return _TREES[_Asked(shape, first, tuple(pages), tuple(annotations), tuple(self._counts))]


_Shape = tuple[Any, ...]


class _Part(NamedTuple):
    """An element that does not change any more."""

    kind: str
    attributes: str
    kids: _Shape


class _Asked(NamedTuple):
    """What a tree is made of."""

    document: _Part
    first: int
    pages: tuple[int, ...]
    annotations: tuple[int, ...]
    counts: tuple[int, ...]


def _shape(element: Element) -> _Part:
    kids = tuple([_shape(kid) if isinstance(kid, Element) else kid for kid in element.kids])
    return _Part(element.kind, element.attributes, kids)


def _made(asked: _Asked) -> tuple[bytes, int]:
    tree = Tree(asked.first, asked.pages, asked.annotations, [[0] * count for count in asked.counts])
    tree.add(asked.document, asked.first)
    tree.close()
    return packed(enumerate(tree.objects, asked.first)), len(tree.objects)


_TREES = Remembered(_made, _ALIKE)


@dataclass(slots=True)
class Tree:
    """The objects of a structure, numbered one after the other.

    Attributes:
        first: The number of the root; the one of the map from content to elements follows.
        objects: What they say.
    """

    first: int
    _pages: Sequence[int]
    _annotations: Sequence[int]
    _owners: list[list[int]]
    objects: list[str] = field(default_factory=lambda: ["", ""])
    _links: dict[int, int] = field(default_factory=dict)

    def close(self) -> None:
        """Write the root and the map (14.7.4.4)."""
        self.objects[0] = f"<</Type/StructTreeRoot/K {self.first + 2} 0 R/ParentTree {self.first + 1} 0 R>>"
        listed = [f"{at}[{' '.join([f'{owner} 0 R' for owner in owners])}]" for at, owners in enumerate(self._owners)]
        listed += [f"{len(self._owners) + at} {owner} 0 R" for at, owner in sorted(self._links.items())]
        self.objects[1] = f"<</Nums[{' '.join(listed)}]>>"

    def add(self, element: _Part, within: int) -> int:
        """An element and what is in it; its number."""
        at = len(self.objects)
        number = self.first + at
        self.objects.append("")
        page = next((kid.page for kid in element.kids if isinstance(kid, _Content)), None)
        kids = " ".join([part for kid in element.kids for part in self._kid(kid, number, page)])
        told = f"/Pg {self._pages[page]} 0 R" if page is not None else ""
        has = f"{told}/K[{kids}]" if kids else ""
        self.objects[at] = f"<</S/{element.kind}/P {within} 0 R{element.attributes}{has}>>"
        return number

    def _kid(self, kid: _Part | _Content | _Leads | _Row, number: int, page: int | None) -> Iterator[str]:
        match kid:
            case _Part():
                yield f"{self.add(kid, number)} 0 R"
            case _Content():
                self._owners[kid.page][kid.number] = number
                where = f"/Pg {self._pages[kid.page]} 0 R"
                yield f"{kid.number}" if kid.page == page else f"<</Type/MCR{where}/MCID {kid.number}>>"
            case _Leads():
                self._links[kid.annotation] = number
                yield f"<</Type/OBJR/Obj {self._annotations[kid.annotation]} 0 R>>"
            case _Row():
                yield f"{self._row(kid, number)} 0 R"

    def _row(self, row: _Row, table: int) -> int:
        number = self.first + len(self.objects)
        cells = range(number + 1, number + 1 + len(row.kinds))
        refs = " ".join([f"{cell} 0 R" for cell in cells])
        self.objects.append(f"<</S/TR/P {table} 0 R/K[{refs}]>>")
        rest, owners = f"/P {number} 0 R/Pg {self._pages[row.page]} 0 R/K ", self._owners[row.page]
        for cell, kind, content in zip(cells, row.kinds, row.numbers, strict=True):
            if content < 0:
                self.objects.append(f"<</S{kind}/P {number} 0 R>>")
            else:
                owners[content] = cell
                self.objects.append(f"<</S{kind}{rest}{content}>>")
        return number
