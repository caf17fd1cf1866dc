"""The faces of PDFs: whole ones to measure with, and reduced ones to embed, made once for all documents of a run."""

from __future__ import annotations

import sys
import unicodedata
import zlib
from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any, BinaryIO
from weakref import WeakKeyDictionary

from reportlab import rl_config
from reportlab.lib.fonts import addMapping
from reportlab.pdfbase import pdfdoc, pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

from gonnet.remembering import Remembered

REGULAR = "Gonnet-Regular"
BOLD = "Gonnet-Bold"
ITALIC = "Gonnet-Italic"
BOLD_ITALIC = "Gonnet-BoldItalic"
MONO = "Gonnet-Mono"
"""The face whose signs are all as wide."""
_PAGE_NAMES = {REGULAR: "GR", BOLD: "GB", ITALIC: "GI", BOLD_ITALIC: "GX", MONO: "GM"}
_FOLDER = Path(__file__).parent / "fonts"
_SHIPPED = {
    REGULAR: _FOLDER / "NotoSans-Regular.ttf",
    BOLD: _FOLDER / "NotoSans-Bold.ttf",
    ITALIC: _FOLDER / "NotoSans-Italic.ttf",
    BOLD_ITALIC: _FOLDER / "NotoSans-BoldItalic.ttf",
}
_MANY = 200_000
_SHAPED = frozenset(
    {
        "DEVANAGARI",
        "BENGALI",
        "GURMUKHI",
        "GUJARATI",
        "ORIYA",
        "TAMIL",
        "TELUGU",
        "KANNADA",
        "MALAYALAM",
        "SINHALA",
        "THAI",
        "LAO",
        "TIBETAN",
        "MYANMAR",
        "KHMER",
        "MONGOLIAN",
        "BALINESE",
        "JAVANESE",
        "SUNDANESE",
        "VEDIC",
    }
)

# So that paragraphs find the bold face of the regular one.
addMapping("Gonnet", 0, 0, REGULAR)
addMapping("Gonnet", 1, 0, BOLD)
addMapping("Gonnet", 0, 1, ITALIC)
addMapping("Gonnet", 1, 1, BOLD_ITALIC)
rl_config.useA85 = 0  # page streams stay binary: smaller, and quicker to write


class Family:
    """The faces of a house style, each whole.

    Attributes:
        signs: The characters that every face can print, sign by sign from left to right.
    """

    def __init__(self, files: Mapping[str, Path]) -> None:
        self._whole = {name: TTFont(name, str(file)) for name, file in files.items()}
        glyphs = [frozenset(font.face.charToGlyph) for font in self._whole.values()]
        self._glyphs = frozenset(map(chr, frozenset.intersection(*glyphs)))
        self.signs = frozenset(sign for sign in self._glyphs if _is_sign(sign) and not needs_shaping(sign))
        self._widths = {name: Remembered(_measure(font), _MANY) for name, font in self._whole.items()}

    def width(self, text: str, face: str, size: float) -> float:
        """Width of `text` in points."""
        return self._widths[face][text] * size / 1000

    def trouble(self, sign: str) -> str:
        """Why a character cannot be printed, by its name."""
        shown = sign if sign.isprintable() else "a control character"
        called = f"'{shown}' (U+{ord(sign):04X}, {unicodedata.name(sign, 'no name').lower()})"
        if needs_shaping(sign):
            return f"{called} cannot be printed: its script must be shaped or runs from right to left"
        return f"{called} cannot be printed: the font does not have it"

    def unprintable(self, texts: Iterable[str]) -> list[str]:
        """The characters of `texts` that the faces do not have, in order of code point; they would vanish silently."""
        used: set[str] = set()
        for text in texts:
            used.update(text)
        return sorted(used - self.signs - {"\n"})

    @lru_cache(maxsize=8)  # noqa: B019  families live as long as the process
    def reduced(self, signs: frozenset[str]) -> Alphabet:
        """The faces with no more than `signs`, as far as the family has them."""
        codes = sorted(map(ord, signs & self.signs))
        return Alphabet({name: ReducedFace(font, codes) for name, font in self._whole.items()}, signs)


@lru_cache(maxsize=4096)
def needs_shaping(sign: str) -> bool:
    """Whether a character is of a script whose signs join, move or run from right to left (Unicode, 9 and 12 to 16)."""
    if unicodedata.bidirectional(sign) in ("R", "AL", "AN"):
        return True
    return unicodedata.name(sign, "").split(" ")[0] in _SHAPED


def _is_sign(character: str) -> bool:
    """Fonts have glyphs for some control characters too, which are no signs."""
    return unicodedata.category(character) != "Cc"


def _measure(font: TTFont) -> Callable[[str], int]:
    """What gives the width of a text in thousandths of the face's size."""
    face: Any = font.face
    widths: Remembered[str, int] = Remembered(lambda _: face.defaultWidth, sys.maxunicode)
    widths.update({chr(code): width for code, width in face.charWidths.items()})
    return lambda text: sum(map(widths.__getitem__, text))


class Alphabet:
    """The reduced faces of a run.

    Attributes:
        signs: The characters asked for, whether the faces have them or not.
        faces: Name → reduced face.
        kept: What a painter of tables keeps for these faces between documents.
    """

    def __init__(self, faces: Mapping[str, ReducedFace], signs: frozenset[str]) -> None:
        self.faces = faces
        self.signs = signs
        self.kept: dict[object, object] = {}

    def canvas(self, target: BinaryIO, **options: Any) -> Canvas:  # noqa: ANN401  those of ReportLab
        """A canvas with these faces; one document is drawn at a time."""
        for face in self.faces.values():
            vars(pdfmetrics)["_fonts"][face.fontName] = face  # registerFont keeps the first face of a name for ever
        first = next(iter(self.faces))
        canvas = Canvas(target, initialFontName=first, **options)  # type: ignore[arg-type]  # the stub is wrong
        for name in dict.fromkeys((first, *({BOLD} & self.faces.keys()))):
            # Operators name these faces, which ReportLab does not see; of the others it sees every use.
            self.use(canvas, name)
        return canvas

    def use(self, canvas: Canvas, name: str) -> None:
        """Put a face into a document, which operators name."""
        self.faces[name].getSubsetInternalName(0, vars(canvas)["_doc"])


class ReducedFace(TTFont):
    """A face with fixed characters, whose subset is made once and embedded as it is in every document.

    ReportLab's own TTFont collects the characters of one document and makes a subset for it, which takes longer than
    drawing a page. Codes are fixed here, so that operators can be kept from one document to the next.

    Args:
        whole: The face it is taken from.
        codes: Its code points, in order.
    """

    def __init__(self, whole: TTFont, codes: Iterable[int]) -> None:
        self.fontName = whole.fontName
        self.face = whole.face
        self.encoding = whole.encoding
        self.state = WeakKeyDictionary()
        self._shapable = False
        self._page_name = _PAGE_NAMES[whole.fontName]
        self._subsets = _arranged(codes)
        self._places = {
            code: (number, at) for number, subset in enumerate(self._subsets) for at, code in enumerate(subset) if code
        }
        self._places[0xA0] = self._places[0x20]
        self._first = {code: _escaped(at) for code, (number, at) in self._places.items() if number == 0}
        self._at_once = frozenset(map(chr, self._first))
        self._ready: list[_ReadySubset] = []

    def splitString(self, text: str, doc: object, encoding: str = "utf-8") -> list[tuple[int, bytes]]:  # noqa: N802
        """ReportLab's protocol: `text` as runs of (subset, codes). A character that is not there is a mistake here."""
        runs: list[tuple[int, bytearray]] = []
        for sign in text:
            number, at = self._places[ord(sign)]
            if not runs or runs[-1][0] != number:
                runs.append((number, bytearray()))
            runs[-1][1].append(at)
        return [(number, bytes(codes)) for number, codes in runs]

    def getSubsetInternalName(self, subset: int, doc: Any) -> str:  # noqa: N802, ANN401  ReportLab's protocol
        """ReportLab's protocol: the name of a subset on the page, the same in every document."""
        if self.fontName not in doc.fontMapping:
            doc.fontMapping[self.fontName] = "/" + self._page_name
            doc.delayedFonts.append(self)
        return f"/{self._page_name}+{subset}"

    def set_operator(self, size: float) -> str:
        """The operator that chooses the first subset in a size."""
        return f"/{self._page_name}+0 {size:g} Tf"

    def shows_at_once(self, text: str) -> bool:
        """Whether `text` has no character outside the first subset."""
        return self._at_once.issuperset(text)

    def escaped(self, text: str) -> str:
        """A text of the first subset, as it stands in a literal string."""
        return text.translate(self._first)

    def show_operators(self, text: str, size: float) -> str:
        """Operators that show `text` in one line, its first subset chosen before and after."""
        if self.shows_at_once(text):
            return f"({self.escaped(text)}) Tj"
        parts = []
        for number, codes in self.splitString(text, None):
            shown = "".join(map(_escaped, codes))
            parts.append(f"/{self._page_name}+{number} {size:g} Tf ({shown}) Tj")
        return f"{' '.join(parts)} {self.set_operator(size)}"

    def addObjects(self, doc: Any) -> None:  # noqa: N802, ANN401  ReportLab's protocol
        """ReportLab's protocol: add the finished subsets to a document."""
        if not self._ready:
            self._ready = [_ReadySubset(self.face, number, subset) for number, subset in enumerate(self._subsets)]
        for number, ready in enumerate(self._ready):
            ready.add(doc, self.getSubsetInternalName(number, doc)[1:])


class _ReadySubset:
    """The objects of one subset (ISO 32000-1, 9.6.3 and 9.8), with streams that are already compressed."""

    def __init__(self, face: Any, number: int, subset: list[int]) -> None:  # noqa: ANN401  ReportLab's TTFontFace
        letters = "".join(chr(65 + (number // 26**place) % 26) for place in range(6))
        self._name = f"{letters}+{face.name.decode('latin-1')}"
        self._last = len(subset) - 1
        data = face.makeSubset(subset)
        self._file = _stream(data, f" /Length1 {len(data)}")
        self._characters = _stream(_to_unicode(self._name, subset).encode())
        nonsymbolic, symbolic = 32, 4
        box = " ".join(f"{part:g}" for part in face.bbox)
        self._descriptor = (
            f"<< /Type /FontDescriptor /FontName /{self._name} /Flags {(face.flags & ~nonsymbolic) | symbolic} "
            f"/FontBBox [{box}] /ItalicAngle {face.italicAngle:g} /Ascent {face.ascent:g} /Descent {face.descent:g} "
            f"/CapHeight {face.capHeight:g} /StemV {face.stemV:g} /MissingWidth {face.defaultWidth:g}"
        )
        widths = " ".join(f"{face.getCharWidth(code):g}" for code in subset)
        self._font = (
            f"<< /Type /Font /Subtype /TrueType /BaseFont /{self._name} /FirstChar 0 /LastChar {len(subset) - 1} "
            f"/Widths [{widths}]"
        )

    def add(self, doc: Any, page_name: str) -> None:  # noqa: ANN401
        file = doc.Reference(_Finished(self._file), f"fontFile:{page_name}")
        characters = doc.Reference(_Finished(self._characters), f"toUnicode:{page_name}")
        written = _Written(self._descriptor, {"FontFile2": file})
        descriptor = doc.Reference(written, f"fontDescriptor:{page_name}")
        head = f"{self._font} /Name /{page_name}"
        font = _Written(head, {"ToUnicode": characters, "FontDescriptor": descriptor})
        doc.Reference(font, page_name)
        doc.idToObject["BasicFonts"].dict[page_name] = font


class _Written(pdfdoc.PDFObject):
    """A dictionary that is already written, but for its references to other objects."""

    __RefOnly__ = 1

    def __init__(self, head: str, references: Mapping[str, Any]) -> None:
        self._head, self._references = head, references

    def format(self, document: object) -> bytes:
        parts = [f"/{name} {found.format(document).decode('ascii')}" for name, found in self._references.items()]
        return f"{self._head} {' '.join(parts)} >>".encode("ascii")


class _Finished(pdfdoc.PDFObject):
    """An object that is already written; one for each document, since ReportLab numbers objects themselves."""

    __RefOnly__ = 1

    def __init__(self, written: bytes) -> None:
        self._written = written

    def format(self, _document: object) -> bytes:
        return self._written


def _stream(data: bytes, more: str = "") -> bytes:
    """A stream as it stands in a file (ISO 32000-1, 7.3.8), with more entries of its dictionary."""
    packed = zlib.compress(data, 9)
    head = f"<< /Filter /FlateDecode /Length {len(packed)}{more} >>"
    return b"%s\nstream\n%s\nendstream" % (head.encode("ascii"), packed)


def _arranged(codes: Iterable[int]) -> list[list[int]]:
    """Subsets of at most 256 places: ASCII where it always stands, the rest where there is room; 0 is no character."""
    first = [0] * 256
    rest = []
    for code in codes:
        if 32 <= code < 127:
            first[code] = code
        elif code != 0xA0:
            rest.append(code)
    first[32] = 32
    for at in range(1, 256):
        if rest and not first[at]:
            first[at] = rest.pop(0)
    while not first[-1]:
        first.pop()
    return [first, *([0, *rest[at : at + 255]] for at in range(0, len(rest), 255))]


def _escaped(code: int) -> str:
    """A code in a literal string (ISO 32000-1, 7.3.4.2)."""
    if chr(code) in "()\\":
        return "\\" + chr(code)
    return chr(code) if 32 <= code < 127 else f"\\{code:03o}"


def _to_unicode(name: str, subset: list[int]) -> str:
    """A ToUnicode CMap (ISO 32000-1, 9.10.3), so that the text can be read back and searched."""
    pairs = [f"<{at:02X}> <{chr(code).encode('utf-16-be').hex().upper()}>" for at, code in enumerate(subset) if code]
    blocks = (pairs[at : at + 100] for at in range(0, len(pairs), 100))
    lines = [
        "/CIDInit /ProcSet findresource begin 12 dict begin begincmap",
        f"/CIDSystemInfo << /Registry ({name}) /Ordering ({name}) /Supplement 0 >> def",
        f"/CMapName /{name} def /CMapType 2 def",
        "1 begincodespacerange <00> <FF> endcodespacerange",
    ]
    for block in blocks:
        lines += [f"{len(block)} beginbfchar", *block, "endbfchar"]
    return "\n".join([*lines, "endcmap CMapName currentdict /CMap defineresource pop end end"])


class UnusableFontError(Exception):
    """A file is no face that can be embedded; its text says which."""


@lru_cache(maxsize=1)
def typed_family() -> Family:
    """The face for pages of print files, by itself."""
    return Family({MONO: _FOLDER / "NotoSansMono-Regular.ttf"})


@lru_cache(maxsize=4)
def family(files: tuple[str, str, str, str] | None = None) -> Family:
    """A family of faces: regular, bold, italic, bold italic; the one that is shipped with Gonnet when not given.

    Raises:
        UnusableFontError: a file cannot be read as a TrueType face.
    """
    if files is None:
        return Family(_SHIPPED)
    for file in files:
        try:
            TTFont("probe", file)
        except (TTFError, OSError) as error:
            raise UnusableFontError(f"the font {Path(file).name} cannot be used: {error}") from error
    return Family(dict(zip(_SHIPPED, map(Path, files), strict=True)))
