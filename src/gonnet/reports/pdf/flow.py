"""From the blocks of a layout to flowables: what flows down the pages of a PDF."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, Paragraph

from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout.charts import ChartLayout
from gonnet.reports.layout.models import BlockLayout, FactsLayout, HeadingLayout, Layout, TableLayout, TextLayout
from gonnet.reports.pdf.blocks import FactsFlow, PictureFlow, SpaceFlow
from gonnet.reports.pdf.charts import ChartFlow
from gonnet.reports.pdf.tables import TableFlow, TableInk, rows_of
from gonnet.reports.pen import INK, tint_of
from gonnet.reports.plans.models import Look, Picture, Space
from gonnet.reports.plans.widths import panels
from gonnet.wording import marked as rich

_MANY_TABLES = 500
_OUTLINE = 200  # characters of a bookmark


class HeadingFlow(Paragraph):
    """A heading: it does not stay behind at the foot of a page, and it stands in the bookmarks.

    Attributes:
        outline: Its text in the bookmarks; empty for the rest of one that goes over a page.
    """

    outline = ""

    @classmethod
    def of(cls, text: str, style: ParagraphStyle) -> HeadingFlow:
        """The heading with a text."""
        made = cls(_plain(text), style)
        made.outline = text if len(text) <= _OUTLINE else f"{text[: _OUTLINE - 1]}…"
        return made


class Flow:
    """Makes flowables of one document.

    Args:
        look: The house style.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        width: Between the margins, in points.
        page: Height of an empty page, in points.
    """

    def __init__(self, look: Look, family: Family, alphabet: Alphabet, width: float, page: float) -> None:
        self._look, self._family, self._alphabet = look, family, alphabet
        self._width, self._page = width, page
        accent, second = HexColor(look.accent), HexColor(look.second)
        self._title = self._style("title", BOLD, 18, 23, textColor=accent, spaceAfter=10)
        self._heading = self._style("heading", BOLD, 13, 17, textColor=second, spaceBefore=12, spaceAfter=4)
        self._caption = self._style("caption", BOLD, 10.5, 14, spaceBefore=8, spaceAfter=4)
        self._body = self._style("body", REGULAR, 9.5, 13.5, spaceAfter=5)

    def _style(self, name: str, face: str, size: float, leading: float, **more: object) -> ParagraphStyle:
        scale = self._look.scale
        options: dict[str, Any] = {"textColor": INK, "bulletFontName": face, "bulletFontSize": size * scale} | more
        return ParagraphStyle(name, fontName=face, fontSize=size * scale, leading=leading * scale, **options)

    def of(self, layout: Layout) -> Iterator[Flowable]:
        """Everything that flows down its pages."""
        yield Paragraph(_plain(layout.title), self._title)
        for block in layout.blocks:
            yield from self._block(block)

    def _block(self, block: BlockLayout) -> Iterator[Flowable]:
        match block:
            case HeadingLayout():
                yield HeadingFlow.of(block.text, self._heading)
            case FactsLayout():
                yield FactsFlow(block, self._family, self._alphabet, self._width, self._look.scale)
            case TextLayout():
                yield from map(self._paragraph, block.paragraphs)
            case Picture():
                yield PictureFlow(_fitting(block, self._page), self._width)
            case Space():
                yield SpaceFlow(block)
            case ChartLayout():
                yield from self._chart(block)
            case TableLayout():
                yield from self._table(block)

    def _chart(self, chart: ChartLayout) -> Iterator[Flowable]:
        if chart.title:
            yield HeadingFlow.of(chart.title, self._caption)
        if not chart.places:
            yield Paragraph(_plain(chart.empty), self._body)
            return
        ceiling = self._page - 60  # a page with the chart's title
        yield ChartFlow(chart, self._family, self._alphabet, self._look.accent, self._width, ceiling)

    def _table(self, table: TableLayout) -> Iterator[Flowable]:
        """A table, as many times beside itself as its columns need; new pages where its groups want them."""
        if table.title:
            yield HeadingFlow.of(table.title, self._caption)
        if not table.height:
            yield Paragraph(_plain(table.empty), self._body)
            return
        accent, tint = HexColor(self._look.accent), HexColor(tint_of(self._look.accent))
        for panel in panels(table.columns, table.keep, self._width):
            part = table if len(panel) == len(table.columns) else table.part(panel)
            ink = self._ink(part)
            rows = rows_of(part, ink)
            starts = [0, *(at for at, row in enumerate(rows) if row.new_page and at), len(rows)]
            for begin, end in pairwise(starts):
                if begin:
                    yield SpaceFlow(Space(height=None))
                yield TableFlow(ink, rows[begin:end], accent, tint, self._page)

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

    def _paragraph(self, paragraph: rich.Paragraph) -> Paragraph:
        parts = []
        for span in paragraph.spans:
            text = _plain(span.text)
            text = f"<b>{text}</b>" if span.bold else text
            text = f"<i>{text}</i>" if span.italic else text
            target = escape(span.link, {'"': "&quot;"})
            link = f'<link href="{target}" color="{self._look.accent}"><u>{text}</u></link>'
            parts.append(link if span.link else text)
        indent, style = 14.0 * paragraph.depth * self._look.scale, self._body
        if indent:
            style = ParagraphStyle("entry", style, leftIndent=indent, bulletIndent=indent - 12, spaceAfter=2)
        return Paragraph("".join(parts), style, bulletText=paragraph.mark or None)


def _fitting(picture: Picture, page: float) -> Picture:
    """A picture no taller than a page."""
    if picture.height <= page:
        return picture
    return replace(picture, height=page, width=picture.width * page / picture.height)


def _plain(text: str) -> str:
    """Text for a Paragraph, in which nothing acts as markup."""
    return escape(text).replace("\n", "<br/>")
