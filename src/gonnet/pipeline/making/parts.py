"""Parts of arrivals: cut out while packages are made, from the very file that was read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet.arrivals import Arrived
from gonnet.errors import DataError
from gonnet.reports import Drawn, Look
from gonnet.reports.layout.models import Layout
from gonnet.reports.plans.models import PageForm

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter

Stamp = tuple[int, int]
Rows = Sequence[tuple[object, ...]]


class NoPartError(Exception):
    """A recipient has nothing in an arrival that is to be sent, or it cannot be cut out; its text says which."""


@contextmanager
def _usable() -> Iterator[None]:
    try:
        yield
    except DataError as error:
        raise NoPartError(str(error)) from error


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalKit:
    """What is needed to cut an arrival.

    Attributes:
        name: What the job calls it.
        titles: Locale → what it is called among other parts of a document.
        view: The view of its pages.
        paths: Name of each of its files → where it is.
        stamps: Name of each of its files → its size and when it was changed, as it was read.
        password: What opens it.
        pictures: File and number of the pages that are pictures only.
        accepts_pictures: Whether a part may have such pages.
    """

    name: str
    titles: Mapping[str, str]
    view: str
    paths: Mapping[str, Path]
    stamps: Mapping[str, Stamp]
    password: str
    pictures: frozenset[tuple[str, int]]
    accepts_pictures: bool

    @classmethod
    def of(cls, part: Arrived, view: str, titles: Mapping[str, str]) -> ArrivalKit:
        """That of an arrival."""
        pictures = ((part.files[page.file].name, page.number) for page in part.pages if page.is_picture)
        return cls(
            name=part.name,
            titles=titles,
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
        self._open: dict[Path, Cutter] = {}

    def kit(self, name: str) -> ArrivalKit | None:
        """What is needed to cut an arrival; None for what is none."""
        return self._kits.get(name)

    def cut(self, kit: ArrivalKit, rows: Rows, title: str) -> Part:
        """The pages of some rows, whose first values are file and page, as a file of their own.

        Raises:
            NoPartError: there are no rows, a page is damaged, or the file is another one than the one that was read.
        """
        from gonnet.arrivals.cutting import together

        with _usable():
            wanted = self._pages(kit, rows)
            sources: list[tuple[Cutter, list[int]]] = [
                (cutter, [number for _, number in pages]) for cutter, pages in groupby(wanted, key=lambda one: one[0])
            ]
            data = together(sources, title)
        return Part(data=data, pages=len(wanted), pictures=self.pictures(kit, rows))

    def layout(self, kit: ArrivalKit, rows: Rows, look: Look) -> Layout:
        """The pages of some rows among other parts of a document.

        Raises:
            NoPartError: there are no rows, a page is damaged, or the file is another one than the one that was read.
        """
        from gonnet.arrivals.cutting import seen_size

        with _usable():
            sizes = tuple(seen_size(cutter.page(number)) for cutter, number in self._pages(kit, rows))
        (width, height), style = sizes[0], look.style
        margins = (0.0, 0.0, 0.0, 0.0)
        form = PageForm(
            paper=style.paper, landscape=False, width=width, height=height, margins=margins, watermark=style.watermark
        )
        return Layout(
            title=kit.titles[look.house.locale],
            sheet="",
            header="",
            footer="",
            page=form,
            blocks=(),
            merged=(),
            view=kit.view,
            inserted=sizes,
        )

    def put_in(self, drawn: Drawn, inserted: Sequence[tuple[int, ArrivalKit, Rows]]) -> Drawn:
        """A file with the pages of some rows in it, from given layouts on: number of the layout, arrival and rows."""
        from gonnet.arrivals.cutting import put_in

        pages = {
            drawn.starts[at] + number: page
            for at, kit, rows in inserted
            for number, page in enumerate(self._pages(kit, rows))
        }
        return replace(drawn, data=put_in(drawn.data, pages))

    @staticmethod
    def pictures(kit: ArrivalKit, rows: Rows) -> int:
        """How many of the pages of some rows are pictures only."""
        return sum((str(row[0]), int(str(row[1]))) in kit.pictures for row in rows)

    def _pages(self, kit: ArrivalKit, rows: Rows) -> list[tuple[Cutter, int]]:
        from gonnet.arrivals.cutting import Cutter

        if not rows:
            raise NoPartError(f"'{kit.name}' has no page for it")
        found = []
        for name, number in ((str(row[0]), int(str(row[1]))) for row in rows):
            path = kit.paths[name]
            if path not in self._open:
                require_same(path, kit.stamps[name])
                self._open[path] = Cutter(path, kit.password)
            found.append((self._open[path], number))
        return found


def require_same(path: Path, stamp: Stamp) -> None:
    """Refuse a file that was changed since it was read.

    Raises:
        DataError: it was.
    """
    found = path.stat()
    if (found.st_size, found.st_mtime_ns) != stamp:
        raise DataError("this file was changed while the run was made", where=path.name, fix="Prepare the run again")
