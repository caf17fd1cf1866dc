"""A PDF as it is written: pages, links, bookmarks, and its objects packed into streams (ISO 32000-1, 7.5)."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from functools import lru_cache
from hashlib import md5
from itertools import pairwise
from struct import Struct
from typing import NamedTuple

from gonnet.reports.fonts import Alphabet, Embedding
from gonnet.reports.pdf.metadata import About, colours
from gonnet.reports.pdf.pictures import Embedded, embedded
from gonnet.reports.pdf.structure import Element, Tags
from gonnet.reports.pdf.writing import box, packed, stream, text_string

_ENTRY = Struct(">BIH")
_NOTHING = b"\0\0\0\0\0\xff\xff"  # the entry of number 0, which is no object
_TOGETHER = 10_000  # objects in a stream of objects
SEE_THROUGH = "/W gs\n"
"""The operator that makes what follows it as transparent as the watermark."""


class _Link(NamedTuple):
    page: int
    sides: tuple[float, float, float, float]
    address: str
    target: str
    said: str


class _Page(NamedTuple):
    width: float
    height: float
    parts: list[str]


class PdfFile:
    """A file, page by page.

    Args:
        alphabet: The faces to draw with.
        faces: Those that operators name from the beginning on.
        tagged: Whether its structure is kept.
    """

    def __init__(self, alphabet: Alphabet, faces: Sequence[str], *, tagged: bool = False) -> None:
        self._alphabet, self._faces = alphabet, dict.fromkeys(faces)
        self.tags = Tags(on=tagged)
        self._pages: list[_Page] = []
        self._links: list[_Link] = []
        self._bookmarks: list[tuple[int, str, int, float]] = []
        self._places: dict[str, int] = {}
        self._pictures: dict[Embedded, str] = {}
        self._opacity: float | None = None

    def begin_page(self, width: float, height: float) -> None:
        """What is put from here on is on a new page."""
        self._pages.append(_Page(width, height, []))
        self.tags.begin_page()

    def put(self, operators: str) -> None:
        """Put operators on the page."""
        self._pages[-1].parts.append(operators)

    def use(self, face: str) -> None:
        """Have a face in the file, which operators name."""
        self._faces[face] = None

    def picture(self, data: bytes, x: float, y: float, width: float, height: float) -> None:
        """Put a PNG or JPEG on the page."""
        name = self._pictures.setdefault(embedded(data), f"P{len(self._pictures)}")
        self.put(f"q {width:.2f} 0 0 {height:.2f} {x:.2f} {y:.2f} cm /{name} Do Q\n")

    def see_through(self, opacity: float) -> None:
        """How much of what lies below a watermark it covers."""
        self._opacity = opacity

    def link(
        self,
        element: Element,
        sides: tuple[float, float, float, float],
        said: str,
        *,
        address: str = "",
        target: str = "",
    ) -> None:
        """Let a rectangle of the page lead to an address, or to a place of the file; `said` is what it says there."""
        self.tags.links(element, len(self._links))
        self._links.append(_Link(len(self._pages) - 1, sides, address, target, said))

    def place(self, name: str) -> None:
        """Give the page that comes next a name that links lead to."""
        self._places[name] = len(self._pages)

    def bookmark(self, level: int, title: str, page: int, y: float) -> None:
        """Put a bookmark of a level from 0 on, which leads to a height of a page (from 0)."""
        self._bookmarks.append((level, title, page, y))

    def finish(self, about: About) -> bytes:
        """The bytes: the same for the same pages."""
        file = _Objects(self._alphabet.embedded(tuple(self._faces)))
        above = file.number()
        pages = [file.number() for _ in self._pages]
        links = [file.number() for _ in self._links]
        resources = self._resources(file)
        for at, (number, page) in enumerate(zip(pages, self._pages, strict=True)):
            content = file.stream(stream("".join(page.parts).encode("ascii"), effort=4))
            here = [one for one, link in zip(links, self._links, strict=True) if link.page == at]
            noted = f"/Annots[{_references(here)}]" if here else ""
            tagged = f"/StructParents {at}/Tabs/S" if self.tags.on else ""
            size = box(0, 0, page.width, page.height)
            file.put(
                number,
                f"<</Type/Page/Parent {above} 0 R/MediaBox{size}/Resources {resources} 0 R"
                f"/Contents {content} 0 R{noted}{tagged}>>",
            )
        file.put(above, f"<</Type/Pages/Count {len(pages)}/Kids[{_references(pages)}]>>")
        for at, (number, link) in enumerate(zip(links, self._links, strict=True)):
            file.put(number, self._annotation(link, pages, len(pages) + at))
        return file.finish(self._catalog(file, about, above, pages, links), file.add(about.properties()))

    def _resources(self, file: _Objects) -> int:
        named = []
        for picture, name in self._pictures.items():
            mask = file.stream(picture.mask) if picture.mask is not None else None
            named.append(f"/{name} {file.stream(picture.object(mask))} 0 R")
        pictures = f"/XObject<<{''.join(named)}>>" if named else ""
        states = f"/ExtGState<</W<</ca {self._opacity:g}>>>>" if self._opacity is not None else ""
        return file.add(f"<</Font<<{file.fonts}>>{pictures}{states}>>")

    def _annotation(self, link: _Link, pages: Sequence[int], parent: int) -> str:
        """A link (12.5.6.5), with what it says for those who do not see it."""
        if link.address:
            leads = f"/A<</S/URI/URI {text_string(link.address)}>>"
        else:
            leads = f"/Dest[{pages[self._places[link.target]]} 0 R/Fit]"
        tagged = f"/Contents {text_string(link.said)}/StructParent {parent}" if self.tags.on else ""
        return f"<</Type/Annot/Subtype/Link/Rect{box(*link.sides)}/Border[0 0 0]/F 4{leads}{tagged}>>"

    def _catalog(self, file: _Objects, about: About, above: int, pages: Sequence[int], links: Sequence[int]) -> int:
        parts = [f"<</Type/Catalog/Pages {above} 0 R/Metadata {file.stream(about.metadata())} 0 R"]
        if about.language:
            parts.append(f"/Lang {text_string(about.language)}")
        if self._bookmarks:
            parts.append(f"/Outlines {_outlines(file, self._bookmarks, pages)} 0 R")
        if about.is_archival:
            profile = file.stream(colours())
            parts.append(
                "/OutputIntents[<</Type/OutputIntent/S/GTS_PDFA1/OutputConditionIdentifier(sRGB)"
                f"/Info(sRGB)/DestOutputProfile {profile} 0 R>>]"
            )
        if self.tags.on:
            first = file.count + 1
            file.take(first, *self.tags.tree(first, pages, links))
            parts.append(
                f"/StructTreeRoot {first} 0 R/MarkInfo<</Marked true>>/ViewerPreferences<</DisplayDocTitle true>>"
            )
        return file.add("".join([*parts, ">>"]))


def _references(numbers: Sequence[int]) -> str:
    return " ".join([f"{number} 0 R" for number in numbers])


def _outlines(file: _Objects, entries: Sequence[tuple[int, str, int, float]], pages: Sequence[int]) -> int:
    """Bookmarks (12.3.3), each of level 1 within the one of level 0 before it; the number of their root."""
    root = file.number()
    numbers = [file.number() for _ in entries]
    latest, above, kids = root, dict[int, int](), {root: list[int]()}
    for number, (level, *_) in zip(numbers, entries, strict=True):
        above[number] = latest if level else root
        kids.setdefault(above[number], []).append(number)
        latest = latest if level else number
    around = {number: "" for number in numbers}
    for beside in kids.values():
        for one, other in pairwise(beside):
            around[one] += f"/Next {other} 0 R"
            around[other] += f"/Prev {one} 0 R"
    for number, (_, title, page, y) in zip(numbers, entries, strict=True):
        own = kids.get(number, [])
        below = f"/First {own[0]} 0 R/Last {own[-1]} 0 R/Count {len(own)}" if own else ""
        leads = f"/Dest[{pages[page]} 0 R/XYZ 0 {y:.2f} 0]"
        file.put(number, f"<</Title {text_string(title)}/Parent {above[number]} 0 R{around[number]}{below}{leads}>>")
    first = kids[root]
    file.put(root, f"<</Type/Outlines/First {first[0]} 0 R/Last {first[-1]} 0 R/Count {len(entries)}>>")
    return root


class _Objects:
    """The objects of a file: streams as they come, the others packed together (7.5.7)."""

    def __init__(self, faces: Embedding) -> None:
        self._out = bytearray(faces.head)
        self._starts: dict[int, int] = dict(enumerate(faces.starts, 1))
        self.count = len(faces.starts)
        self._packed: list[tuple[int, str]] = []
        self._taken: list[tuple[int, int, int]] = []
        self.fonts = faces.fonts
        self.extend(faces.objects)

    def number(self) -> int:
        """The number of an object that is put later."""
        self.count += 1
        return self.count

    def put(self, number: int, written: str) -> None:
        """The object of a number."""
        self._packed.append((number, written))

    def add(self, written: str) -> int:
        """An object; its number."""
        self._packed.append((self.number(), written))
        return self.count

    def extend(self, written: Sequence[str]) -> None:
        """Objects that are numbered one after the other."""
        self._packed += enumerate(written, self.count + 1)
        self.count += len(written)

    def stream(self, written: bytes) -> int:
        """A stream object; its number."""
        number = self.number()
        self._place(number)
        self._out += b"%d 0 obj\n%s\nendobj\n" % (number, written)
        return number

    def take(self, first: int, written: bytes, many: int) -> None:
        """Many objects that are packed into one stream already, numbered one after the other from the next on."""
        self.count += many
        self._taken.append((first, many, self.stream(written)))

    def _place(self, number: int) -> None:
        self._starts[number] = len(self._out)

    def finish(self, root: int, properties: int) -> bytes:
        """The bytes of the file, with the table of where its objects are (7.5.8)."""
        places: list[tuple[int, int, int]] = []
        for at in range(0, len(self._packed), _TOGETHER):
            part = self._packed[at : at + _TOGETHER]
            holder = self.stream(packed(part))
            places += [(number, holder, place) for place, (number, _) in enumerate(part)]
        own = self.number()
        self._place(own)
        table = bytearray(_NOTHING + bytes(_ENTRY.size * self.count))
        for number, holder, place in places:
            _ENTRY.pack_into(table, _ENTRY.size * number, 2, holder, place)
        for first, many, holder in self._taken:
            table[_ENTRY.size * first : _ENTRY.size * (first + many)] = _places(holder, many)
        for number, start in self._starts.items():
            _ENTRY.pack_into(table, _ENTRY.size * number, 1, start, 0)
        entries = zlib.compress(table, 1)
        name = md5(self._out, usedforsecurity=False).hexdigest()
        start = len(self._out)
        self._out += (
            b"%d 0 obj\n<</Type/XRef/Size %d/W[1 4 2]/Root %d 0 R/Info %d 0 R/ID[<%s><%s>]"
            b"/Filter/FlateDecode/Length %d>>\nstream\n%s\nendstream\nendobj\nstartxref\n%d\n%%%%EOF\n"
        ) % (own, self.count + 1, root, properties, name.encode(), name.encode(), len(entries), entries, start)
        return bytes(self._out)


@lru_cache(maxsize=500)
def _places(holder: int, many: int) -> bytes:
    """The entries of objects that are in one stream, one after the other."""
    return b"".join([_ENTRY.pack(2, holder, place) for place in range(many)])
