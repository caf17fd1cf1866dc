"""What counts as the same, whatever its case, its spaces and the way its letters are composed."""

from __future__ import annotations

import unicodedata


def same(text: str) -> str:
    """A text that is equal for all spellings of the same key, address or period."""
    return " ".join(unicodedata.normalize("NFKC", text).casefold().split())
