"""Where every part of a YAML file stands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

Place = tuple[str | int, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Positions:
    """Line and column (both from 1) of each value and each key of a file, by its path from the root.

    Attributes:
        values: Path → where the value stands.
        keys: Path → where the key that names it stands.
        files: First part of a path → the file in which it stands, where that is another.
        alone: Path → the same, of one part of such a part.
    """

    values: dict[Place, tuple[int, int]]
    keys: dict[Place, tuple[int, int]]
    files: Mapping[str, str] = field(default_factory=dict)
    alone: Mapping[Place, str] = field(default_factory=dict)

    def file_of(self, place: Sequence[str | int], usual: str) -> str:
        """The file in which `place` stands; `usual` where nothing else is known."""
        path = tuple(place)
        if path[:2] in self.alone:
            return self.alone[path[:2]]
        return self.files.get(str(path[0]), usual) if path else usual

    def of(self, place: Sequence[str | int], *, key: bool = False) -> tuple[int, int]:
        """Where `place` stands; where it is missing, where its nearest parent stands."""
        path = tuple(place)
        while path:
            found = (self.keys.get(path) if key else None) or self.values.get(path)
            if found is not None:
                return found
            path = path[:-1]
        return 1, 1
