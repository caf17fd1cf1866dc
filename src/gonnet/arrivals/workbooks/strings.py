"""The texts that all sheets of a workbook share (ECMA-376, part 1, 18.4)."""

from __future__ import annotations

import re
from html import unescape

from gonnet.arrivals.workbooks.xml import is_plain, parsed, written

_ENTRY = re.compile(rb"<si(?:\s[^>]*)?(?:/>|>(.*?)</si>)", re.DOTALL)
_SOUND = re.compile(rb"<rPh\b.*?</rPh>|<phoneticPr\b[^>]*?(?:/>|>.*?</phoneticPr>)", re.DOTALL)
_TEXT = re.compile(rb"<t(?:\s[^>]*)?>([^<]*)</t>")


class Strings:
    """Shared texts, each with its runs of fonts.

    Args:
        data: The part of the workbook that has them; empty where there is none.

    Raises:
        ValueError: it cannot be read.
    """

    def __init__(self, data: bytes) -> None:
        if data and not is_plain(data):
            data = written(parsed(data))
        self._entries = [_SOUND.sub(b"", match[1] or b"") for match in _ENTRY.finditer(data)]
        self._texts: dict[int, str] = {}

    def inside(self, at: int) -> bytes:
        """A text as it stands in a cell of its own.

        Raises:
            ValueError: there is none of that number.
        """
        if at >= len(self._entries):
            raise ValueError(f"there is no text {at}")
        return self._entries[at]

    def signs(self) -> frozenset[str]:
        """Every character of them."""
        return frozenset(unescape(b"".join(self._entries).decode("utf-8", errors="replace")))

    def text(self, at: int) -> str:
        """A text without its fonts."""
        if at not in self._texts:
            self._texts[at] = text_in(self.inside(at))
        return self._texts[at]


def text_in(inside: bytes) -> str:
    """The text of a cell, or of an entry of the shared ones."""
    return unescape(b"".join(_TEXT.findall(inside)).decode("utf-8"))
