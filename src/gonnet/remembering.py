"""Remembering what was made, by what it was made of, and which texts were seen: most of a run stands in many places."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Hashable, Iterator, Sequence
from typing import TypeVar, overload

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


class Texts(Sequence[str]):
    """Texts one after the other in one piece of memory: 8 bytes for each beside its letters, and not 60."""

    def __init__(self) -> None:
        self._all, self._ends = bytearray(), array("Q", (0,))

    def add(self, text: str) -> int:
        """Keep a text; its number."""
        return self.add_raw(text.encode("utf-8", "surrogatepass"))

    def add_raw(self, raw: bytes) -> int:
        """Keep a text that is in UTF-8; its number."""
        self._all += raw
        self._ends.append(len(self._all))
        return len(self._ends) - 2

    def raw(self, number: int) -> bytes:
        """The text of a number, in UTF-8."""
        return bytes(self._all[self._ends[number] : self._ends[number + 1]])

    @overload
    def __getitem__(self, number: int) -> str: ...

    @overload
    def __getitem__(self, number: slice) -> list[str]: ...

    def __getitem__(self, number: int | slice) -> str | list[str]:
        if isinstance(number, slice):
            return [self[one] for one in range(*number.indices(len(self)))]
        if not 0 <= number < len(self):
            raise IndexError(number)
        return self.raw(number).decode("utf-8", "surrogatepass")

    def __iter__(self) -> Iterator[str]:
        """Those that are there when it begins."""
        texts, ends = self._all, self._ends
        for number in range(len(self)):
            yield texts[ends[number] : ends[number + 1]].decode("utf-8", "surrogatepass")

    def __len__(self) -> int:
        return len(self._ends) - 1


class SeenTexts:
    """Which texts were seen, in at most 24 bytes each: a set of their 64-bit hashes, with open addressing.

    That two of 10 million texts have the same hash, and one is held for seen too early, happens in one of 370,000 runs.
    """

    def __init__(self) -> None:
        self._slots = array("q", bytes(8 * 32))
        self._count = 0

    def add(self, text: str) -> bool:
        """Remember a text; whether it is seen for the first time."""
        number = hash(text) or 1
        at = self._place(number)
        if self._slots[at] == number:
            return False
        self._slots[at] = number
        self._count += 1
        if 3 * self._count > 2 * len(self._slots):
            self._grow()
        return True

    def __contains__(self, text: str) -> bool:
        number = hash(text) or 1
        return self._slots[self._place(number)] == number

    def __len__(self) -> int:
        return self._count

    def is_within(self, other: SeenTexts) -> bool:
        """Whether all of them were seen there too."""
        return all(other._slots[other._place(number)] == number for number in self._slots if number)

    def _place(self, number: int) -> int:
        """Where a number is, or would be."""
        slots, mask = self._slots, len(self._slots) - 1
        at = number & mask
        while (there := slots[at]) and there != number:
            at = (at + 1) & mask
        return at

    def _grow(self) -> None:
        numbers, self._slots = self._slots, array("q", bytes(16 * len(self._slots)))
        for number in numbers:
            if number:
                self._slots[self._place(number)] = number
