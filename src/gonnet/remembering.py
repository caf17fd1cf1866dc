"""Remembering what was made, by what it was made of: most values of a run stand in many documents."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")


class Remembered(dict[K, V]):
    """What a function makes, each value once: `remembered[argument]`, at the price of looking into a dict.

    Args:
        make: Gives the value for an argument; what it raises is raised, and nothing is remembered.
        most: Above so many values it begins anew, so that ever new arguments do not fill the memory.
    """

    def __init__(self, make: Callable[[K], V], most: int) -> None:
        super().__init__()
        self._make, self._most = make, most

    def __missing__(self, argument: K) -> V:
        return self.keep(argument, self._make(argument))

    def keep(self, argument: K, value: V) -> V:
        """Remember a value that is known already; returns it."""
        if len(self) >= self._most:
            self.clear()
        self[argument] = value
        return value
