"""Drawing a layout as a PDF: blocks flow down pages, which are counted before the first one is drawn."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.styles import ParagraphStyle
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph

from gonnet.reports import fonts
from gonnet.reports.layout import LaidFacts, LaidTable, LaidText, Layout
from gonnet.reports.pdf_blocks import INK, QUIET, FactsFlow, TableFlow
from gonnet.reports.plan import Look
from gonnet.reports.widths import MARGIN, page_size

_HEAD = 30.0  # points between the upper margin and the first block
_FOOT = 18.0
_BODY = ParagraphStyle("body", fontName=fonts.REGULAR, fontSize=9.5, leading=13.5, textColor=INK, spaceAfter=5)
_HEADING = ParagraphStyle(
    "heading", fontName=fonts.BOLD, fontSize=10.5, leading=14, textColor=INK, spaceBefore=8, spaceAfter=4
)

Placed = tuple[Flowable, float]
"""A block and the height of its upper edge above the page's lower edge."""


def draw_pdf(layout: Layout, look: Look) -> tuple[bytes, int]:
    """The file's bytes (the same for the same layout) and its number of pages."""
    fonts.registered()
    size = page_size(look.paper, landscape=layout.landscape)
    target = io.BytesIO()
    canvas = Canvas(target, pagesize=size, invariant=1, pageCompression=1, initialFontName=fonts.REGULAR)  # type: ignore[arg-type]  # the stub is wrong
    canvas.setTitle(layout.title)
    canvas.setAuthor(look.organisation)
    canvas.setCreator("Gonnet")
    canvas.setProducer("Gonnet")
    canvas.setSubject("")
    width, top, bottom = size[0] - 2 * MARGIN, size[1] - MARGIN - _HEAD, MARGIN + _FOOT
    pages = _paginated(list(_flow(layout, look, width, top - bottom)), width, top, bottom)
    for number, page in enumerate(pages, 1):
        _furnish(canvas, layout, look, size, f"page {number} of {len(pages)}")
        for flowable, top in page:
            flowable.drawOn(canvas, MARGIN, top - _height(flowable))
        canvas.showPage()
    canvas.save()
    return target.getvalue(), len(pages)


def _flow(layout: Layout, look: Look, width: float, page: float) -> Iterator[Flowable]:
    accent = HexColor(look.accent)
    title = ParagraphStyle("title", fontName=fonts.BOLD, fontSize=18, leading=23, textColor=accent, spaceAfter=10)
    yield Paragraph(_plain(layout.title), title)
    for block in layout.blocks:
        match block:
            case LaidFacts():
                yield FactsFlow(block.facts, width)
            case LaidText():
                for paragraph in block.paragraphs:
                    yield Paragraph(_plain(paragraph), _BODY)
            case LaidTable():
                if block.plan.title:
                    yield Paragraph(_plain(block.plan.title), _HEADING)
                if block.rows:
                    yield TableFlow(block, accent, page)
                else:
                    yield Paragraph(_plain(block.plan.empty), _BODY)


def _plain(text: str) -> str:
    """Text for a Paragraph, in which nothing acts as markup."""
    return escape(text).replace("\n", "<br/>")


def _paginated(flowables: Sequence[Flowable], width: float, top: float, bottom: float) -> list[list[Placed]]:
    """Lay blocks from top to bottom, splitting what does not fit; what cannot be split begins a page."""
    pages: list[list[Placed]] = [[]]
    y, gap = top, 0.0
    waiting = list(reversed(flowables))
    while waiting:
        flowable = waiting.pop()
        gap = max(gap, flowable.getSpaceBefore()) if pages[-1] else 0.0
        _, height = flowable.wrap(width, y - gap - bottom)
        if height <= y - gap - bottom + 0.01:
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


def _height(flowable: Flowable) -> float:
    return float(flowable.height)


def _furnish(canvas: Canvas, layout: Layout, look: Look, size: tuple[float, float], count: str) -> None:
    width, height = size
    top, accent = height - MARGIN, HexColor(look.accent)
    canvas.setFillColor(accent)
    canvas.setFont(fonts.BOLD, 9)
    canvas.drawString(MARGIN, top - 7, look.organisation)
    canvas.setFillColor(QUIET)
    canvas.setFont(fonts.REGULAR, 8)
    canvas.drawRightString(width - MARGIN, top - 7, layout.header)
    canvas.setStrokeColor(accent)
    canvas.setLineWidth(0.8)
    canvas.line(MARGIN, top - 13, width - MARGIN, top - 13)
    canvas.drawString(MARGIN, MARGIN, layout.footer)
    canvas.drawRightString(width - MARGIN, MARGIN, count)
