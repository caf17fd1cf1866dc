"""Pages of a print file as a PDF: in a face whose signs are all as wide, as large as the widest line allows."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from reportlab.lib.units import mm

from gonnet.jobs.style import Paper
from gonnet.reports.drawing import UnprintableError
from gonnet.reports.fonts import MONO, typed_family
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.metadata import About
from gonnet.reports.pen import INK, fill
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

    def draw(self, pages: Sequence[Sequence[Layers]], title: str, organisation: str) -> bytes:
        """Pages as a PDF; the same pages give the same bytes.

        Raises:
            UnprintableError: the face lacks a sign.
        """
        for sign in self._family.unprintable(text for page in pages for line in page for text in line):
            raise UnprintableError(f"in its text, {self._family.trouble(sign)}")
        file = PdfFile(self._alphabet, (MONO,))
        for page in pages:
            file.begin_page(*self._page)
            file.put(self._operators(page))
        return file.finish(About(title=title, author=organisation))

    def _operators(self, page: Sequence[Layers]) -> str:
        face = self._alphabet.faces[MONO]
        top = self._page[1] - _MARGIN - _ASCENT * self._size
        parts = [f"BT {fill(INK)} {face.set_operator(self._size)}"]
        for at, layers in enumerate(page):
            for text in (text.rstrip() for text in layers):
                if text:
                    indent = len(text) - len(text.lstrip())
                    x, y = _MARGIN + indent * _WIDTH * self._size, top - at * self._leading
                    parts.append(f"1 0 0 1 {x:.2f} {y:.2f} Tm {face.show_operators(text[indent:], self._size)}")
        return "\n".join([*parts, "ET"])
