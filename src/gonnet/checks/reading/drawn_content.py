"""What the content of a page that Gonnet drew says: its strings, and what divides them (ISO 32000-1, 9.4)."""

from __future__ import annotations

import re
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise

from gonnet.checks.spelling import BARRIER
from gonnet.remembering import Remembered

_MANY, _FEW = 20_000, 8

_MAPPED = re.compile(rb"^<([0-9A-Fa-f]{2})> <([0-9A-Fa-f]+)>$", re.MULTILINE)
STRINGS = re.compile(rb"\(([^()\\]*(?:\\.[^()\\]*)*)\)|<([0-9A-Fa-f\s]*)>", re.DOTALL)
_FACE = re.compile(rb"/(\S+) \S+ Tf\b|\bQ\b")
_MARKS = re.compile(rb"(?:EMC\n)?/\w+ (?:<</(?:MCID \d+|Type /\w+)>> BDC|BMC)\n|EMC\n")
_MOVES = re.compile(rb"(\S+) Td\b|T[mD*]|\bET\b")
_APART = re.compile(rb"[\[\]]|\b(?:BT|ET|Tm)\b")  # between a text and another one
_CELL = re.compile(rb"\[[-\d.]*\(((?:[^()\\]|\\.)+)\)[-\d.]*\]TJ")
_OPEN = re.compile(rb"[()]|(?<!<)<(?!<)")
_ESCAPE = re.compile(rb"\\([0-7]{1,3}|\r\n|.)", re.DOTALL)
_ESCAPED = {b"n": b"\n", b"r": b"\r", b"t": b"\t", b"b": b"\b", b"f": b"\f", b"\r\n": b"", b"\n": b"", b"\r": b""}
_KNOWN = frozenset(
    b"q Q cm re f f* B B* b S s m l c v y h n W W* w J j M d RG rg G g K k gs Do BMC BDC EMC "
    b"BT ET Tf Td TD Tm TL T* Tj TJ Tr Ts Tc Tw Tz".split()
)
_OPERAND = re.compile(rb"[+-]?(\d+\.?\d*|\.\d+)|/\S*|<</(MCID|Type)|\d+>>")
_BRACKETS = bytes.maketrans(b"[]", b"  ")


class UnfamiliarError(Exception):
    """Something of a file is not what Gonnet's own files are made of."""


class Face:
    """What the strings of a face say, by its map from codes to characters (9.10.3).

    Args:
        packed: The map's stream, deflated.

    Attributes:
        literals: What stands in parentheses → the text.
    """

    def __init__(self, packed: bytes) -> None:
        codes = zlib.decompress(packed)
        if b"beginbfrange" in codes:
            raise UnfamiliarError
        self._table = {
            int(code, 16): bytes.fromhex(text.decode()).decode("utf-16-be") for code, text in _MAPPED.findall(codes)
        }
        self.literals = Remembered(self._of_literal, _MANY)

    def text(self, codes: bytes) -> str:
        """What codes say."""
        try:
            return "".join([self._table[code] for code in codes])
        except KeyError as error:
            raise UnfamiliarError from error

    def _of_literal(self, literal: bytes) -> str:
        return self.text(unescaped(literal))


FACES = Remembered(Face, 64)


_IS_KNOWN: Remembered[bytes, bool] = Remembered(
    lambda word: word in _KNOWN or _OPERAND.fullmatch(word) is not None, _MANY
)


def _require_known(between: Sequence[bytes]) -> None:
    """Refuse what stands between strings where it is more than numbers, names and the operators that are known here."""
    if not all(map(_IS_KNOWN.__getitem__, set(b" ".join(between).translate(_BRACKETS).split()))):
        raise UnfamiliarError


def shown(content: bytes, faces: Mapping[bytes, Face | None]) -> str:
    """The strings of a content, each after what divides it from the one before it.

    Most lines of a page are cells of a table, each a string by itself: where some follow one another, their lines are
    known, and not taken apart again.

    Raises:
        UnfamiliarError: something of it is not known here.
    """
    found: list[str] = []
    strings, lines = _Strings(faces), content.split(b"\n")
    kinds = list(map(_LINES.__getitem__, lines))
    stops = [at for at, kind in enumerate(kinds) if kind is None]
    done, tail = 0, b""
    for before, stop in pairwise((-1, *stops, len(lines))):
        cells = [at for at in range(before + 1, stop) if kinds[at]] if stop - before > _FEW else []
        if len(cells) > 1:
            first, last = cells[0], cells[-1]
            found += strings.of(b"\n".join((tail, *lines[done : first + 1])))
            found += strings.of_cells(filter(None, kinds[first + 1 : last + 1]))
            tail, done = lines[last][lines[last].rindex(b")") + 1 :], last + 1
    return "".join((*found, *strings.of(b"\n".join((tail, *lines[done:])))))


class _Strings:
    """The strings of a content, piece by piece."""

    def __init__(self, faces: Mapping[bytes, Face | None]) -> None:
        self._faces = faces
        self._face: Face | None = None

    def of_cells(self, literals: Iterable[bytes]) -> list[str]:
        """Those of cells, in the face that is chosen."""
        if self._face is None:
            raise UnfamiliarError
        return [BARRIER, BARRIER.join(map(self._face.literals.__getitem__, literals))]

    def of(self, content: bytes) -> Iterator[str]:
        """All that are in a piece."""
        between, *rest = STRINGS.split(content)
        _require_known([between, *rest[2::3]])
        for literal, digits, after in zip(rest[0::3], rest[1::3], rest[2::3], strict=True):
            divided = BARRIER  # from one cell to the next one
            if b"Tf" in between or not (b"EMC\n/TD <</" in between or b"]TJ\n[" in between):
                divided, name = _DIVIDED[between]
                self._face = self._face if name is None else self._faces.get(name)
            if self._face is None:
                raise UnfamiliarError
            yield divided
            yield self._face.literals[literal] if digits is None else self._face.text(bytes.fromhex(digits.decode()))
            between = after


def _line(line: bytes) -> bytes | None:
    """What a line shows that is a cell, empty where it shows nothing and chooses no face; None of any other line.

    Raises:
        UnfamiliarError: a string of it goes on in another line.
    """
    if found := _CELL.fullmatch(line):
        return found[1]
    between, *rest = STRINGS.split(line)
    if _OPEN.search(b"".join((between, *rest[2::3]))):
        raise UnfamiliarError
    if rest or b"Tf" in line or b"Q" in line:
        return None
    _require_known([line])
    return b""


_LINES: Remembered[bytes, bytes | None] = Remembered(_line, _MANY)


def _divided(between: bytes) -> tuple[str, bytes | None]:
    """What divides two strings, and the face chosen last.

    Nothing does where the second is shown right behind the first; the end of a line where there is one step down
    within a text; else they stand in different places and are two texts. No face is given where an earlier one is
    restored: which that is, is not kept.
    """
    between = _MARKS.sub(b"", between)
    faces = _FACE.findall(between)
    moves = list(_MOVES.finditer(between))
    if not moves and between.lstrip().startswith(b"Tj"):
        divided = ""
    elif len(moves) == 1 and not _APART.search(between) and _is_down(moves[0]):
        divided = "\n"
    else:
        divided = BARRIER
    return divided, faces[-1] if faces else None


def _is_down(move: re.Match[bytes]) -> bool:
    return move[0] == b"T*" or (move[1] is not None and float(move[1]) != 0)


_DIVIDED = Remembered(_divided, _MANY)


def unescaped(literal: bytes) -> bytes:
    """The bytes of a literal string (7.3.4.2)."""
    if b"\\" not in literal:
        return literal
    return _ESCAPE.sub(lambda found: _meant(found[1]), literal)


def _meant(escape: bytes) -> bytes:
    if escape[:1].isdigit():
        return bytes([int(escape, 8) & 255])
    return _ESCAPED.get(escape, escape)
