"""A value that several lines of a list should share and do not: to use it would be to ignore all of them but one."""

from __future__ import annotations

from typing import NoReturn

from gonnet.errors import DataError


class Differing:
    """Stands where lines for one address do not agree: whoever uses it in a text is told.

    Args:
        why: Which lines differ, and in what.
    """

    def __init__(self, why: str) -> None:
        self.why = why

    def refuse(self, *_other: object) -> NoReturn:
        """Say why it cannot be used.

        Raises:
            DataError: always.
        """
        raise DataError(self.why, fix="Make the lines agree, or merge each part's own: {% for part in parts %}")

    __str__ = __bool__ = __iter__ = __len__ = __eq__ = __ne__ = __lt__ = __gt__ = __le__ = __ge__ = refuse
    __contains__ = __getitem__ = __add__ = __radd__ = __mul__ = __sub__ = __int__ = __float__ = refuse
    __hash__ = object.__hash__
