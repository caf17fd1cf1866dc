"""A value that was given more than once on the command line: what is to be made of it only its parameter knows."""

from __future__ import annotations


class Repeated(str):
    """The texts that were given, in order; as one text they stand with commas between them."""

    parts: tuple[str, ...]

    def __new__(cls, *parts: str) -> Repeated:
        """Hold the texts."""
        made = super().__new__(cls, ", ".join(parts))
        made.parts = parts
        return made
