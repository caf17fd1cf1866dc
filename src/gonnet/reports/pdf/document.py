"""Drawing a layout as a PDF: blocks flow down pages, which are counted before the first one is drawn."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import NamedTuple

from reportlab.lib.colors import HexColor

from gonnet.jobs.values import Joint
from gonnet.reports.fonts import BOLD, REGULAR, Alphabet, Family
from gonnet.reports.layout.models import Layout
from gonnet.reports.pdf.blocks import Block
from gonnet.reports.pdf.file import SEE_THROUGH, PdfFile
from gonnet.reports.pdf.flow import Flow
from gonnet.reports.pdf.metadata import About
from gonnet.reports.pdf.paging import Placed, paginated
from gonnet.reports.pdf.structure import Element
from gonnet.reports.pdf.texts import TextFlow
from gonnet.reports.pen import INK, QUIET, Pen, fill, wrapped
from gonnet.reports.plans.models import Look, PageForm

_HEAD = 30.0  # points between the upper margin and the first block
_FOOT = 18.0
_EDGE = 24.0  # points between the number and the edges of a page that was made elsewhere


class _Section(NamedTuple):
    """A part of a document: what it shows, its pages, and what it is in the structure."""

    layout: Layout
    pages: list[list[Placed]]
    element: Element


def draw_pdf(
    layouts: Sequence[Layout],
    look: Look,
    family: Family,
    alphabet: Alphabet,
    joint: Joint | None = None,
    *,
    is_locked: bool = False,
) -> tuple[bytes, int, tuple[int, ...]]:
    """The file's bytes (the same for the same layouts and alphabet), its number of pages, and where each layout begins.

    It is tagged, and says that it conforms to PDF/UA-1 and PDF/A-2b, where that holds: not with pages that were made
    elsewhere, each of which is a paragraph, and no archive takes what is locked.

    Args:
        layouts: What it shows, one after the other; `alphabet` has all of their characters.
        look: The house style.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        joint: How several make one file.
        is_locked: Whether it gets a password afterwards.
    """
    tagged = look.style.pdf == "tagged"
    is_ours = not any(layout.inserted for layout in layouts)
    file = PdfFile(alphabet, (REGULAR, BOLD), tagged=tagged)
    sections = [_section(layout, look, family, alphabet, file, alone=len(layouts) == 1) for layout in layouts]
    cover, contents = (joint.cover, joint.contents) if joint else (False, False)
    listed = _listed(sections[int(cover) :], look) if contents else []
    total = sum(len(section.pages) or len(section.layout.inserted) for section in sections) + len(listed)
    drawer = _Drawer(file, look, family, alphabet, total)
    starts = []
    for at, section in enumerate(sections):
        is_cover = cover and at == 0
        if contents and at == int(cover):
            drawer.contents(listed)
        if joint is not None:
            file.place(f"part-{at}")
            if not is_cover:
                title = section.layout.label or section.layout.title
                file.bookmark(0, title, drawer.number, _top(section.layout))
        starts.append(drawer.number)
        drawer.section(section, is_cover=is_cover, is_joint=joint is not None)
    about = About(
        title=layouts[0].title,
        author=look.organisation,
        language=look.language,
        is_accessible=tagged and is_ours,
        is_archival=tagged and is_ours and not is_locked,
    )
    return file.finish(about), total, tuple(starts)


def _top(layout: Layout) -> float:
    return layout.inserted[0][1] if layout.inserted else layout.page.height


def _section(layout: Layout, look: Look, family: Family, alphabet: Alphabet, file: PdfFile, *, alone: bool) -> _Section:
    """A layout on its pages."""
    element = file.tags.document if alone else Element("Sect", file.tags.document)
    if layout.inserted:
        return _Section(layout, [], element)
    upper, _, lower, _ = layout.page.margins
    top, bottom = layout.page.height - upper - _HEAD, lower + _FOOT
    flow = Flow(look, family, alphabet, layout.page.room, top - bottom, element)
    return _Section(layout, paginated(list(flow.of(layout)), top, bottom), element)


class _Drawer:
    """Draws pages into a file.

    Attributes:
        number: How many are drawn.
    """

    def __init__(self, file: PdfFile, look: Look, family: Family, alphabet: Alphabet, total: int) -> None:
        self._file, self._look, self._family, self._total = file, look, family, total
        self._pen, self._alphabet = Pen(family, alphabet), alphabet
        self.number = 0

    @property
    def _count(self) -> str:
        return self._look.page_count.format(self.number, self._total)

    def section(self, section: _Section, *, is_cover: bool, is_joint: bool) -> None:
        """All pages of a part; a cover, which has no number, has no header and no footer either."""
        for size in section.layout.inserted:
            self.number += 1
            self._inserted(section, size, self._count if is_joint else "")
        for page in section.pages:
            self.number += 1
            self._page(section.layout, page, "" if is_cover else self._count, level=int(is_joint))

    def _inserted(self, section: _Section, size: tuple[float, float], count: str) -> None:
        """A page into which one that was made elsewhere is put: all that is drawn is what lies over that.

        What is put in is the first marked piece of its page, where the file is tagged (`arrivals/cutting.py`).
        """
        width, height = size
        layout, tags = section.layout, self._file.tags
        self._file.begin_page(width, height)
        tags.open(Element("P", section.element))
        self._pen.raw(tags.artifact("Pagination"))
        self._pen.text(width - _EDGE, _EDGE / 2, count, REGULAR, 7 * self._look.scale, QUIET, right=True)
        self._pen.raw(tags.close())
        self._pen.put_on(self._file)
        if layout.page.watermark:
            self._watermark(replace(layout.page, width=width, height=height))

    def _page(self, layout: Layout, page: Sequence[Placed], count: str, *, level: int) -> None:
        form, file = layout.page, self._file
        file.begin_page(form.width, form.height)
        if form.watermark and form.watermark.under:
            self._watermark(form)
        if count:
            self._furnish(layout, count)
        for block, y in page:
            outline = _outline_of(block)
            if outline and count:
                file.bookmark(level, outline, self.number - 1, y)
            block.draw(file, form.margins[3], y - block.height)
        if form.watermark and not form.watermark.under:
            self._watermark(form)

    def contents(self, listed: Sequence[_Listed]) -> None:
        """Pages that say on which page each part begins, with a link to it."""
        skipped, begins = int(self.number > 0), self.number + len(listed) + 1
        table = Element("TOC", self._file.tags.document)
        for entries in listed:
            self.number += 1
            layout = listed[0][0][1]
            self._file.begin_page(layout.page.width, layout.page.height)
            self._furnish(replace(layout, header="", footer=""), self._count)
            begins = self._entries(entries, layout.page, table, begins, skipped)

    def _entries(
        self, entries: Sequence[tuple[int, Layout, int]], form: PageForm, table: Element, begins: int, skipped: int
    ) -> int:
        """What stands on one page of contents; the number of the page on which the next part begins."""
        look, pen, tags, scale = self._look, self._pen, self._file.tags, self._look.scale
        upper, beside, _, left = form.margins
        right, size = form.width - beside, look.style.size
        y = form.height - upper - _HEAD - 16 * scale
        pen.raw(tags.artifact("Pagination") if table.kids else tags.open(Element("Caption", table)))
        pen.text(left, y, look.house.words.contents, BOLD, 15 * scale, HexColor(look.accent))
        pen.raw(tags.close())
        y -= (_FIRST_ENTRY - 16 - _ENTRY) * scale
        for at, part, pages in entries:
            y -= _ENTRY * scale
            lines = wrapped(part.label or part.title, self._family, REGULAR, size, right - left - 60)
            title = lines[0] + ("…" if len(lines) > 1 else "")
            link = Element("Link", Element("Reference", Element("TOCI", table)))
            pen.raw(tags.open(link))
            pen.text(left, y, title, REGULAR, size, INK)
            pen.text(right, y, str(begins), REGULAR, size, INK, right=True)
            pen.raw(tags.close())
            self._file.link(link, (left, y - 4, right, y + 10), title, target=f"part-{at + skipped}")
            begins += pages
        pen.put_on(self._file)
        return begins

    def _furnish(self, layout: Layout, count: str) -> None:
        """The head and the foot of a page."""
        look, pen, file = self._look, self._pen, self._file
        form, scale = layout.page, look.scale
        upper, beside, lower, left = form.margins
        top, right, accent = form.height - upper, form.width - beside, HexColor(look.accent)
        file.put(file.tags.artifact("Pagination"))
        if look.logo:
            file.picture(look.logo.data, left, top - 10, look.logo.width, look.logo.height)
        else:
            pen.text(left, top - 7, look.organisation, BOLD, 9 * scale, accent)
        pen.text(right, top - 7, layout.header, REGULAR, 8 * scale, QUIET, right=True)
        pen.line(left, top - 13, right, top - 13, 0.8, accent)
        pen.text(left, lower, layout.footer, REGULAR, 8 * scale, QUIET)
        pen.text(right, lower, count, REGULAR, 8 * scale, QUIET, right=True)
        pen.put_on(file)
        file.put(file.tags.close())

    def _watermark(self, form: PageForm) -> None:
        mark, file = form.watermark, self._file
        assert mark is not None
        height = {"top": 0.78, "middle": 0.5, "bottom": 0.22}[mark.place]
        face = BOLD if mark.weight == "bold" else REGULAR
        reduced = self._alphabet.faces[face]
        turn, width = math.radians(mark.angle), self._family.width(mark.text, face, mark.size)
        cos, sin = math.cos(turn), math.sin(turn)
        file.see_through(mark.opacity)
        file.put(
            f"{file.tags.artifact('Pagination')}q {SEE_THROUGH}"
            f"{cos:.5f} {sin:.5f} {-sin:.5f} {cos:.5f} {form.width / 2:.2f} {form.height * height:.2f} cm\n"
            f"BT {fill(HexColor(mark.colour))} {reduced.set_operator(mark.size)} {-width / 2:.2f} "
            f"{-mark.size * 0.35:.2f} Td {reduced.show_operators(mark.text, mark.size)} ET Q\n{file.tags.close()}"
        )


def _outline_of(block: Block) -> str:
    return block.outline if isinstance(block, TextFlow) else ""


_Listed = list[tuple[int, Layout, int]]
"""Number, layout and pages of each part on one page of contents."""

_ENTRY, _FIRST_ENTRY = 20.0, 44.0  # points from line to line, and from the head of the page to the first


def _listed(sections: Sequence[_Section], look: Look) -> list[_Listed]:
    """What stands on each page of the contents."""
    form = sections[0].layout.page
    upper, _, lower, _ = form.margins
    room = form.height - upper - _HEAD - lower - _FOOT - _FIRST_ENTRY * look.scale
    most = max(1, int(room / (_ENTRY * look.scale)) + 1)
    entries = [
        (at, section.layout, len(section.pages) or len(section.layout.inserted)) for at, section in enumerate(sections)
    ]
    return [entries[at : at + most] for at in range(0, len(entries), most)]
