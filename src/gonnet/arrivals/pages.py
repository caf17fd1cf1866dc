"""What the pages of a PDF say: all of it, or what stands in a place (by PDFium)."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

import pypdfium2
from pypdfium2 import raw

from gonnet.errors import DataError
from gonnet.jobs.arrivals import Within

MM = 72 / 25.4
"""Points of a millimetre."""
_EVERYWHERE = (-1e6, 1e6, 1e6, -1e6)
_ROOM = 8_192


class Word(NamedTuple):
    """A word of a page, with its place in millimetres from the upper left corner as the page is seen."""

    text: str
    left: float
    top: float
    width: float
    height: float


class Pages:
    """A PDF that is open.

    Args:
        path: The file.
        password: What opens it; empty where nothing is needed.

    Raises:
        DataError: it is no PDF, or is locked.
    """

    def __init__(self, path: Path, password: str = "") -> None:
        self.path = path
        try:
            self._document = pypdfium2.PdfDocument(path, password=password or None)
        except pypdfium2.PdfiumError as error:
            raise _unopened(path, password, str(error)) from error
        self._units, self._buffer = _ROOM, (ctypes.c_ushort * _ROOM)()

    def close(self) -> None:
        """Give the memory back."""
        self._document.close()

    def __len__(self) -> int:
        """How many pages it has."""
        return len(self._document)

    def page(self, number: int) -> PageText:
        """A page, from 1.

        Raises:
            DataError: it cannot be read.
        """
        try:
            found = self._document[number - 1]
        except pypdfium2.PdfiumError as error:
            raise DataError("this page cannot be read", where=f"{self.path.name}, page {number}", fix=_ANEW) from error
        return PageText(found, self)

    def label(self, number: int) -> str:
        """The label of a page, from 1; empty where it has none."""
        return str(self._document.get_page_label(number - 1))

    def bookmarks(self, most: int = 15) -> list[tuple[int, str]]:
        """Page, from 1, and title of each bookmark that leads to a page, in their order; of so many levels."""
        found = []
        for entry in self._document.get_toc(max_depth=most):
            target = entry.get_dest()
            index = target.get_index() if target is not None else None
            if index is not None:
                found.append((index + 1, str(entry.get_title())))
        return found

    def bounded(self, texts: object, box: tuple[float, float, float, float]) -> str:
        """What stands in a box of a page: left, top, right, bottom in its own points."""
        while True:
            units = int(raw.FPDFText_GetBoundedText(texts, *box, self._buffer, self._units))
            if units < self._units:
                return bytes(memoryview(self._buffer)[:units]).decode("utf-16-le", errors="ignore").rstrip("\0")
            self._units = max(units, 4 * self._units)
            self._buffer = (ctypes.c_ushort * self._units)()


class PageText:
    """The text of one page."""

    def __init__(self, page: pypdfium2.PdfPage, pages: Pages) -> None:
        self._page, self._pages = page, pages
        self._texts = page.get_textpage()
        self._exact: str | None = None

    def __enter__(self) -> PageText:
        return self

    def __exit__(self, *_: object) -> None:
        self._texts.close()
        self._page.close()

    def text(self, within: Within | None = None) -> str:
        """What the page says, or what stands in a place of it."""
        found = self.exact() if within is None else self._pages.bounded(self._texts.raw, self._box(within))
        return found.replace("\r\n", "\n").replace("\x02", "")

    def exact(self) -> str:
        """All that it says, as PDFium gives it."""
        if self._exact is None:
            self._exact = self._pages.bounded(self._texts.raw, _EVERYWHERE)
        return self._exact

    @property
    def is_picture(self) -> bool:
        """Whether it says nothing that can be read, and shows a picture."""
        if raw.FPDFText_CountChars(self._texts.raw) > 0:
            return False
        return any(item.type == raw.FPDF_PAGEOBJ_IMAGE for item in self._page.get_objects(max_depth=8))

    def words(self) -> Iterator[Word]:
        """Its words, in the order in which they stand in the file."""
        left, bottom, right, top = ctypes.c_double(), ctypes.c_double(), ctypes.c_double(), ctypes.c_double()
        signs: list[str] = []
        boxes: list[tuple[float, float, float, float]] = []
        for at in range(int(raw.FPDFText_CountChars(self._texts.raw))):
            sign = chr(raw.FPDFText_GetUnicode(self._texts.raw, at))
            if sign.isspace() or sign in "\0\x02":
                yield from self._word(signs, boxes)
                signs, boxes = [], []
                continue
            raw.FPDFText_GetCharBox(self._texts.raw, at, left, right, bottom, top)
            signs.append(sign)
            boxes.append(self._seen(left.value, bottom.value, right.value, top.value))
        yield from self._word(signs, boxes)

    @staticmethod
    def _word(signs: list[str], boxes: list[tuple[float, float, float, float]]) -> Iterator[Word]:
        if signs:
            left, top = min(box[0] for box in boxes), min(box[1] for box in boxes)
            right, bottom = max(box[2] for box in boxes), max(box[3] for box in boxes)
            yield Word("".join(signs), left / MM, top / MM, (right - left) / MM, (bottom - top) / MM)

    def _box(self, within: Within) -> tuple[float, float, float, float]:
        """A place as it is seen, in the page's own points: left, top, right, bottom."""
        u, v = within.left * MM, within.top * MM
        ends = [self._own(u, v), self._own(u + within.width * MM, v + within.height * MM)]
        (x, y), (to_x, to_y) = ends
        return min(x, to_x), max(y, to_y), max(x, to_x), min(y, to_y)

    def _bounds(self) -> tuple[float, float, float, float]:
        """What of the page is seen: left, bottom, right, top; also where it has its boxes from what is above it."""
        box = raw.FS_RECTF()
        raw.FPDF_GetPageBoundingBox(self._page.raw, box)
        return box.left, box.bottom, box.right, box.top

    def _own(self, u: float, v: float) -> tuple[float, float]:
        """A point from the upper left corner of the page as it is seen, in its own space (ISO 32000-1, 8.3.2)."""
        left, bottom, right, top = self._bounds()
        match self._page.get_rotation():
            case 90:
                return left + v, bottom + u
            case 180:
                return right - u, bottom + v
            case 270:
                return right - v, top - u
            case _:
                return left + u, top - v

    def _seen(self, x: float, y: float, to_x: float, to_y: float) -> tuple[float, float, float, float]:
        """A box of the page's own space from its upper left corner as it is seen: left, top, right, bottom."""
        left, bottom, right, top = self._bounds()
        match self._page.get_rotation():
            case 90:
                return y - bottom, x - left, to_y - bottom, to_x - left
            case 180:
                return right - to_x, y - bottom, right - x, to_y - bottom
            case 270:
                return top - to_y, right - to_x, top - y, right - x
            case _:
                return x - left, top - to_y, to_x - left, top - y


def is_pdf(path: Path) -> bool:
    """Whether a file says that it is a PDF."""
    with path.open("rb") as file:
        return file.read(5) == b"%PDF-"


def pictures_of(path: Path) -> tuple[int, int]:
    """How many pages of a file are pictures only, and how many it has; none of one that cannot be opened."""
    pictures = 0
    try:
        opened = Pages(path)
    except DataError:
        return 0, 0
    with closing(opened) as pages:
        for number in range(1, len(pages) + 1):
            with pages.page(number) as page:
                pictures += page.is_picture
        return pictures, len(pages)


_ANEW = "Have the run made again"


def _unopened(path: Path, password: str, said: str) -> DataError:
    if "password" in said.casefold():
        what = "the password does not open this PDF" if password else "this PDF is locked by a password"
        return DataError(what, where=path.name, fix="Write `password: ${NAME}` and set NAME in the environment")
    return DataError("this is no PDF that can be read", where=path.name, fix=_ANEW)
