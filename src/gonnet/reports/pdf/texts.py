"""Paragraphs, headings and entries of lists on pages: broken into lines, with their looks and links."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from reportlab.lib.colors import Color

from gonnet.reports.fonts import BOLD, BOLD_ITALIC, ITALIC, REGULAR, Alphabet, Family
from gonnet.reports.pdf.blocks import Block
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.structure import Element
from gonnet.reports.pen import Pen, broken, fill
from gonnet.wording.marked import Span

_FACES = {(False, False): REGULAR, (True, False): BOLD, (False, True): ITALIC, (True, True): BOLD_ITALIC}
_OUTLINE = 200  # characters of a bookmark
_BLANKS = re.compile(r"[ \t]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class TextStyle:
    """How a text looks.

    Attributes:
        size: Of its letters, in points.
        leading: From line to line.
        colour: Its colour.
        is_bold: Whether all of it is bold.
        before: Room above it.
        after: Room below it.
        indent: How far it is moved to the right.
        link: The colour of what leads somewhere.
    """

    size: float
    leading: float
    colour: Color
    is_bold: bool = False
    before: float = 0.0
    after: float = 0.0
    indent: float = 0.0
    link: Color | None = None


class _Run(NamedTuple):
    """A piece of a line in one look."""

    x: float
    width: float
    text: str
    face: str
    link: str
    element: Element


class TextFlow(Block):
    """A text that flows down a page.

    Args:
        spans: What it says.
        style: How it looks.
        family: The faces to measure with.
        alphabet: The faces to draw with.
        width: Between the margins, in points.
        element: What it is in the structure.
        mark: What stands before it, and what that is in the structure: `•`, `1.`, or None.

    Attributes:
        outline: Its text in the bookmarks; empty where it has none, and for the rest of one that goes over a page.
    """

    outline = ""

    def __init__(
        self,
        spans: Sequence[Span],
        style: TextStyle,
        family: Family,
        alphabet: Alphabet,
        width: float,
        element: Element,
        mark: tuple[str, Element] | None = None,
    ) -> None:
        self._style, self._family, self._alphabet = style, family, alphabet
        self._element, self._mark = element, mark
        breaking = _Breaking(style, family, width - style.indent, element)
        self._lines = breaking.lines(spans)
        self.before, self.after = style.before, style.after
        self._measure()

    def _measure(self) -> None:
        self.height = self._style.leading * len(self._lines)

    def as_heading(self, text: str) -> TextFlow:
        """The same, in the bookmarks too, as a text."""
        self.outline = text if len(text) <= _OUTLINE else f"{text[: _OUTLINE - 1]}…"
        return self

    def split(self, room: float, page: float) -> list[Block]:
        """Cut between two lines."""
        count = int((room + 0.01) // self._style.leading)
        if not 0 < count < len(self._lines):
            return []
        return [self._part(self._lines[:count], self._mark, self.outline), self._part(self._lines[count:], None, "")]

    def _part(self, lines: list[list[_Run]], mark: tuple[str, Element] | None, outline: str) -> TextFlow:
        part = TextFlow.__new__(TextFlow)
        part._style, part._family, part._alphabet, part._element = (
            self._style,
            self._family,
            self._alphabet,
            self._element,
        )
        part._lines, part._mark, part.outline = lines, mark, outline
        part.before, part.after = self.before, self.after
        part._measure()
        return part

    def draw(self, file: PdfFile, x: float, y: float) -> None:
        """Draw it."""
        style, pen, tags = self._style, Pen(self._family, self._alphabet), file.tags
        base = self.height - style.size
        if self._mark is not None:
            text, element = self._mark
            pen.raw(tags.open(element))
            pen.text(style.indent - 12, base, text, REGULAR, style.size, style.colour)
            pen.raw(tags.close())
        if any(self._lines):
            pen.raw("".join(self._text(file, base)))
        links = [(at, run) for at, line in enumerate(self._lines) for run in line if run.link]
        for at, run in links:
            left, low = style.indent + run.x, base - at * style.leading
            pen.raw(tags.artifact())
            pen.line(left, low - 1.2, left + run.width, low - 1.2, 0.4, style.link or style.colour)
            pen.raw(tags.close())
            sides = (x + left, y + low - 2.2, x + left + run.width, y + low + style.size)
            file.link(run.element, sides, run.text, address=run.link)
        pen.put_on(file, x, y)

    def _text(self, file: PdfFile, base: float) -> Iterator[str]:
        """The operators of all lines: one text, so that what goes over the end of a line is read as it is."""
        style, tags, faces = self._style, file.tags, self._alphabet.faces
        element: Element | None = None
        chosen: tuple[str, Color] | None = None
        yield f"BT {style.indent:.2f} {base:.2f} Td "
        for at, line in enumerate(self._lines):
            yield f"0 {-style.leading:.2f} Td " if at else ""
            for run in line:
                if run.element is not element:
                    yield (tags.close() if element is not None else "") + tags.open(run.element)
                    element = run.element
                look = run.face, style.link if run.link and style.link is not None else style.colour
                if look != chosen:
                    file.use(run.face)
                    yield f"{fill(look[1])} {faces[run.face].set_operator(style.size)} "
                    chosen = look
                yield f"{faces[run.face].show_operators(run.text, style.size)} "
        yield f"{tags.close()}ET\n"


class _Breaking:
    """Breaks spans into lines."""

    def __init__(self, style: TextStyle, family: Family, room: float, element: Element) -> None:
        self._style, self._family, self._room, self._element = style, family, room, element

    def lines(self, spans: Sequence[Span]) -> list[list[_Run]]:
        """The lines, each with its pieces from left to right; at least one."""
        found: list[list[_Run]] = [[]]
        x = gap = 0.0
        for word in self._words(spans):
            if word is None:
                found.append([])
                x = gap = 0.0
                continue
            pieces = word[1]
            width = sum(piece.width for piece in pieces)
            gap = word[0] if found[-1] else 0.0
            if x + gap + width > self._room + 0.01 and found[-1]:
                found.append([])
                x = gap = 0.0
            for piece in pieces:
                for text, begins_line in self._cut(piece, x + gap):
                    if begins_line:
                        found.append([])
                        x = gap = 0.0
                    width = self._family.width(text, piece.face, self._style.size)
                    _add(found[-1], piece._replace(x=x + gap, width=width, text=text), gap)
                    x, gap = x + gap + width, 0.0
        return found

    def _cut(self, piece: _Run, x: float) -> Iterator[tuple[str, bool]]:
        """A piece of a word, cut where it is wider than a line; whether each begins a new one."""
        if x + piece.width <= self._room + 0.01:
            yield piece.text, False
            return
        for at, text in enumerate(broken(piece.text, self._family, piece.face, self._style.size, self._room)):
            yield text, bool(at) or x > 0

    def _words(self, spans: Sequence[Span]) -> Iterator[tuple[float, list[_Run]] | None]:
        """Words with the room before each, from the pieces of which it is; None for the end of a line."""
        pieces: list[_Run] = []
        gap = 0.0
        for span in spans:
            face = _FACES[span.bold or self._style.is_bold, span.italic]
            element = Element("Link", self._element) if span.link else self._element
            for number, line in enumerate(span.text.split("\n")):
                if number:
                    if pieces:
                        yield gap, pieces
                    yield None
                    pieces, gap = [], 0.0
                for at, text in enumerate(_BLANKS.split(line)):
                    if at:
                        if pieces:
                            yield gap, pieces
                            pieces = []
                        gap = self._family.width(" ", face, self._style.size)
                    if text:
                        width = self._family.width(text, face, self._style.size)
                        pieces.append(_Run(0.0, width, text, face, span.link, element))
        if pieces:
            yield gap, pieces


def _add(line: list[_Run], run: _Run, gap: float) -> None:
    """Put a piece behind what a line has: one text with what looks alike, so that it is read as one."""
    last = line[-1] if line else None
    if last is not None and (last.face, last.link, last.element) == (run.face, run.link, run.element):
        blank = " " if gap else ""
        line[-1] = last._replace(text=f"{last.text}{blank}{run.text}", width=run.x + run.width - last.x)
        return
    if last is not None and gap:
        line[-1] = last._replace(text=last.text + " ")
    line.append(run)
