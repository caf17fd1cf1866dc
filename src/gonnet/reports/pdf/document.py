"""Drawing a layout as a PDF: blocks flow down pages, which are counted before the first one is drawn."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import replace

from reportlab.lib.colors import HexColor
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable

from gonnet.jobs.values import Joint
from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout.models import Layout
from gonnet.reports.pdf.blocks import SpaceFlow
from gonnet.reports.pdf.flow import Flow, HeadingFlow
from gonnet.reports.pen import INK, QUIET, Pen, wrapped
from gonnet.reports.plans.models import Look, PageForm

_HEAD = 30.0  # points between the upper margin and the first block
_FOOT = 18.0
_EDGE = 24.0  # points between the number and the edges of a page that was made elsewhere

Placed = tuple[Flowable, float]
"""A block and the height of its upper edge above the page's lower edge."""


def draw_pdf(
    layouts: Sequence[Layout], look: Look, family: Family, alphabet: Alphabet, joint: Joint | None = None
) -> tuple[bytes, int, tuple[int, ...]]:
    """The file's bytes (the same for the same layouts and alphabet), its number of pages, and where each layout begins.

    Args:
        layouts: What it shows, one after the other; `alphabet` has all of their characters.
        look: The house style.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        joint: How several make one file.
    """
    target, first = io.BytesIO(), layouts[0].page
    canvas = alphabet.canvas(target, pagesize=(first.width, first.height), invariant=1, pageCompression=1)
    _describe(canvas, layouts[0], look)
    sections = [(layout, _pages_of(layout, look, family, alphabet)) for layout in layouts]
    cover, contents = (joint.cover, joint.contents) if joint else (False, False)
    listed = _listed(sections[int(cover) :], look) if contents else []
    total = sum(len(pages) or len(layout.inserted) for layout, pages in sections) + len(listed)
    pen, number = Pen(family, alphabet), 0
    starts = []
    for at, (layout, pages) in enumerate(sections):
        if contents and at == int(cover):
            _contents(canvas, pen, family, listed, look, number, total)
            number += len(listed)
        if joint is not None:
            _mark(canvas, f"part-{at}", (layout.label or layout.title) if not (cover and at == 0) else None)
        starts.append(number)
        is_cover = cover and at == 0
        for size in layout.inserted:
            number += 1
            count = look.page_count.format(number, total) if joint is not None else ""
            _draw_count(canvas, pen, layout, look, size, count)
        for page in pages:
            number += 1
            count = "" if is_cover else look.page_count.format(number, total)
            _draw_page(canvas, pen, layout, look, page, count, level=0 if joint is None else 1)
    canvas.save()
    return target.getvalue(), total, tuple(starts)


def _draw_count(canvas: Canvas, pen: Pen, layout: Layout, look: Look, size: tuple[float, float], count: str) -> None:
    """A page into which one that was made elsewhere is put: all that is drawn is what lies over that."""
    width, height = size
    canvas.setPageSize(size)
    pen.text(width - _EDGE, _EDGE / 2, count, REGULAR, 7 * look.scale, QUIET, right=True)
    pen.put_on(canvas)
    if layout.page.watermark:
        _watermark(canvas, replace(layout.page, width=width, height=height))
    canvas.showPage()


def _pages_of(layout: Layout, look: Look, family: Family, alphabet: Alphabet) -> list[list[Placed]]:
    if layout.inserted:
        return []
    upper, _, lower, _ = layout.page.margins
    top, bottom = layout.page.height - upper - _HEAD, lower + _FOOT
    flow = Flow(look, family, alphabet, layout.page.room, top - bottom)
    return _paginated(list(flow.of(layout)), layout.page.room, top, bottom)


def _draw_page(
    canvas: Canvas, pen: Pen, layout: Layout, look: Look, page: Sequence[Placed], count: str, *, level: int
) -> None:
    """One page; a cover, which has no number, has no header and no footer either."""
    form = layout.page
    canvas.setPageSize((form.width, form.height))
    if form.watermark and form.watermark.under:
        _watermark(canvas, form)
    if count:
        _furnish(canvas, pen, layout, look, count)
    for flowable, y in page:
        if isinstance(flowable, HeadingFlow) and count:
            _bookmark(canvas, flowable.outline, y, level)
        flowable.drawOn(canvas, form.margins[3], y - _height(flowable))
    if form.watermark and not form.watermark.under:
        _watermark(canvas, form)
    canvas.showPage()


_Listed = list[tuple[int, Layout, int]]
"""Number, layout and pages of each part on one page of contents."""

_ENTRY, _FIRST_ENTRY = 20.0, 44.0  # points from line to line, and from the head of the page to the first


def _listed(sections: Sequence[tuple[Layout, Sequence[object]]], look: Look) -> list[_Listed]:
    """What stands on each page of the contents."""
    form = sections[0][0].page
    upper, _, lower, _ = form.margins
    room = form.height - upper - _HEAD - lower - _FOOT - _FIRST_ENTRY * look.scale
    most = max(1, int(room / (_ENTRY * look.scale)) + 1)
    entries = [(at, layout, len(pages) or len(layout.inserted)) for at, (layout, pages) in enumerate(sections)]
    return [entries[at : at + most] for at in range(0, len(entries), most)]


def _contents(
    canvas: Canvas, pen: Pen, family: Family, listed: Sequence[_Listed], look: Look, before: int, total: int
) -> None:
    """Pages that say on which page each part begins, with a link to it; `before` is how many pages come before."""
    layout = listed[0][0][1]
    form, scale, words = layout.page, look.scale, look.house.words
    upper, beside, _, left = form.margins
    right, begins, skipped = form.width - beside, before + len(listed) + 1, int(before > 0)
    for number, entries in enumerate(listed, before + 1):
        canvas.setPageSize((form.width, form.height))
        _furnish(canvas, pen, replace(layout, header="", footer=""), look, look.page_count.format(number, total))
        y = form.height - upper - _HEAD - 16 * scale
        pen.text(left, y, words.contents, BOLD, 15 * scale, HexColor(look.accent))
        y -= (_FIRST_ENTRY - 16 - _ENTRY) * scale
        for at, part, pages in entries:
            y -= _ENTRY * scale
            lines = wrapped(part.label or part.title, family, REGULAR, look.style.size, right - left - 60)
            title = lines[0] + ("…" if len(lines) > 1 else "")
            pen.text(left, y, title, REGULAR, look.style.size, INK)
            pen.text(right, y, str(begins), REGULAR, look.style.size, INK, right=True)
            canvas.linkAbsolute("", f"part-{at + skipped}", (left, y - 4, right, y + 10))
            begins += pages
        pen.put_on(canvas)
        canvas.showPage()


def _mark(canvas: Canvas, key: str, title: str | None) -> None:
    """Where a part begins: a place to come to, and a bookmark where it has a title."""
    canvas.bookmarkPage(key)
    if title is not None:
        canvas.addOutlineEntry(title, key, 0)


def _describe(canvas: Canvas, layout: Layout, look: Look) -> None:
    canvas.setTitle(layout.title)
    canvas.setAuthor(look.organisation)
    canvas.setCreator("Gonnet")
    canvas.setProducer("Gonnet")
    canvas.setSubject("")
    canvas.setCatalogEntry("Lang", look.language)


def _bookmark(canvas: Canvas, text: str, y: float, level: int) -> None:
    key = f"at-{canvas.getPageNumber()}-{y:.0f}"
    canvas.bookmarkHorizontalAbsolute(key, y)
    canvas.addOutlineEntry(text, key, level)


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
        if (
            isinstance(flowable, HeadingFlow)
            and pages[-1]
            and waiting
            and not _begins(waiting[-1], width, room - height)
        ):
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


def _furnish(canvas: Canvas, pen: Pen, layout: Layout, look: Look, count: str) -> None:
    form, scale = layout.page, look.scale
    upper, beside, lower, left = form.margins
    top, right, accent = form.height - upper, form.width - beside, HexColor(look.accent)
    if look.logo:
        image = ImageReader(io.BytesIO(look.logo.data))
        canvas.drawImage(image, left, top - 10, look.logo.width, look.logo.height, mask="auto")
    else:
        pen.text(left, top - 7, look.organisation, BOLD, 9 * scale, accent)
    pen.text(right, top - 7, layout.header, REGULAR, 8 * scale, QUIET, right=True)
    pen.line(left, top - 13, right, top - 13, 0.8, accent)
    pen.text(left, lower, layout.footer, REGULAR, 8 * scale, QUIET)
    pen.text(right, lower, count, REGULAR, 8 * scale, QUIET, right=True)
    pen.put_on(canvas)


def _watermark(canvas: Canvas, form: PageForm) -> None:
    mark = form.watermark
    assert mark is not None
    height = {"top": 0.78, "middle": 0.5, "bottom": 0.22}[mark.place]
    canvas.saveState()
    canvas.setFillColor(HexColor(mark.colour))
    canvas.setFillAlpha(mark.opacity)
    canvas.setFont(BOLD if mark.weight == "bold" else REGULAR, mark.size)
    canvas.translate(form.width / 2, form.height * height)
    canvas.rotate(mark.angle)
    canvas.drawCentredString(0, -mark.size * 0.35, mark.text)
    canvas.restoreState()
