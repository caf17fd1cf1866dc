"""Drawing a layout as a PDF: blocks flow down pages, which are counted before the first one is drawn."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, Paragraph

from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout import LaidFacts, LaidTable, LaidText, Layout
from gonnet.reports.pdf_blocks import FactsFlow
from gonnet.reports.pdf_table import TableFlow
from gonnet.reports.pen import INK, QUIET, Pen
from gonnet.reports.plan import Look
from gonnet.reports.widths import MARGIN, page_size

_HEAD = 30.0  # points between the upper margin and the first block
_FOOT = 18.0
_BODY = ParagraphStyle("body", fontName=REGULAR, fontSize=9.5, leading=13.5, textColor=INK, spaceAfter=5)
_HEADING = ParagraphStyle(
    "heading", fontName=BOLD, fontSize=10.5, leading=14, textColor=INK, spaceBefore=8, spaceAfter=4
)

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
    yield Paragraph(_plain(layout.title), title)
    for block in layout.blocks:
        match block:
            case LaidFacts():
                yield FactsFlow(block.facts, family, alphabet, width)
            case LaidText():
                for paragraph in block.paragraphs:
                    yield Paragraph(_plain(paragraph), _BODY)
            case LaidTable():
                if block.plan.title:
                    yield Paragraph(_plain(block.plan.title), _HEADING)
                if block.rows:
                    yield TableFlow(block, family, alphabet, accent, page)
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


def _furnish(pen: Pen, layout: Layout, look: Look, size: tuple[float, float], count: str) -> None:
    width, height = size
    top, accent = height - MARGIN, HexColor(look.accent)
    pen.text(MARGIN, top - 7, look.organisation, BOLD, 9, accent)
    pen.text(width - MARGIN, top - 7, layout.header, REGULAR, 8, QUIET, right=True)
    pen.line(MARGIN, top - 13, width - MARGIN, top - 13, 0.8, accent)
    pen.text(MARGIN, MARGIN, layout.footer, REGULAR, 8, QUIET)
    pen.text(width - MARGIN, MARGIN, count, REGULAR, 8, QUIET, right=True)
