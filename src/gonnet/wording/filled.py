"""A text with its values merged in, and what of it is nobody's to look for."""

from __future__ import annotations

import re
from typing import NamedTuple

BEGIN, END = "\ue010", "\ue011"
"""Around a number or a date while a text is filled; of private use, so that no text has them."""

_NUMBER = re.compile(f"{BEGIN}[^{BEGIN}{END}]*{END}")
_APART = "\x1d"


class Filled(NamedTuple):
    """A text with its values merged in.

    Attributes:
        text: The text.
        numbers: The text of every number and date that was merged.
        rest: The text without them, each place kept apart; empty where nothing is merged at all. The leak check looks
            here: the digits of a recipient's own figures are not somebody else's key, whatever they are.
    """

    text: str
    numbers: tuple[str, ...] = ()
    rest: str = ""

    @classmethod
    def of(cls, marked: str, *, is_fixed: bool) -> Filled:
        """From a text in which numbers are marked.

        Args:
            marked: The text.
            is_fixed: Whether it has no merge fields.
        """
        if is_fixed:
            return cls(marked)
        if BEGIN not in marked:
            return cls(marked, (), marked)
        numbers = tuple(found[0][1:-1] for found in _NUMBER.finditer(marked))
        text = marked.replace(BEGIN, "").replace(END, "")
        return cls(text, numbers, _NUMBER.sub(_APART, marked).replace(BEGIN, "").replace(END, ""))
