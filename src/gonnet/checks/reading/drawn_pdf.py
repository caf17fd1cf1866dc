"""Reading back the PDFs that Gonnet draws, at a small part of what a general reader takes.

It understands what these files are made of, and nothing else (ISO 32000-1): objects packed into streams, pages whose
content is one deflated stream, simple faces that say which character each code is, pictures, marks of the structure.
Whatever it does not know, be it an operator, a filter or a face, it does not guess at: then PDFium reads the file.
PDFium also reads the first files of a process and every fiftieth after that; where the two do not find the same
characters, it reads all others.
"""

from __future__ import annotations

import re
import zlib
from collections import Counter
from collections.abc import Iterator, Sequence
from struct import Struct

from gonnet.checks.reading.drawn_content import FACES, STRINGS, Face, UnfamiliarError, shown, unescaped
from gonnet.checks.reading.pdf_texts import FIGURES, INFO, by_lines, parts_of_pdf
from gonnet.checks.spelling import BARRIER

_FIRST, _EACH = 3, 50  # files that PDFium reads too: the first, and one in so many

_XREF = re.compile(rb"startxref\s+(\d+)\s+%%EOF\s*\Z")
_HEAD = re.compile(rb"(\d+) 0 obj\n<<(.*?)/Length (\d+)>>\nstream\n", re.DOTALL)
_TABLE = re.compile(rb"/Type/XRef/Size (\d+)/W\[1 4 2\]/Root (\d+) 0 R/Info (\d+) 0 R/ID\[\S+\]/Filter/FlateDecode")
_PACKED = re.compile(rb"/Filter/FlateDecode/Type/ObjStm/N (\d+)/First (\d+)")
_ENTRY = Struct(">BIH")
_REFERENCES = re.compile(rb"/([^\s/<\[(]+) (\d+) 0 R")
_KIDS = re.compile(rb"/Kids\[([\d\sR]*)\]")
_NOTED = re.compile(rb"/Annots\[([\d\sR]*)\]")
_FONTS = re.compile(rb"/Font<<(.*?)>>")
_STRUCTURE = b"<</Type/StructTreeRoot/"
_ALTERNATIVE = re.compile(rb"/Alt(?=[(<])(?:" + STRINGS.pattern + rb")", re.DOTALL)
# PDFDocEncoding where it is not Latin-1 (annex D.3).
_PDFDOC = dict(zip(range(0x18, 0x20), "˘ˇˆ˙˝˛˚˜", strict=True))
_PDFDOC |= dict(zip(range(0x80, 0x9F), "•†‡…—–ƒ⁄‹›−‰„“”‘’‚™ﬁﬂŁŒŠŸŽıłœšž", strict=True)) | {0xA0: "€"}


class DrawnReader:
    """Reads files that Gonnet drew, and looks now and then whether PDFium finds the same; one for each process.

    Attributes:
        trusted: Whether it always did; the files before one in which it did not were read here alone.
    """

    def __init__(self) -> None:
        self._read = 0
        self.trusted = True

    def parts(self, data: bytes) -> Iterator[tuple[str, tuple[str, ...]]]:
        """Its properties, its bookmarks and each of its pages (`page 2`), with their texts.

        Raises:
            ValueError: the bytes are not a PDF that can be read.
        """
        if not self.trusted:
            return by_lines(parts_of_pdf(data))
        self._read += 1
        try:
            found = list(parts_of_drawn(data))
        except (UnfamiliarError, ValueError, zlib.error):  # also what is not written as it should be
            return by_lines(parts_of_pdf(data))
        if self._read <= _FIRST or self._read % _EACH == 0:
            other = list(parts_of_pdf(data))
            if not alike(found, other):
                self.trusted = False
                return by_lines(other)
        return iter(found)


def alike(one: Sequence[tuple[str, Sequence[str]]], other: Sequence[tuple[str, Sequence[str]]]) -> bool:
    """Whether two readings have the same letters and digits, as often, in the same places.

    Without regard to case, as the search has none: so ligatures, which PDFium takes apart, are the letters they join.
    """
    if [place for place, _ in one] != [place for place, _ in other]:
        return False
    counted = (
        [Counter(filter(str.isalnum, "".join(texts).casefold())) for _, texts in found] for found in (one, other)
    )
    return next(counted) == next(counted)


def parts_of_drawn(data: bytes) -> Iterator[tuple[str, tuple[str, ...]]]:
    """As `parts_of_pdf`.

    Raises:
        UnfamiliarError: something of the file is not known here.
    """
    file = _File(data)
    info = file.head(file.info)
    yield "properties", tuple(_entry(info, name) for name in INFO)
    yield "bookmarks", tuple(file.titles())
    for number, page in enumerate(file.pages(), 1):
        yield f"page {number}", (*file.text(page).split(BARRIER), *file.links(page))
    if described := tuple(file.described()):
        yield FIGURES, described


class _File:
    """The objects of a file, found by the table of where they are (7.5.7 and 7.5.8)."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        at = int(_required(_XREF.search(data[-64:]))[1])
        dictionary, table = self._stream_at(at)
        told = _required(_TABLE.fullmatch(dictionary))
        self._root, self.info = int(told[2]), int(told[3])
        self._table = zlib.decompress(table)
        if len(self._table) != int(told[1]) * _ENTRY.size:
            raise UnfamiliarError
        self._heads: dict[int, bytes] = {}
        self._structure = b""
        for holder in sorted(self._holders()):
            self._unpack(holder)

    def _holders(self) -> set[int]:
        """The streams that hold objects, often hundreds each: so all entries are looked at by their columns."""
        columns = (self._table[at :: _ENTRY.size] for at in range(5))
        return {int.from_bytes(place) for kind, *place in set(zip(*columns, strict=True)) if kind == 2}

    def _place_of(self, number: int) -> tuple[int, int]:
        """Whether an object stands by itself (1) or in a stream (2), and where."""
        if not 0 < number * _ENTRY.size < len(self._table):
            raise UnfamiliarError
        kind, place, _ = _ENTRY.unpack_from(self._table, number * _ENTRY.size)
        return kind, place

    def _stream_at(self, start: int, number: int | None = None) -> tuple[bytes, bytes]:
        """The dictionary, but for its length, and the data of the stream object that begins at a place."""
        head = _required(_HEAD.match(self._data, start))
        if number is not None and int(head[1]) != number:
            raise UnfamiliarError
        return head[2], self._data[head.end() : head.end() + int(head[3])]

    def _stream(self, number: int) -> tuple[bytes, bytes]:
        kind, place = self._place_of(number)
        if kind != 1:
            raise UnfamiliarError
        return self._stream_at(place, number)

    def _unpack(self, holder: int) -> None:
        """Take the objects out of a stream of objects."""
        dictionary, packed = self._stream(holder)
        told = _required(_PACKED.fullmatch(dictionary))
        data, first = zlib.decompress(packed), int(told[2])
        if data.startswith(_STRUCTURE, first):  # of which only what is said of figures is looked for
            self._structure += data[first:]
            return
        numbers = list(map(int, data[:first].split()))
        starts = [first + start for start in numbers[1::2]]
        if len(numbers) != 2 * int(told[1]):
            raise UnfamiliarError
        self._heads |= {
            number: data[start:end]
            for number, start, end in zip(numbers[::2], starts, [*starts[1:], len(data)], strict=True)
        }

    def head(self, number: int) -> bytes:
        """An object that is no stream."""
        if number not in self._heads:
            raise UnfamiliarError
        return self._heads[number]

    def described(self) -> Iterator[str]:
        """What is said of figures to those who cannot see them."""
        for found in _ALTERNATIVE.finditer(self._structure):
            yield _string(found[0], len(b"/Alt"))

    def titles(self) -> Iterator[str]:
        """Those of the bookmarks, in the order of their objects."""
        for number, head in self._heads.items():
            if head.startswith(b"<</Title") and number != self.info:
                yield _entry(head, b"Title")

    def pages(self) -> list[int]:
        """The numbers of the pages, in their order."""
        catalog = dict(_REFERENCES.findall(self.head(self._root)))
        kids = _required(_KIDS.search(self.head(int(catalog.get(b"Pages", b"0")))))
        found = [int(number) for number in kids[1].split()[::3]]
        if any(not self.head(number).startswith(b"<</Type/Page/") for number in found):
            raise UnfamiliarError
        return found

    def text(self, page: int) -> str:
        """All text of a page.

        Raises:
            UnfamiliarError: something of it is not known here.
        """
        named = dict(_REFERENCES.findall(self.head(page)))
        try:
            dictionary, packed = self._stream(int(named[b"Contents"]))
            fonts = _required(_FONTS.search(self.head(int(named[b"Resources"]))))
            content = zlib.decompress(packed)
        except (KeyError, zlib.error) as error:
            raise UnfamiliarError from error
        if dictionary != b"/Filter/FlateDecode":
            raise UnfamiliarError
        faces = {name: self._characters(int(number)) for name, number in _REFERENCES.findall(fonts[1])}
        return shown(content, faces)

    def links(self, page: int) -> Iterator[str]:
        """Where the links of a page lead."""
        noted = _NOTED.search(self.head(page))
        for number in noted[1].split()[::3] if noted else ():
            head = self.head(int(number))
            at = head.find(b"/S/URI/URI ")
            if at >= 0:
                yield _string(head, at + len(b"/S/URI/URI "))

    def _characters(self, font: int) -> Face | None:
        """What the codes of a face mean; None where it does not say."""
        head = self.head(font)
        named = dict(_REFERENCES.findall(head))
        if b"/Subtype/TrueType" not in head or b"ToUnicode" not in named:
            return None
        return FACES[self._stream(int(named[b"ToUnicode"]))[1]]


def _required(match: re.Match[bytes] | None) -> re.Match[bytes]:
    if match is None:
        raise UnfamiliarError
    return match


def _entry(head: bytes, name: bytes) -> str:
    """A text string of a dictionary (7.9.2.2); empty where it has none.

    Raises:
        UnfamiliarError: it is written in another way.
    """
    at = head.find(b"/" + name + b" ")
    if at < 0:
        return ""
    return _string(head, at + len(name) + 2)


def _string(head: bytes, at: int) -> str:
    """The text string that begins at a place.

    Raises:
        UnfamiliarError: none does.
    """
    found = _required(STRINGS.match(head, at))
    data = bytes.fromhex(found[2].decode()) if found[2] is not None else unescaped(found[1])
    if data.startswith(b"\xfe\xff"):
        return data[2:].decode("utf-16-be", errors="replace")
    return data.decode("latin-1").translate(_PDFDOC)
