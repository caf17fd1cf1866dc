"""The texts of a PDF, by PDFium.

Pages are read through PDFium's own functions: an object for each of them, and a question for the length of every text
before the text itself, would take a fifth of the time of the reading, and every PDF of a run is read.
"""

from __future__ import annotations

import ctypes
from collections.abc import Callable, Iterable, Iterator
from functools import partial

import pypdfium2
from pypdfium2 import raw

from gonnet.checks.spelling import MAYBE

_ANYWHERE = (-1e6, 1e6, 1e6, -1e6)  # on the page or beside it, where programs find it all the same
INFO = (b"Title", b"Author", b"Subject", b"Keywords", b"Creator", b"Producer")
FIGURES = "the descriptions of figures"
"""The place of what is said of figures to those who cannot see them."""
_ROOM = 8_192  # units of UTF-16 that most texts of a page fit into


def parts_of_pdf(data: bytes) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Its properties, its bookmarks, each of its pages (`page 2`), and what is said of figures, with their texts.

    Raises:
        ValueError: the bytes are not a PDF that can be read.
    """
    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        raise ValueError("not a PDF") from error
    try:
        reader = _Reader()
        yield "properties", tuple(reader.property(document.raw, name) for name in INFO)
        yield "bookmarks", tuple(str(entry.get_title()) for entry in document.get_toc())
        for number in range(len(document)):
            yield f"page {number + 1}", reader.page(document.raw, number)
        if reader.described:
            yield FIGURES, tuple(reader.described)
    finally:
        document.close()


def by_lines(parts: Iterable[tuple[str, tuple[str, ...]]]) -> Iterator[tuple[str, tuple[str, ...]]]:
    """The same with each line of a page also by itself: it may be a text of its own, or go on in the next."""
    for place, texts in parts:
        yield place, (*(line for text in texts if MAYBE in text for line in text.split(MAYBE)), *texts)


class _Reader:
    """Takes texts out of PDFium by way of a buffer, which grows when one does not fit.

    Attributes:
        described: What is said of the figures of the pages that were read.
    """

    def __init__(self) -> None:
        self.described: list[str] = []
        self._take_room(_ROOM)

    def _take_room(self, units: int) -> None:
        self._units, self._buffer = units, (ctypes.c_ushort * units)()  # of UTF-16

    def property(self, document: object, name: bytes) -> str:
        """One of its properties."""
        return self._text(lambda: int(raw.FPDF_GetMetaText(document, name, self._buffer, 2 * self._units)) // 2)

    def page(self, document: object, number: int) -> tuple[str, ...]:
        """All text of a page (0 is the first), and where its links lead.

        Raises:
            ValueError: it cannot be read.
        """
        page = raw.FPDF_LoadPage(document, number)
        texts = raw.FPDFText_LoadPage(page) if page else None
        try:
            if not texts:
                raise ValueError(f"page {number + 1} of the PDF cannot be read")
            shown = self._text(lambda: int(raw.FPDFText_GetBoundedText(texts, *_ANYWHERE, self._buffer, self._units)))
            self.described += self._descriptions(page)
            return shown, *_links(document, page)
        finally:
            if texts:
                raw.FPDFText_ClosePage(texts)
            if page:
                raw.FPDF_ClosePage(page)

    def _descriptions(self, page: object) -> Iterator[str]:
        """What is said of the figures of a page (ISO 32000-1, 14.9.3)."""
        tree = raw.FPDF_StructTree_GetForPage(page)
        if not tree:
            return
        try:
            many = raw.FPDF_StructTree_CountChildren(tree)
            waiting = [raw.FPDF_StructTree_GetChildAtIndex(tree, at) for at in range(many)][::-1]
            while waiting:
                element = waiting.pop()
                text = self._text(partial(self._alternative, element))
                if text:
                    yield text
                many = raw.FPDF_StructElement_CountChildren(element)
                kids = (raw.FPDF_StructElement_GetChildAtIndex(element, at) for at in range(many))
                waiting += reversed([kid for kid in kids if kid])
        finally:
            raw.FPDF_StructTree_Close(tree)

    def _alternative(self, element: object) -> int:
        return int(raw.FPDF_StructElement_GetAltText(element, self._buffer, 2 * self._units)) // 2

    def _text(self, fill: Callable[[], int]) -> str:
        """What was filled in, in so many units; where it may have been cut, it is asked for again with more room."""
        while (units := fill()) >= self._units:
            self._take_room(max(units, 4 * self._units))
        return bytes(memoryview(self._buffer)[:units]).decode("utf-16-le", errors="ignore").rstrip("\0")


def _links(document: object, page: object) -> Iterator[str]:
    """Where the links of a page lead (ISO 32000-1, 12.6.4.7): ASCII."""
    at, link = ctypes.c_int(0), raw.FPDF_LINK()
    while raw.FPDFLink_Enumerate(page, ctypes.byref(at), ctypes.byref(link)):
        action = raw.FPDFLink_GetAction(link)
        units = int(raw.FPDFAction_GetURIPath(document, action, None, 0)) if action else 0
        if units:
            buffer = ctypes.create_string_buffer(units)
            raw.FPDFAction_GetURIPath(document, action, buffer, units)
            yield buffer.value.decode("latin-1")
