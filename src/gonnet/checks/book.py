"""What is known of very many values, in so little room that a run of a million recipients has room for it."""

from __future__ import annotations

from array import array
from collections.abc import Iterator, Mapping
from typing import NamedTuple
from zlib import crc32

from gonnet.checks.spelling import plain
from gonnet.remembering import SeenTexts, Texts

_SEARCHED, _LIVING, _AS_LETTERS, _FROM_RIGHT, _REPLACED = 1, 2, 4, 8, 16
_AT_FIRST = 1_024  # places of the table; it grows


class Said(NamedTuple):
    """What is known of a value before it is found anywhere.

    Attributes:
        kind: `key`, `address` or the column of the list.
        text: As the data have it.
        owners: The keys that it names.
        is_searched: Whether anybody else's files are searched for it.
        written: How else it is written there; None as the data have it.
    """

    kind: str
    text: str
    owners: tuple[str, ...]
    is_searched: bool
    written: str | None = None


class Book(Mapping[str, Said]):
    """What is known of values, by their letters and digits: about 80 bytes for each, and not 400.

    A table of numbers with open addressing (Knuth, The Art of Computer Programming 6.4, algorithm L) says where the
    letters of a value are, and their checksums which of them are worth a look; an owner is a key, and the number of the
    owner before it.
    """

    def __init__(self) -> None:
        self._letters, self._texts, self._keys = Texts(), Texts(), Texts()
        self._kinds: list[str] = []
        self._kind, self._flags = array("H"), array("B")
        self._owner, self._count = array("I"), array("I")
        self._key_of, self._before = array("I", (0,)), array("I", (0,))
        self._slots, self._sums = array("I", bytes(4 * _AT_FIRST)), array("I")
        self._there = 0
        self._pairs: SeenTexts | None = SeenTexts()
        self._last = ""

    def enter(self, letters: str, kind: str, text: str, key: str, *, lives: bool) -> None:
        """One more whom a value names; what it is, and how it is written, is as the first time."""
        raw = letters.encode("utf-8", "surrogatepass")
        number = self._find(raw)
        if number is None:
            number = self._put(raw, kind, text, 0)
        if lives:
            self._flags[number] |= _LIVING
        if self._pairs is not None and self._pairs.add(f"{letters}\0{key}"):
            if key != self._last or not len(self._keys):
                self._keys.add(key)
                self._last = key
            self._own(number, len(self._keys) - 1)

    def close(self) -> None:
        """Nobody is entered any more."""
        self._pairs = None

    def entered(self) -> Iterator[tuple[int, str]]:
        """Number and letters of each value that was entered."""
        yield from enumerate(self._letters)

    def text(self, number: int) -> str:
        """A value as the data have it."""
        return self._texts[number]

    def kind(self, number: int) -> str:
        """What a value is."""
        return self._kinds[self._kind[number]]

    def lives(self, number: int) -> bool:
        """Whether a value names somebody with rows."""
        return self._has(number, _LIVING)

    def owners(self, number: int) -> int:
        """How many keys a value names."""
        return self._count[number]

    def search_for(self, number: int) -> None:
        """Let anybody else's files be searched for a value."""
        self._flags[number] |= _SEARCHED

    def also_shorter(self, number: int, letters: str) -> None:
        """Let a value be found without the zeros before it, unless somebody else has what is left."""
        there = self._find(letters.encode("utf-8", "surrogatepass"))
        if there is not None and not self._has(there, _AS_LETTERS):
            return
        self._also(number, letters, _AS_LETTERS, there)

    def also(self, number: int, letters: str, *, from_right: bool) -> None:
        """Let a value be found by other letters, whoever else has them."""
        self._also(number, letters, _FROM_RIGHT if from_right else _AS_LETTERS, None)

    def _also(self, number: int, letters: str, how: int, there: int | None) -> None:
        if there is None:
            kind, searched = self._kind[number], self._flags[number] & _SEARCHED
            raw = letters.encode("utf-8", "surrogatepass")
            there = self._put(raw, self._kinds[kind], self._texts[number], how | searched)
        for key in self._owners(number):
            self._own(there, key)

    def __getitem__(self, letters: str) -> Said:
        number = self._find(letters.encode("utf-8", "surrogatepass"))
        if number is None:
            raise KeyError(letters)
        return self._said(number)

    def __contains__(self, letters: object) -> bool:
        return self._find(str(letters).encode("utf-8", "surrogatepass")) is not None

    def __iter__(self) -> Iterator[str]:
        flags = self._flags
        return (letters for number, letters in enumerate(self._letters) if not flags[number] & _REPLACED)

    def __len__(self) -> int:
        return self._there

    def _said(self, number: int) -> Said:
        text = self._texts[number]
        written = self._letters[number] if self._has(number, _AS_LETTERS) else None
        if self._has(number, _FROM_RIGHT):
            written = plain(text)[::-1]
        owners = tuple(self._keys[key] for key in self._owners(number))
        return Said(self.kind(number), text, owners, self._has(number, _SEARCHED), written)

    def _has(self, number: int, flag: int) -> bool:
        return bool(self._flags[number] & flag)

    def _owners(self, number: int) -> list[int]:
        """The keys that a value names, in the order in which they were entered."""
        found, at = [], self._owner[number]
        while at:
            found.append(self._key_of[at])
            at = self._before[at]
        return found[::-1]

    def _own(self, number: int, key: int) -> None:
        self._key_of.append(key)
        self._before.append(self._owner[number])
        self._owner[number] = len(self._key_of) - 1
        self._count[number] += 1

    def _put(self, raw: bytes, kind: str, text: str, flags: int) -> int:
        """Keep a value, in place of one with the same letters."""
        number = self._letters.add_raw(raw)
        self._texts.add(text)
        if kind not in self._kinds:
            self._kinds.append(kind)
        self._kind.append(self._kinds.index(kind))
        self._flags.append(flags)
        self._owner.append(0)
        self._count.append(0)
        at = self._place(raw)
        self._sums.append(crc32(raw))
        if self._slots[at]:
            self._flags[self._slots[at] - 1] |= _REPLACED
        else:
            self._there += 1
        self._slots[at] = number + 1
        if 3 * self._there > 2 * len(self._slots):
            self._grow()
        return number

    def _find(self, raw: bytes) -> int | None:
        number = self._slots[self._place(raw)]
        return number - 1 if number else None

    def _place(self, raw: bytes) -> int:
        """Where the number of some letters is, or would be."""
        slots, sums, mask = self._slots, self._sums, len(self._slots) - 1
        wanted = crc32(raw)
        at = wanted & mask
        while number := slots[at]:
            if sums[number - 1] == wanted and self._letters.raw(number - 1) == raw:
                break
            at = (at + 1) & mask
        return at

    def _grow(self) -> None:
        numbers, self._slots = self._slots, array("I", bytes(8 * len(self._slots)))
        slots, sums, mask = self._slots, self._sums, len(self._slots) - 1
        for number in filter(None, numbers):
            at = sums[number - 1] & mask
            while slots[at]:
                at = (at + 1) & mask
            slots[at] = number
