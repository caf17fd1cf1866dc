"""How cells look, by the number of their style (ECMA-376, part 1, 18.8)."""

from __future__ import annotations

import colorsys
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from xml.etree import ElementTree as ET

from gonnet.arrivals.workbooks.xml import MAIN, SPACE, parsed
from gonnet.wording.cell_formats import BUILT_IN, GENERAL

SIDES = ("left", "right", "top", "bottom")
_THEME = ("lt1", "dk1", "lt2", "dk2", "accent1", "accent2", "accent3", "accent4", "accent5", "accent6")
_USUAL = {"dk1": "000000", "lt1": "FFFFFF"}
_DRAWING = "{http://schemas.openxmlformats.org/drawingml/2006/main}"
_INDEXED = (
    *("000000", "FFFFFF", "FF0000", "00FF00", "0000FF", "FFFF00", "FF00FF", "00FFFF") * 2,
    *("800000", "008000", "000080", "808000", "800080", "008080", "C0C0C0", "808080"),
)  # 18.8.27


@dataclass(frozen=True, slots=True, kw_only=True)
class CellLook:
    """How a cell looks.

    Attributes:
        size: Of its letters, in points.
        colour: Of its letters, `#rrggbb`.
        fill: Behind them; None where nothing is.
        borders: The sides that have a line, each with how thick it is in points.
        code: The format of its numbers.
        across: Where its text stands; `general` where its kind says so.
        down: The same from top to bottom.
        indent: Steps from the edge.
    """

    is_bold: bool = False
    is_italic: bool = False
    size: float = 11.0
    colour: str = "#000000"
    fill: str | None = None
    borders: tuple[tuple[str, float], ...] = ()
    code: str = GENERAL
    across: str = "general"
    down: str = "bottom"
    wraps: bool = False
    indent: int = 0


def looks_of(styles: bytes, theme: bytes) -> list[CellLook]:
    """The looks of a workbook, by number.

    Args:
        styles: Its styles, without a namespace of their own.
        theme: Its theme; empty where it has none.
    """
    root = parsed(styles.replace(b">", f' xmlns="{SPACE}">'.encode(), 1))
    colours = _Colours(theme)
    codes = {int(one.get("numFmtId", "0")): one.get("formatCode", GENERAL) for one in root.iter(f"{MAIN}numFmt")}
    fonts, fills, borders = (list(_below(root, name)) for name in ("fonts", "fills", "borders"))
    return [_look(xf, BUILT_IN | codes, fonts, fills, borders, colours) for xf in _below(root, "cellXfs")]


def _below(root: ET.Element, name: str) -> Iterator[ET.Element]:
    found = root.find(f"{MAIN}{name}")
    return iter(found if found is not None else ())


def _look(
    xf: ET.Element,
    codes: dict[int, str],
    fonts: Sequence[ET.Element],
    fills: Sequence[ET.Element],
    borders: Sequence[ET.Element],
    colours: _Colours,
) -> CellLook:
    font, fill, border = (
        _at(parts, xf.get(name, "0")) for parts, name in ((fonts, "fontId"), (fills, "fillId"), (borders, "borderId"))
    )
    placed = xf.find(f"{MAIN}alignment")
    about = placed.attrib if placed is not None else {}
    size = font.find(f"{MAIN}sz")
    pattern = fill.find(f"{MAIN}patternFill")
    is_solid = pattern is not None and pattern.get("patternType") == "solid"
    return CellLook(
        is_bold=_is_on(font, "b"),
        is_italic=_is_on(font, "i"),
        size=float(size.get("val", "11")) if size is not None else 11.0,
        colour=colours.of(font.find(f"{MAIN}color")) or "#000000",
        fill=colours.of(pattern.find(f"{MAIN}fgColor")) if is_solid and pattern is not None else None,
        borders=tuple(_lines(border)),
        code=codes.get(int(xf.get("numFmtId", "0")), GENERAL),
        across=about.get("horizontal", "general"),
        down=about.get("vertical", "bottom"),
        wraps=about.get("wrapText", "0") in ("1", "true"),
        indent=int(about.get("indent", "0")),
    )


def _at(parts: Sequence[ET.Element], number: str) -> ET.Element:
    return parts[int(number)] if int(number) < len(parts) else ET.Element("none")


def _is_on(font: ET.Element, name: str) -> bool:
    found = font.find(f"{MAIN}{name}")
    return found is not None and found.get("val", "1") not in ("0", "false")


def _lines(border: ET.Element) -> Iterator[tuple[str, float]]:
    for side in SIDES:
        found = border.find(f"{MAIN}{side}")
        style = found.get("style", "none") if found is not None else "none"
        if style != "none":
            yield side, {"hair": 0.25, "medium": 1.0, "thick": 1.6, "double": 1.2}.get(style, 0.5)


class _Colours:
    """Colours by the theme, by number, or by themselves (18.8.3)."""

    def __init__(self, theme: bytes) -> None:
        self._theme = dict(_USUAL)
        for part in parsed(theme).iter() if theme else ():
            name = part.tag.removeprefix(_DRAWING)
            if name in _THEME or name in ("hlink", "folHlink"):
                for colour in part:
                    self._theme[name] = colour.get("lastClr") or colour.get("val") or self._theme.get(name, "000000")

    def of(self, element: ET.Element | None) -> str | None:
        """A colour as `#rrggbb`; None where none is given."""
        if element is None:
            return None
        given = element.get("rgb")
        if given is None and (number := element.get("theme")) is not None and int(number) < len(_THEME):
            given = self._theme.get(_THEME[int(number)])
        if given is None and (number := element.get("indexed")) is not None and int(number) < len(_INDEXED):
            given = _INDEXED[int(number)]
        if given is None or not re.fullmatch(r"(?:[0-9A-Fa-f]{2})?[0-9A-Fa-f]{6}", given):
            return None
        return _tinted(given[-6:], float(element.get("tint", "0")))


def _tinted(colour: str, tint: float) -> str:
    """A colour made lighter or darker (18.8.19)."""
    if not tint:
        return f"#{colour.lower()}"
    hue, light, full = colorsys.rgb_to_hls(*(int(colour[at : at + 2], 16) / 255 for at in (0, 2, 4)))
    light = light * (1 + tint) if tint < 0 else light * (1 - tint) + tint
    return "#" + "".join(f"{round(255 * part):02x}" for part in colorsys.hls_to_rgb(hue, light, full))
