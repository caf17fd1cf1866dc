"""Which values may stand in a text: a look at all of it at once, before anything is taken apart.

Four letters or digits after each other are a number of 32 bits as they lie in memory. All of these numbers of a text
are read at once, and those with which no value begins fall through: of most texts, all.
"""

from __future__ import annotations

import sys
from array import array
from collections import defaultdict
from collections.abc import Container, Iterator, Mapping, Sequence

HEAD = 4
"""Characters with which a value is looked up."""

_LONG = 60  # letters and digits; of fewer, each four are looked up by themselves


class Sieve:
    """What values begin with.

    Args:
        said: The letters and digits of all values; shorter ones than a head are never found.
        lengths: First letters and digits → how many those values have that begin so.
    """

    def __init__(self, said: Container[str], lengths: Mapping[str, Sequence[int]]) -> None:
        self._said, self._lengths = said, lengths
        heads: defaultdict[int, list[str]] = defaultdict(list)
        for head in lengths:
            heads[int.from_bytes(_bytes(head), sys.byteorder)].append(head)
        self._heads = dict(heads)
        self._numbers = frozenset(heads)

    def caught(self, letters: str) -> Iterator[str]:
        """The values whose letters and digits stand somewhere among these, also inside a word; some of them twice."""
        if len(letters) < _LONG:
            for at in range(len(letters) - HEAD + 1):
                if (head := letters[at : at + HEAD]) in self._lengths:
                    yield from self._at(letters, at, head)
            return
        signs, numbers = _bytes(letters), set[int]()
        for first in range(HEAD):
            whole = (len(signs) - first) // HEAD * HEAD
            numbers |= self._numbers.intersection(array("I", signs[first : first + whole]))
        for head in (head for number in numbers for head in self._heads[number]):
            at = letters.find(head)
            while at >= 0:
                yield from self._at(letters, at, head)
                at = letters.find(head, at + 1)

    def _at(self, letters: str, at: int, head: str) -> Iterator[str]:
        parts = (letters[at : at + length] for length in self._lengths[head])
        return (part for part in parts if part in self._said)


def _bytes(letters: str) -> bytes:
    """A byte for each character, which some that are not of ASCII share."""
    return letters.encode() if letters.isascii() else letters.encode("utf-32-le", "surrogatepass")[::4]
