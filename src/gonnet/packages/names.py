"""File names that are safe on every system, whatever was merged into them."""

from __future__ import annotations

import re
import unicodedata

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
    """The names given so far in one run; a second use of one, whatever its case, gets a number."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def unique(self, stem: str) -> str:
        """`stem`, or `stem (2)` and so on where it is taken."""
        name, count = stem, 1
        while name.casefold() in self._taken:
            count += 1
            name = f"{_cut(stem)[: _LONGEST - 6]} ({count})"
        self._taken.add(name.casefold())
        return name
