"""How values are written: one spelling for all ways to write the same, and the runs of letters and of digits in it.

Characters are compared as Unicode's NFKC_Casefold has it (UAX 31, 5.1.1): full-width forms and ligatures are the
letters they show, upper and lower case are one, and what does not show (soft hyphens, zero-width signs) is not there.
Digits of every script are the digits 0 to 9.
"""

from __future__ import annotations

import html
import re
import unicodedata
from collections.abc import Sequence
from itertools import islice
from typing import NamedTuple, overload
from urllib.parse import unquote

from gonnet.remembering import Remembered

BARRIER = "\x1d"
"""Between two texts that are not one: cells next to each other, one row and the next."""

MAYBE = "\r\n"
"""The end of a line that may lie within a cell or between two."""

_RUN = re.compile(r"\d+|[^\W\d_]+")
_ENCODED = re.compile(r"%[0-9A-Fa-f]{2}|&#?\w+;|\\u[0-9A-Fa-f]{4}")
_ESCAPE = re.compile(r"\\u([0-9A-Fa-f]{4})")
_UNSEEN = frozenset((0x34F, 0x115F, 0x1160, 0xFFFE, *range(0xFE00, 0xFE10)))  # of no category that says so
_SIGNS = 4_096
_ASCII = bytes(range(128))
_LOWER, _NO_LETTERS = bytes(range(256)).lower(), bytes(code for code in _ASCII if not chr(code).isalnum())


def _meant(code: int) -> str | None:
    sign = chr(code)
    match unicodedata.category(sign):
        case "Cf":
            return None
        case "Nd":
            return str(unicodedata.decimal(sign))
        case _:
            return None if code in _UNSEEN else sign


_SAME: Remembered[int, str | None] = Remembered(_meant, _SIGNS)


class Run(NamedTuple):
    """Letters, or digits, that nothing divides.

    Attributes:
        text: Without regard to case.
        start: Where it begins in the plain text.
        end: Where it ends.
    """

    text: str
    start: int
    end: int

    @property
    def is_number(self) -> bool:
        """Whether it is digits."""
        return self.text[0].isdecimal()


def plain(text: str) -> str:
    """The text without what does not show, every character in its usual form; case is kept."""
    if text.isascii():
        return text
    for sign in _beyond_ascii(text):
        if (meant := _SAME[ord(sign)]) != sign:
            text = text.replace(sign, meant or "")
    return unicodedata.normalize("NFKC", text)


class Runs(Sequence[Run]):
    """The runs of a plain text, in order; where one stands is found when it is looked at, which most never are.

    Attributes:
        words: What they say, without regard to case.
    """

    def __init__(self, text: str) -> None:
        ascii_only = text.isascii()
        self.words = _RUN.findall(text.lower()) if ascii_only else [_folded(run) for run in _RUN.findall(text)]
        self._spans: list[tuple[int, int]] = []
        self._rest = _RUN.finditer(text)

    def __len__(self) -> int:
        return len(self.words)

    @overload
    def __getitem__(self, at: int) -> Run: ...
    @overload
    def __getitem__(self, at: slice) -> list[Run]: ...
    def __getitem__(self, at: int | slice) -> Run | list[Run]:
        if isinstance(at, slice):
            return [self[number] for number in range(*at.indices(len(self)))]
        word = self.words[at]
        if at >= len(self._spans):
            self._spans += [found.span() for found in islice(self._rest, at + 1 - len(self._spans))]
        return Run(word, *self._spans[at])


def runs(text: str) -> Runs:
    """The runs of a plain text, in order."""
    return Runs(text)


def squeezed(text: str) -> str:
    """All letters and digits of a text, as they are compared."""
    return letters_of(plain(text))


def letters_of(text: str) -> str:
    """The same of a plain text."""
    if not text.isascii():
        folded = {sign: _FOLDED[ord(sign)] for sign in _beyond_ascii(text)}
        changed = {sign: meant or "" for sign, meant in folded.items() if meant != sign}
        if any(_FOLDED[ord(sign)] != sign for sign in "".join(changed.values())):
            return text.translate(_FOLDED)  # what one becomes is not yet what it is compared as
        for sign, meant in changed.items():
            text = text.replace(sign, meant)
    return text.encode("utf-8", "surrogatepass").translate(_LOWER, _NO_LETTERS).decode("utf-8", "surrogatepass")


def _beyond_ascii(text: str) -> set[str]:
    """The characters of a text that are not of ASCII: few, while the text may be long."""
    return set(text.encode("utf-8", "surrogatepass").translate(None, _ASCII).decode("utf-8", "surrogatepass"))


def readings(text: str) -> list[str]:
    """The text, and what it says where it is written for a program: in entities, as part of an address, escaped."""
    if not ("%" in text or "&" in text or "\\u" in text) or _ENCODED.search(text) is None:
        return [text]
    meant = _ESCAPE.sub(lambda found: chr(int(found[1], 16)), html.unescape(unquote(text)))
    return [text, meant] if meant != text else [text]


def is_from_right(text: str) -> bool:
    """Whether it has letters of a script that is written from right to left."""
    return not text.isascii() and any(unicodedata.bidirectional(sign) in ("R", "AL") for sign in text)


def _folded(run: str) -> str:
    return run.lower() if run.isascii() else unicodedata.normalize("NFKC", run.casefold())


def _folded_alone(code: int) -> str | None:
    sign = chr(code)
    return _folded(sign) if _RUN.match(sign) else None


_FOLDED: Remembered[int, str | None] = Remembered(_folded_alone, _SIGNS)
