"""Pages of a print file as a PDF: in a face whose signs are all as wide, as large as the widest line allows."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from reportlab.lib.units import mm

from gonnet.jobs.style import Paper
from gonnet.reports.drawing import UnprintableError
from gonnet.reports.fonts import MONO, typed_family
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.metadata import About
from gonnet.reports.pdf.structure import Element, Tags
from gonnet.reports.pen import INK, fill
from gonnet.reports.plans.models import Look
from gonnet.reports.plans.widths import paper_size

Layers = Sequence[str]
"""A line: one text, or several that stand over one another."""

_WIDTH = 0.6  # of a sign, of its size
_LARGEST, _MARGIN, _LEADING, _ASCENT = 10.0, 12 * mm, 1.2, 0.95
_UPRIGHT = 100  # columns that an upright page has room for


class TypedPainter:
    """Draws the pages of a print file; all parts of it look alike.

    Args:
        columns: How many signs the longest line of all has.
        lines: How many lines the longest page of all has.
        paper: The paper.
        signs: Every sign of it.
    """

    def __init__(self, columns: int, lines: int, paper: Paper, signs: Iterable[str]) -> None:
        self._family = typed_family()
        self._alphabet = self._family.reduced(frozenset(signs) & self._family.signs | {" "})
        self._page = paper_size(paper, landscape=columns > _UPRIGHT)
        width, height = (part - 2 * _MARGIN for part in self._page)
        self._size = round(min(_LARGEST, width / (_WIDTH * max(columns, 1))), 2)
        self._leading = min(_LEADING * self._size, height / max(lines, 1))

    def draw(self, pages: Sequence[Sequence[Layers]], title: str, look: Look, *, is_locked: bool = False) -> bytes:
        """Pages as a PDF; the same pages give the same bytes.

        It is tagged, with what empty lines divide as paragraphs, and conforms to PDF/A-2b unless it gets a password
        afterwards. It does not say that it conforms to PDF/UA-1: nobody knows which of its lines are heads, or rows of
        a table.

        Raises:
            UnprintableError: the face lacks a sign.
        """
        for sign in self._family.unprintable(text for page in pages for line in page for text in line):
            raise UnprintableError(f"in its text, {self._family.trouble(sign)}")
        file = PdfFile(self._alphabet, (MONO,), tagged=look.style.pdf == "tagged")
        for page in pages:
            file.begin_page(*self._page)
            file.put("".join(self._operators(page, file.tags)))
        about = About(
            title=title, author=look.organisation, language=look.language, is_archival=file.tags.on and not is_locked
        )
        return file.finish(about)

    def _operators(self, page: Sequence[Layers], tags: Tags) -> Iterator[str]:
        paragraph: Element | None = None
        for at, layers in enumerate(page):
            shown = [text for text in map(str.rstrip, layers) if text]
            if not shown:
                paragraph = None
                continue
            if paragraph is None:
                paragraph = Element("P", tags.document)
            yield f"{tags.open(paragraph)}{self._line(at, shown[0])}{tags.close()}"
            for text in shown[1:]:
                # What lies over a line is read where it says something, and is no second time of the same.
                is_read = text.strip("_ ") and text.strip() not in shown[0]
                yield f"{tags.open(paragraph) if is_read else tags.artifact()}{self._line(at, text)}{tags.close()}"

    def _line(self, at: int, text: str) -> str:
        face = self._alphabet.faces[MONO]
        indent = len(text) - len(text.lstrip())
        x = _MARGIN + indent * _WIDTH * self._size
        y = self._page[1] - _MARGIN - _ASCENT * self._size - at * self._leading
        shown = face.show_operators(text[indent:], self._size)
        return f"BT {fill(INK)} {face.set_operator(self._size)} {x:.2f} {y:.2f} Td {shown} ET\n"
