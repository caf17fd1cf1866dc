"""How many rows each key has, in so little room that a run of a million keys has room for it."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator, Mapping

from gonnet.remembering import Texts


class Counts(Mapping[str, int]):
    """Key → number of its rows: about 30 bytes for each, and not 160.

    Args:
        pairs: Keys with their rows, in key order (by code point).

    Raises:
        ValueError: they are not in key order.
    """

    def __init__(self, pairs: Iterable[tuple[str, int]]) -> None:
        self._keys, self._rows = Texts(), array("q")
        last = b""
        for key, rows in pairs:
            raw = self._keys.raw(self._keys.add(key))
            if raw <= last and len(self._rows):
                raise ValueError(f"{key!r} is not after the key before it")
            self._rows.append(rows)
            last = raw

    def __getitem__(self, key: str) -> int:
        at = self._place(key)
        if at is None:
            raise KeyError(key)
        return self._rows[at]

    def __contains__(self, key: object) -> bool:
        return isinstance(key, str) and self._place(key) is not None

    def __iter__(self) -> Iterator[str]:
        return iter(self._keys)

    def __len__(self) -> int:
        return len(self._rows)

    def _place(self, key: str) -> int | None:
        """Where a key is; the order of letters in UTF-8 is the order by code point."""
        wanted, low, high = key.encode("utf-8", "surrogatepass"), 0, len(self._rows)
        while low < high:
            middle = (low + high) // 2
            if self._keys.raw(middle) < wanted:
                low = middle + 1
            else:
                high = middle
        return low if low < len(self._rows) and self._keys.raw(low) == wanted else None
