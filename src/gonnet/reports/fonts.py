"""The faces of PDFs: whole ones to measure with, and reduced ones to embed, made once for all documents of a run."""

from __future__ import annotations

import sys
import unicodedata
from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple

from reportlab.pdfbase.ttfonts import TTFError, TTFont

from gonnet.remembering import Remembered
from gonnet.reports.pdf.writing import stream

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
_HEAD = b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n"  # bytes beyond ASCII, so that no program takes the file for text (7.5.2)
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


class Embedding(NamedTuple):
    """Faces as a file has them: the same for every file with these faces.

    Attributes:
        head: The beginning of the file, with the streams of the faces.
        starts: Where each of these streams begins; they are the first objects.
        objects: The objects that follow them.
        fonts: The entries of a dictionary of fonts.
    """

    head: bytes
    starts: tuple[int, ...]
    objects: tuple[str, ...]
    fonts: str


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
        self._embeddings: dict[tuple[str, ...], Embedding] = {}

    def embedded(self, names: tuple[str, ...]) -> Embedding:
        """Some of the faces, as a file has them."""
        if names not in self._embeddings:
            self._embeddings[names] = self._embed(names)
        return self._embeddings[names]

    def _embed(self, names: tuple[str, ...]) -> Embedding:
        out, starts, objects, fonts = bytearray(_HEAD), list[int](), list[str](), list[str]()
        subsets = [found for name in names for found in self.faces[name].subsets]
        for _, subset in subsets:
            for written in (subset.file, subset.characters):
                starts.append(len(out))
                out += b"%d 0 obj\n%s\nendobj\n" % (len(starts), written)
        for at, (name, subset) in enumerate(subsets):
            number = len(starts) + len(objects) + 1
            objects.append(f"{subset.descriptor}/FontFile2 {2 * at + 1} 0 R>>")
            objects.append(f"{subset.font}/FontDescriptor {number} 0 R/ToUnicode {2 * at + 2} 0 R>>")
            fonts.append(f"/{name} {number + 1} 0 R")
        return Embedding(bytes(out), tuple(starts), tuple(objects), "".join(fonts))


class ReducedFace:
    """A face with fixed characters, whose subsets are made once and embedded as they are in every document.

    Codes are fixed here, so that operators can be kept from one document to the next.

    Args:
        whole: The face it is taken from.
        codes: Its code points, in order.
    """

    def __init__(self, whole: TTFont, codes: Iterable[int]) -> None:
        self._face: Any = whole.face
        self._page_name = _PAGE_NAMES[whole.fontName]
        self._subsets = _arranged(codes)
        self._places = {
            code: (number, at) for number, subset in enumerate(self._subsets) for at, code in enumerate(subset) if code
        }
        self._places[0xA0] = self._places[0x20]
        self._first = {code: _escaped(at) for code, (number, at) in self._places.items() if number == 0}
        self._at_once = frozenset(map(chr, self._first))
        self._ready: tuple[tuple[str, _ReadySubset], ...] = ()

    @property
    def subsets(self) -> tuple[tuple[str, _ReadySubset], ...]:
        """The name of each subset on the page, and what is embedded of it."""
        if not self._ready:
            self._ready = tuple(
                (f"{self._page_name}+{number}", _ReadySubset(self._face, number, subset))
                for number, subset in enumerate(self._subsets)
            )
        return self._ready

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
        for number, codes in self._runs(text):
            shown = "".join(map(_escaped, codes))
            parts.append(f"/{self._page_name}+{number} {size:g} Tf ({shown}) Tj")
        return f"{' '.join(parts)} {self.set_operator(size)}"

    def _runs(self, text: str) -> list[tuple[int, bytearray]]:
        """`text` as runs of one subset each, with their codes. A character that is not there is a mistake here."""
        runs: list[tuple[int, bytearray]] = []
        for sign in text:
            number, at = self._places[ord(sign)]
            if not runs or runs[-1][0] != number:
                runs.append((number, bytearray()))
            runs[-1][1].append(at)
        return runs


class _ReadySubset:
    """The objects of one subset (ISO 32000-1, 9.6.3 and 9.8), but for the numbers of others.

    Attributes:
        file: The stream of the face.
        characters: The stream that says which character each code is.
        descriptor: The beginning of what describes the face.
        font: The beginning of the font.
    """

    def __init__(self, face: Any, number: int, subset: list[int]) -> None:  # noqa: ANN401  ReportLab's TTFontFace
        letters = "".join(chr(65 + (number // 26**place) % 26) for place in range(6))
        name = f"{letters}+{face.name.decode('latin-1')}"
        data = face.makeSubset(subset)
        self.file = stream(data, f"/Length1 {len(data)}")
        self.characters = stream(_to_unicode(name, subset).encode())
        nonsymbolic, symbolic = 32, 4
        sides = " ".join(f"{part:g}" for part in face.bbox)
        self.descriptor = (
            f"<</Type/FontDescriptor/FontName/{name}/Flags {(face.flags & ~nonsymbolic) | symbolic}"
            f"/FontBBox[{sides}]/ItalicAngle {face.italicAngle:g}/Ascent {face.ascent:g}/Descent {face.descent:g}"
            f"/CapHeight {face.capHeight:g}/StemV {face.stemV:g}/MissingWidth {face.defaultWidth:g}"
        )
        widths = " ".join(f"{face.getCharWidth(code):g}" for code in subset)
        self.font = (
            f"<</Type/Font/Subtype/TrueType/BaseFont/{name}/FirstChar 0/LastChar {len(subset) - 1}/Widths[{widths}]"
        )


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
