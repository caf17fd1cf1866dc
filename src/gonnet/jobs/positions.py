"""Where every part of a YAML file stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

Place = tuple[str | int, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Positions:
    """Line and column (both from 1) of each value and each key of a file, by its path from the root.

    Attributes:
        values: Path → where the value stands.
        keys: Path → where the key that names it stands.
    """

    values: dict[Place, tuple[int, int]]
    keys: dict[Place, tuple[int, int]]

    def of(self, place: Sequence[str | int], *, key: bool = False) -> tuple[int, int]:
        """Where `place` stands; where it is missing, where its nearest parent stands."""
        path = tuple(place)
        while path:
            found = (self.keys.get(path) if key else None) or self.values.get(path)
            if found is not None:
                return found
            path = path[:-1]
        return 1, 1
