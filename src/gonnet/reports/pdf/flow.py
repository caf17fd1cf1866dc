"""From the blocks of a layout to what flows down the pages of a PDF."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise

from reportlab.lib.colors import Color, HexColor

from gonnet.reports.fonts import Alphabet, Family
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, TableLayout, TextLayout
from gonnet.reports.pdf.blocks import Block, FactsFlow, PictureFlow, SpaceFlow
from gonnet.reports.pdf.charts import ChartFlow
from gonnet.reports.pdf.structure import Element, figure, in_language
from gonnet.reports.pdf.tables import TableFlow, TableInk, rows_of
from gonnet.reports.pdf.texts import TextFlow, TextStyle
from gonnet.reports.pen import INK, tint_of
from gonnet.reports.plans.models import Look, Picture, Space
from gonnet.reports.plans.widths import panels
from gonnet.wording.marked import Paragraph, Span

_MANY_TABLES = 500
_NUMBERING = "/A<</O/List/ListNumbering/{}>>"


class Flow:
    """Makes flowables of one document.

    Args:
        look: The house style.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        width: Between the margins, in points.
        page: Height of an empty page, in points.
        within: What all of it is a part of.
    """

    def __init__(
        self, look: Look, family: Family, alphabet: Alphabet, width: float, page: float, within: Element
    ) -> None:
        self._look, self._family, self._alphabet = look, family, alphabet
        self._width, self._page = width, page
        accent, second = HexColor(look.accent), HexColor(look.second)
        self._within = within
        self._title = self._style(18, 23, accent, is_bold=True, after=10)
        self._heading = self._style(13, 17, second, is_bold=True, before=12, after=4)
        self._caption = self._style(10.5, 14, INK, is_bold=True, before=8, after=4)
        self._body = self._style(9.5, 13.5, INK, after=5)

    def _style(
        self, size: float, leading: float, colour: Color, *, is_bold: bool = False, before: float = 0, after: float = 0
    ) -> TextStyle:
        scale, link = self._look.scale, HexColor(self._look.accent)
        return TextStyle(
            size=size * scale,
            leading=leading * scale,
            colour=colour,
            is_bold=is_bold,
            before=before,
            after=after,
            link=link,
        )

    def of(self, layout: Layout) -> Iterator[Block]:
        """Everything that flows down its pages."""
        yield self._text(layout.title, self._title, Element("H1", self._within, in_language(layout.language)))
        for block in layout.blocks:
            yield from self._block(block)

    def _figure(self, alternative: str, said: str) -> Element:
        return figure(self._within, alternative, self._look.other_language(said))

    def _text(self, text: str, style: TextStyle, element: Element) -> TextFlow:
        return TextFlow((Span(text=text),), style, self._family, self._alphabet, self._width, element)

    def _block(self, block: BlockLayout) -> Iterator[Block]:
        match block:
            case HeadingLayout():
                element = Element("H2", self._within, in_language(block.language))
                yield self._text(block.text, self._heading, element).as_heading(block.text)
            case FactsLayout():
                yield FactsFlow(block, self._family, self._alphabet, self._width, self._within, self._look.scale)
            case TextLayout():
                yield from self._paragraphs(block.paragraphs, in_language(block.language))
            case Picture():
                yield PictureFlow(_fitting(block, self._page), self._width, self._figure(block.alt, block.alt))
            case Space():
                yield SpaceFlow(block)
            case ChartLayout():
                yield from self._chart(block)
            case TableLayout():
                yield from self._table(block)

    def _chart(self, chart: ChartLayout) -> Iterator[Block]:
        element = self._figure(chart.in_words(), chart.alt)
        if chart.title:
            language = in_language(self._look.other_language(chart.title))
            caption = Element("Caption", element, language) if chart.places else Element("P", self._within, language)
            yield self._text(chart.title, self._caption, caption).as_heading(chart.title)
        if not chart.places:
            yield self._text(chart.empty, self._body, Element("P", self._within))
            return
        ceiling = self._page - 60  # a page with the chart's title
        yield ChartFlow(chart, self._family, self._alphabet, self._look.accent, self._width, ceiling, element)

    def _table(self, table: TableLayout) -> Iterator[Block]:
        """A table, as many times beside itself as its columns need; new pages where its groups want them."""
        element = Element("Table", self._within)
        if table.title:
            language = in_language(self._look.other_language(table.title))
            caption = Element("Caption", element, language) if table.height else Element("P", self._within, language)
            yield self._text(table.title, self._caption, caption).as_heading(table.title)
        if not table.height:
            yield self._text(table.empty, self._body, Element("P", self._within))
            return
        accent, tint = HexColor(self._look.accent), HexColor(tint_of(self._look.accent))
        for number, panel in enumerate(panels(table.columns, table.keep, self._width)):
            element = Element("Table", self._within) if number else element
            part = table if len(panel) == len(table.columns) else table.part(panel)
            ink = self._ink(part)
            rows = rows_of(part, ink)
            starts = [0, *(at for at, row in enumerate(rows) if row.new_page and at), len(rows)]
            for begin, end in pairwise(starts):
                if begin:
                    yield SpaceFlow(Space(height=None))
                flow = TableFlow(ink, rows[begin:end], accent, tint, element)
                yield flow.going_on() if begin else flow

    def _ink(self, table: TableLayout) -> TableInk:
        kept = self._alphabet.kept
        ink = kept.get(table.columns)
        if not isinstance(ink, TableInk):
            if len(kept) > _MANY_TABLES:  # tables whose columns are those of a slice
                kept.clear()
            ink = kept[table.columns] = TableInk(
                table.columns, self._family, self._alphabet, HexColor(self._look.accent)
            )
        return ink

    def _paragraphs(self, paragraphs: Sequence[Paragraph], language: str) -> Iterator[Block]:
        """Paragraphs and the entries of lists, which are as deep as they are indented."""
        lists: list[tuple[int, Element, Element]] = []  # depth, list, and what its last entry says
        for paragraph in paragraphs:
            while lists and paragraph.depth < lists[-1][0]:
                lists.pop()
            if paragraph.mark:
                if not lists or paragraph.depth > lists[-1][0]:
                    numbering = "Disc" if paragraph.mark == "•" else "Decimal"
                    within = lists[-1][2] if lists else self._within
                    lists.append(
                        (paragraph.depth, Element("L", within, _NUMBERING.format(numbering) + language), within)
                    )
                depth, listed, _ = lists[-1]
                item = Element("LI", listed)
                body = Element("LBody", item)
                lists[-1] = depth, listed, body
                yield self._paragraph(paragraph, Element("P", body), (paragraph.mark, Element("Lbl", item)))
            else:
                yield self._paragraph(paragraph, Element("P", lists[-1][2] if lists else self._within, language))

    def _paragraph(self, paragraph: Paragraph, element: Element, mark: tuple[str, Element] | None = None) -> TextFlow:
        indent, style = 14.0 * paragraph.depth * self._look.scale, self._body
        if indent:
            style = replace(style, indent=indent, after=2)
        return TextFlow(paragraph.spans, style, self._family, self._alphabet, self._width, element, mark)


def _fitting(picture: Picture, page: float) -> Picture:
    """A picture no taller than a page."""
    if picture.height <= page:
        return picture
    return replace(picture, height=page, width=picture.width * page / picture.height)
