"""Parts of arrivals: cut out while packages are made, from the very file that was read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path

from gonnet.arrivals import Arrived
from gonnet.errors import DataError

Stamp = tuple[int, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalKit:
    """What is needed to cut an arrival.

    Attributes:
        view: The view of its pages.
        paths: Name of each of its files → where it is.
        stamps: Name of each of its files → its size and when it was changed, as it was read.
        password: What opens it.
        pictures: File and number of the pages that are pictures only.
        accepts_pictures: Whether a part may have such pages.
    """

    view: str
    paths: Mapping[str, Path]
    stamps: Mapping[str, Stamp]
    password: str
    pictures: frozenset[tuple[str, int]]
    accepts_pictures: bool

    @classmethod
    def of(cls, part: Arrived, view: str) -> ArrivalKit:
        """That of an arrival."""
        pictures = ((part.files[page.file].name, page.number) for page in part.pages if page.is_picture)
        return cls(
            view=view,
            paths={path.name: path for path in part.files},
            stamps={path.name: stamp for path, stamp in zip(part.files, part.stamps, strict=True)},
            password=part.password,
            pictures=frozenset(pictures),
            accepts_pictures=part.spec.pictures == "accept",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part of an arrival.

    Attributes:
        data: Its bytes.
        pages: How many pages they have.
        pictures: How many of these are pictures only.
    """

    data: bytes
    pages: int
    pictures: int


class Parts:
    """Cuts parts out; keeps the files of arrivals open, so it is made once per process."""

    def __init__(self, kits: Mapping[str, ArrivalKit]) -> None:
        self._kits = kits
        self._open: dict[Path, object] = {}

    def kit(self, name: str) -> ArrivalKit | None:
        """What is needed to cut an arrival; None for what is none."""
        return self._kits.get(name)

    def cut(self, kit: ArrivalKit, rows: Sequence[tuple[object, ...]], title: str) -> Part:
        """The pages of some rows, whose first values are file and page, as one file.

        Raises:
            DataError: the file is another one than the one that was read.
        """
        from gonnet.arrivals.cutting import Cutter, together

        wanted = [(str(row[0]), int(str(row[1]))) for row in rows]
        sources: list[tuple[Cutter, list[int]]] = []
        for name, pages in groupby(wanted, key=lambda one: one[0]):
            path = kit.paths[name]
            cutter = self._open.get(path)
            if not isinstance(cutter, Cutter):
                require_same(path, kit.stamps[name])
                cutter = self._open[path] = Cutter(path, kit.password)
            sources.append((cutter, [number for _, number in pages]))
        pictures = sum(one in kit.pictures for one in wanted)
        return Part(data=together(sources, title), pages=len(wanted), pictures=pictures)


def require_same(path: Path, stamp: Stamp) -> None:
    """Refuse a file that was changed since it was read.

    Raises:
        DataError: it was.
    """
    found = path.stat()
    if (found.st_size, found.st_mtime_ns) != stamp:
        raise DataError("this file was changed while the run was made", where=path.name, fix="Prepare the run again")
