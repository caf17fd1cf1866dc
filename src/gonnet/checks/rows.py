"""Whether a file has the rows that it is said to have."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Iterable

from gonnet.checks.reading.models import ReadBack
from gonnet.checks.spelling import BARRIER, MAYBE

_BREAKS = str.maketrans(dict.fromkeys(f"{BARRIER}{MAYBE}-\u00ad\u2010\u200b\u2060"))


def lacking(columns: Iterable[Iterable[str]], found: ReadBack) -> str:
    """The first text that does not stand in a file as often as it should; empty where none lacks.

    Args:
        columns: The cells of its rows, as they are written in such a file; empty ones do not count.
        found: What a reader finds in the file.
    """
    there, wanted = Counter[str](), Counter[str]()
    for column in columns:
        wanted.update(column)
    for _, texts in found.parts:
        there.update(texts)
    doubtful = [(text, count) for text, count in wanted.items() if there[text] < count]
    if not doubtful:
        return ""
    whole = BARRIER.join(_unbroken(text) for _, part in found.parts for text in part)
    for text, count in doubtful:  # it may be broken into lines, or stand beside others in a sentence
        letters = _unbroken(text)
        if letters and whole.count(letters) < count:
            return text
    return ""


def _unbroken(text: str) -> str:
    """A text without blanks and what may stand at the end of a line; ligatures are the letters they join."""
    return "".join(unicodedata.normalize("NFKC", text).translate(_BREAKS).split()).casefold()
