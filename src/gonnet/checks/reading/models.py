"""What a reader finds in a file."""

from __future__ import annotations

from dataclasses import dataclass


class InLines(str):
    """A text each line of which, which MAYBE ends, may be a text of its own, or go on in the next."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadBack:
    """What a reader finds in a file.

    Attributes:
        parts: Place (`page 2`, `sheet1`, `properties`) and its texts in reading order: cells, paragraphs, titles.
        unsearched: What of it cannot be read, and why.
    """

    parts: tuple[tuple[str, tuple[str, ...]], ...] = ()
    unsearched: tuple[str, ...] = ()
