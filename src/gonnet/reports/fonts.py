"""The two faces of every PDF: Noto Sans, shipped with Gonnet, embedded and subset."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from pathlib import Path

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

REGULAR = "Gonnet-Regular"
BOLD = "Gonnet-Bold"
_FILES = {REGULAR: "NotoSans-Regular.ttf", BOLD: "NotoSans-Bold.ttf"}
_FOLDER = Path(__file__).parent / "fonts"


@lru_cache(maxsize=1)
def registered() -> frozenset[int]:
    """Make the faces known to ReportLab (once per process); returns the code points that both can print."""
    common: set[int] | None = None
    for name, file in _FILES.items():
        font = TTFont(name, str(_FOLDER / file))
        pdfmetrics.registerFont(font)
        glyphs = set(font.face.charToGlyph)
        common = glyphs if common is None else common & glyphs
    assert common is not None
    return frozenset(common)


def unprintable(texts: Iterable[str]) -> list[str]:
    """The characters of `texts` that the faces do not have, in order of code point; they would vanish silently."""
    known = registered()
    used: set[str] = set()
    for text in texts:
        used.update(text)
    return sorted(sign for sign in used if ord(sign) not in known and sign not in "\n")


@lru_cache(maxsize=100_000)
def width(text: str, face: str, size: float) -> float:
    """Width of `text` in points."""
    registered()
    return float(pdfmetrics.stringWidth(text, face, size))
