"""Drawing texts and lines on a page by the operators of PDF, and breaking texts into lines."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

from reportlab.lib.colors import Color, HexColor

from gonnet.reports.fonts import Alphabet, Family
from gonnet.reports.pdf.file import PdfFile

INK = HexColor("#1d2321")
QUIET = HexColor("#5c6663")
HAIR = HexColor("#d5dbd8")

_SLACK = 0.01  # points: what was made as wide as a text fits it, however its width was added up
MARK = "‣ "
"""What stands before a value that is marked."""


def tint_of(accent: str) -> str:
    """The light tint of a colour, `#rrggbb`, that lies behind what stands out."""
    parts = (int(accent[at : at + 2], 16) for at in (1, 3, 5))
    return "#" + "".join(f"{round(255 - 0.16 * (255 - part)):02x}" for part in parts)


@lru_cache(maxsize=64)
def fill(colour: Color) -> str:
    """The operator that fills in a colour; texts are filled."""
    return f"{colour.red:.4g} {colour.green:.4g} {colour.blue:.4g} rg"


@lru_cache(maxsize=64)
def stroke(colour: Color) -> str:
    """The operator that draws lines in a colour."""
    return f"{colour.red:.4g} {colour.green:.4g} {colour.blue:.4g} RG"


class Pen:
    """Collects texts and lines and puts them on a canvas in one go."""

    def __init__(self, family: Family, alphabet: Alphabet) -> None:
        self._family = family
        self._alphabet = alphabet
        self._parts: list[str] = []

    def text(
        self, x: float, y: float, text: str, face: str, size: float, colour: Color, *, right: bool = False
    ) -> None:
        """A text in one line that begins at `x`, or ends there."""
        text = text.replace("\n", " ")
        if right:
            x -= self._family.width(text, face, size)
        reduced = self._alphabet.faces[face]
        shown = reduced.show_operators(text, size)
        self._parts.append(f"BT {fill(colour)} {reduced.set_operator(size)} {x:.2f} {y:.2f} Td {shown} ET\n")

    def lines(
        self, x: float, y: float, lines: Sequence[str], leading: float, face: str, size: float, colour: Color
    ) -> None:
        """Lines of one text, the first at `y`."""
        reduced = self._alphabet.faces[face]
        while len(lines) > 1 and not lines[-1]:
            lines = lines[:-1]
        shown = f" 0 {-leading:.2f} Td ".join([reduced.show_operators(line, size) for line in lines])
        self._parts.append(f"BT {fill(colour)} {reduced.set_operator(size)} {x:.2f} {y:.2f} Td {shown} ET\n")

    def line(self, x: float, y: float, to_x: float, to_y: float, width: float, colour: Color) -> None:
        """A straight line."""
        self._parts.append(f"{stroke(colour)} {width:g} w {x:.2f} {y:.2f} m {to_x:.2f} {to_y:.2f} l S\n")

    def box(self, x: float, y: float, width: float, height: float, inside: Color, edge: Color | None) -> None:
        """A filled rectangle, with a thin edge where it has one."""
        drawn = f"{stroke(edge)} 0.5 w {fill(inside)}" if edge else fill(inside)
        self._parts.append(f"{drawn} {x:.2f} {y:.2f} {width:.2f} {height:.2f} re {'B' if edge else 'f'}\n")

    def path(self, points: Sequence[tuple[float, float]], width: float, colour: Color, dash: Sequence[float]) -> None:
        """A line through points."""
        steps = " ".join(f"{x:.2f} {y:.2f} {'l' if at else 'm'}" for at, (x, y) in enumerate(points))
        pattern = " ".join(f"{part:g}" for part in dash)
        self._parts.append(f"{stroke(colour)} {width:g} w [{pattern}] 0 d {steps} S [] 0 d\n")

    def raw(self, operators: str) -> None:
        """Operators as they are, such as those that mark what follows."""
        self._parts.append(operators)

    def put_on(self, file: PdfFile, x: float = 0.0, y: float = 0.0) -> None:
        """Draw what was collected on the page, its origin at a place; colours and faces stay as they were."""
        moved = f"1 0 0 1 {x:.2f} {y:.2f} cm\n" if x or y else ""
        file.put(f"q\n{moved}{''.join(self._parts)}Q\n")
        self._parts.clear()


def wrapped(text: str, family: Family, face: str, size: float, room: float) -> tuple[str, ...]:
    """`text` as lines no wider than `room` points: broken at blanks, and inside a word only where it must be."""
    room += _SLACK
    if "\n" not in text and family.width(text, face, size) <= room:
        return (text,)
    return tuple(line for part in text.split("\n") for line in broken(part, family, face, size, room))


def broken(text: str, family: Family, face: str, size: float, room: float) -> list[str]:
    """A text without line ends as lines, the first of them empty where nothing of it has room there."""
    lines, line = [], ""
    for word in text.split(" "):
        longer = f"{line} {word}" if line else word
        if family.width(longer, face, size) <= room:
            line = longer
            continue
        if line:
            lines.append(line)
        while family.width(word, face, size) > room and len(word) > 1:
            cut = _fitting(word, family, face, size, room)
            lines.append(word[:cut])
            word = word[cut:]
        line = word
    lines.append(line)
    return lines


def _fitting(word: str, family: Family, face: str, size: float, room: float) -> int:
    """How many characters of `word` fit, at least one."""
    low, high = 1, len(word)
    while low < high:
        middle = (low + high + 1) // 2
        if family.width(word[:middle], face, size) <= room:
            low = middle
        else:
            high = middle - 1
    return low
