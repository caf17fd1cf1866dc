"""Drawing a layout as a PDF: blocks flow down pages, which are counted before the first one is drawn."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import pairwise
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, Paragraph

from gonnet.reports.charting import LaidChart
from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.laid import LaidFacts, LaidHeading, LaidTable, LaidText, Layout
from gonnet.reports.pdf_blocks import FactsFlow, PictureFlow, SpaceFlow
from gonnet.reports.pdf_chart import ChartFlow
from gonnet.reports.pdf_table import TableFlow, TableInk, rows_of
from gonnet.reports.pen import INK, QUIET, Pen, tint_of
from gonnet.reports.planned import Look, Picture, Space
from gonnet.reports.widths import MARGIN, page_size, panels
from gonnet.wording import marked as rich

_HEAD = 30.0  # points between the upper margin and the first block
_FOOT = 18.0
_BODY = ParagraphStyle("body", fontName=REGULAR, fontSize=9.5, leading=13.5, textColor=INK, spaceAfter=5)
_TABLE_TITLE = ParagraphStyle(
    "table title", fontName=BOLD, fontSize=10.5, leading=14, textColor=INK, spaceBefore=8, spaceAfter=4
)
_MANY_TABLES = 500

Placed = tuple[Flowable, float]
"""A block and the height of its upper edge above the page's lower edge."""


def draw_pdf(layout: Layout, look: Look, family: Family, alphabet: Alphabet) -> tuple[bytes, int]:
    """The file's bytes (the same for the same layout and alphabet) and its number of pages.

    Args:
        layout: What it shows; `alphabet` has all of its characters.
        look: The house style.
        family: The faces to measure with.
        alphabet: The faces to draw with.
    """
    size = page_size(look.paper, landscape=layout.landscape)
    target = io.BytesIO()
    canvas = alphabet.canvas(target, pagesize=size, invariant=1, pageCompression=1)
    canvas.setTitle(layout.title)
    canvas.setAuthor(look.organisation)
    canvas.setCreator("Gonnet")
    canvas.setProducer("Gonnet")
    canvas.setSubject("")
    width, top, bottom = size[0] - 2 * MARGIN, size[1] - MARGIN - _HEAD, MARGIN + _FOOT
    pages = _paginated(list(_flow(layout, look, family, alphabet, width, top - bottom)), width, top, bottom)
    pen = Pen(family, alphabet)
    for number, page in enumerate(pages, 1):
        _furnish(pen, layout, look, size, f"page {number} of {len(pages)}")
        pen.put_on(canvas)
        for flowable, top in page:
            flowable.drawOn(canvas, MARGIN, top - _height(flowable))
        canvas.showPage()
    canvas.save()
    return target.getvalue(), len(pages)


def _flow(
    layout: Layout, look: Look, family: Family, alphabet: Alphabet, width: float, page: float
) -> Iterator[Flowable]:
    accent = HexColor(look.accent)
    title = ParagraphStyle("title", fontName=BOLD, fontSize=18, leading=23, textColor=accent, spaceAfter=10)
    heading = ParagraphStyle("heading", _TABLE_TITLE, fontSize=13, leading=17, textColor=accent, spaceBefore=12)
    yield Paragraph(_plain(layout.title), title)
    for block in layout.blocks:
        match block:
            case LaidHeading():
                yield Kept(_plain(block.text), heading)
            case LaidFacts():
                yield FactsFlow(block, family, alphabet, width)
            case LaidText():
                for paragraph in block.paragraphs:
                    yield _paragraph(paragraph, look.accent)
            case Picture():
                yield PictureFlow(_fitting(block, page), width)
            case Space():
                yield SpaceFlow(block)
            case LaidChart():
                if block.title:
                    yield Kept(_plain(block.title), _TABLE_TITLE)
                if block.places:
                    yield ChartFlow(_lower(block, page), family, alphabet, look.accent, width)
                else:
                    yield Paragraph(_plain(block.empty), _BODY)
            case LaidTable():
                yield from _table(block, look, family, alphabet, width, page)


def _table(
    table: LaidTable, look: Look, family: Family, alphabet: Alphabet, width: float, page: float
) -> Iterator[Flowable]:
    """A table, as many times beside itself as its columns need; new pages where its groups want them."""
    if table.title:
        yield Kept(_plain(table.title), _TABLE_TITLE)
    if not table.height:
        yield Paragraph(_plain(table.empty), _BODY)
        return
    tint = HexColor(tint_of(look.accent))
    for panel in panels(table.columns, table.keep, width):
        part = table if len(panel) == len(table.columns) else table.part(panel)
        ink = _ink(part, family, alphabet)
        rows = rows_of(part, ink)
        starts = [0, *(at for at, row in enumerate(rows) if row.new_page and at), len(rows)]
        for begin, end in pairwise(starts):
            if begin:
                yield SpaceFlow(Space(height=None))
            yield TableFlow(ink, rows[begin:end], HexColor(look.accent), tint, page)


def _ink(table: LaidTable, family: Family, alphabet: Alphabet) -> TableInk:
    ink = alphabet.kept.get(table.columns)
    if not isinstance(ink, TableInk):
        if len(alphabet.kept) > _MANY_TABLES:  # tables whose columns are those of a slice
            alphabet.kept.clear()
        ink = alphabet.kept[table.columns] = TableInk(table.columns, family, alphabet)
    return ink


def _fitting(picture: Picture, page: float) -> Picture:
    """A picture no taller than a page."""
    if picture.height <= page:
        return picture
    return replace(picture, height=page, width=picture.width * page / picture.height)


def _lower(chart: LaidChart, page: float) -> LaidChart:
    """A chart no taller than a page with its title."""
    return replace(chart, height=min(chart.height, page - 60))


def _paragraph(paragraph: rich.Paragraph, accent: str) -> Paragraph:
    parts = []
    for span in paragraph.spans:
        text = _plain(span.text)
        text = f"<b>{text}</b>" if span.bold else text
        text = f"<i>{text}</i>" if span.italic else text
        link = f'<link href="{escape(span.link, {chr(34): "&quot;"})}" color="{accent}"><u>{text}</u></link>'
        parts.append(link if span.link else text)
    indent = 14.0 * paragraph.depth
    style = _BODY
    if indent:
        style = ParagraphStyle("entry", _BODY, leftIndent=indent, bulletIndent=indent - 12, spaceAfter=2)
    return Paragraph("".join(parts), style, bulletText=paragraph.mark or None)


def _plain(text: str) -> str:
    """Text for a Paragraph, in which nothing acts as markup."""
    return escape(text).replace("\n", "<br/>")


class Kept(Paragraph):
    """A heading: it does not stay behind at the foot of a page."""


def _paginated(flowables: Sequence[Flowable], width: float, top: float, bottom: float) -> list[list[Placed]]:
    """Lay blocks from top to bottom, splitting what does not fit; what cannot be split begins a page."""
    pages: list[list[Placed]] = [[]]
    y, gap = top, 0.0
    waiting = list(reversed(flowables))
    while waiting:
        flowable = waiting.pop()
        if isinstance(flowable, SpaceFlow) and (flowable.ends_page or not pages[-1]):
            if pages[-1]:
                pages.append([])
                y, gap = top, 0.0
            continue
        gap = max(gap, flowable.getSpaceBefore()) if pages[-1] else 0.0
        _, height = flowable.wrap(width, y - gap - bottom)
        room = y - gap - bottom
        if isinstance(flowable, Kept) and pages[-1] and waiting and not _begins(waiting[-1], width, room - height):
            waiting.append(flowable)
            pages.append([])
            y, gap = top, 0.0
            continue
        if height <= room + 0.01:
            pages[-1].append((flowable, y - gap))
            y, gap = y - gap - height, flowable.getSpaceAfter()
            continue
        parts = flowable.split(width, y - gap - bottom)
        if parts:
            first, *rest = parts
            first.wrap(width, y - gap - bottom)
            pages[-1].append((first, y - gap))
            waiting += reversed(rest)
        elif pages[-1]:
            waiting.append(flowable)
        else:  # taller than a page and not to be split: never cut off silently
            raise ValueError(f"a block of {height:.0f} points does not fit a page")
        pages.append([])
        y, gap = top, 0.0
    if len(pages) > 1 and not pages[-1]:
        pages.pop()
    return pages


def _begins(flowable: Flowable, width: float, room: float) -> bool:
    """Whether the beginning of a block finds room."""
    _, height = flowable.wrap(width, room)
    return height <= room or bool(room > 0 and flowable.split(width, room))


def _height(flowable: Flowable) -> float:
    return float(flowable.height)


def _furnish(pen: Pen, layout: Layout, look: Look, size: tuple[float, float], count: str) -> None:
    width, height = size
    top, accent = height - MARGIN, HexColor(look.accent)
    pen.text(MARGIN, top - 7, look.organisation, BOLD, 9, accent)
    pen.text(width - MARGIN, top - 7, layout.header, REGULAR, 8, QUIET, right=True)
    pen.line(MARGIN, top - 13, width - MARGIN, top - 13, 0.8, accent)
    pen.text(MARGIN, MARGIN, layout.footer, REGULAR, 8, QUIET)
    pen.text(width - MARGIN, MARGIN, count, REGULAR, 8, QUIET, right=True)
