"""File names that are safe on every system, whatever was merged into them."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterator
from pathlib import PurePath

from gonnet.remembering import SeenTexts

# Separators and signs that Windows refuses, controls, and marks that change the reading direction of a name.
_UNSAFE = re.compile('[<>:"/\\\\|?*\x00-\x1f\x7f-\x9f\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]')
_RESERVED = re.compile(r"^(con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³]|conin\$|conout\$)(\..*)?$", re.IGNORECASE)
_LONGEST = 120  # bytes of UTF-8, so that a folder and an ending still fit the usual 255


def safe_name(text: str) -> str:
    """`text` as the stem of a file name: no path, no reserved name, no hidden sign, at most 120 bytes; never empty."""
    name = unicodedata.normalize("NFC", text)
    name = _UNSAFE.sub("_", name)
    name = re.sub(r"\s+", " ", name).strip(" .")
    name = _cut(name)
    if not name:
        return "document"
    return f"_{name}" if _RESERVED.match(name) or name.startswith("~") else name


def _cut(name: str) -> str:
    raw = name.encode("utf-8")
    if len(raw) <= _LONGEST:
        return name
    return raw[:_LONGEST].decode("utf-8", errors="ignore").rstrip(" .")


class Names:
    """The names given so far in one run; a second use of one, whatever its case, gets a number.

    Args:
        beside: Other names, which files do not take either.
    """

    def __init__(self, beside: Names | None = None) -> None:
        self._stems = SeenTexts()
        self._others = beside._stems if beside is not None else self._stems
        self._files, self._stems_of_files = SeenTexts(), SeenTexts()
        self._asked = SeenTexts()
        self._counts: Counter[str] = Counter()  # of what was asked for more than once

    def unique(self, stem: str) -> str:
        """`stem`, or `stem (2)` and so on where it is taken."""
        taken = (self._stems, self._stems_of_files)
        name = next(one for one in self._offered(stem) if not any(one.casefold() in part for part in taken))
        self._stems.add(name.casefold())
        return name

    def unique_file(self, name: str) -> str:
        """The same of a name with its ending, which files with other endings may share."""
        path = PurePath(name)
        stem, ending = safe_name(path.stem), path.suffix
        found = next(
            one
            for one in self._offered(stem, ending)
            if one.casefold() not in self._others and (one + ending).casefold() not in self._files
        )
        self._files.add((found + ending).casefold())
        self._stems_of_files.add(found.casefold())
        return found + ending

    def _offered(self, stem: str, ending: str = "") -> Iterator[str]:
        place = (stem + ending).casefold()
        while True:
            if self._asked.add(place):
                count = 1
            else:
                self._counts[place] += 1
                count = 1 + self._counts[place]
            yield stem if count == 1 else f"{_cut(stem)[: _LONGEST - 6]} ({count})"
