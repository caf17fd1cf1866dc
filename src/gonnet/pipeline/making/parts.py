"""Parts of arrivals: cut out while packages are made, from the very file that was read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet.arrivals import Arrived
from gonnet.arrivals.pages import is_pdf, pictures_of
from gonnet.errors import DataError
from gonnet.jobs.arrivals import Folder
from gonnet.reports import Drawn, Look
from gonnet.reports.layout.models import Layout
from gonnet.reports.plans.models import PageForm

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter

Stamp = tuple[int, int]
Rows = Sequence[tuple[object, ...]]


_NO_PDF = "{} is no PDF, which the job says it is"


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
        is_folder: Whether it is a folder of files, else a run that is cut.
        titles: Locale → what it is called among other parts of a document.
        view: The view of its pages.
        paths: Name of each of its files → where it is.
        stamps: Name of each of its files → its size and when it was changed, as it was read.
        password: What opens it.
        pictures: File and number of the pages that are pictures only.
        accepts_pictures: Whether a part may have such pages.
    """

    name: str
    is_folder: bool
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
        pictures = ((part.names[page.file], page.number) for page in part.pages if page.is_picture)
        return cls(
            name=part.name,
            is_folder=isinstance(part.spec, Folder),
            titles=titles,
            view=view,
            paths=dict(zip(part.names, part.files, strict=True)),
            stamps=dict(zip(part.names, part.stamps, strict=True)),
            password=part.password,
            pictures=frozenset(pictures),
            accepts_pictures=part.spec.pictures == "accept",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part of an arrival.

    Attributes:
        data: Its bytes.
        pages: How many pages they have; None where it is no PDF.
        pictures: How many of these are pictures only.
    """

    data: bytes
    pages: int | None
    pictures: int


class Parts:
    """Cuts parts out; keeps the files of arrivals open, so it is made once per process."""

    def __init__(self, kits: Mapping[str, ArrivalKit]) -> None:
        self._kits = kits
        self._open: dict[Path, Cutter] = {}
        self._passing: dict[Path, Cutter] = {}

    def kit(self, name: str) -> ArrivalKit | None:
        """What is needed to cut an arrival; None for what is none."""
        return self._kits.get(name)

    def rest(self) -> None:
        """Close the files of folders, of which there may be one for each package."""
        for cutter in self._passing.values():
            cutter.close()
        self._passing.clear()

    def cut(self, kit: ArrivalKit, rows: Rows, title: str, form: str) -> Part:
        """The pages of some rows, whose first values are file and page, as a file of their own; or a file as it is.

        Raises:
            NoPartError: there are no rows, a page is damaged, or the file is another one than the one that was read.
        """
        from gonnet.arrivals.cutting import together

        if kit.is_folder:
            return self._as_it_is(kit, str(rows[0][0]), form)
        with _usable():
            wanted = self._pages(kit, rows)
            sources: list[tuple[Cutter, list[int]]] = [
                (cutter, [number for _, number in pages]) for cutter, pages in groupby(wanted, key=lambda one: one[0])
            ]
            data = together(sources, title)
        return Part(data=data, pages=len(wanted), pictures=self.pictures(kit, rows)[0])

    def _as_it_is(self, kit: ArrivalKit, name: str, form: str) -> Part:
        """A file of a folder."""
        path = kit.paths[name]
        with _usable():
            require_same(path, kit.stamps[name])
            data = path.read_bytes()
            if not data:
                raise NoPartError(f"{name} is empty")
            if is_pdf(path):
                pictures, pages = pictures_of(path)
                return Part(data=data, pages=pages, pictures=pictures)
            if form == "pdf":
                raise NoPartError(_NO_PDF.format(name))
        return Part(data=data, pages=None, pictures=0)

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
    def pictures(kit: ArrivalKit, rows: Rows) -> tuple[int, int]:
        """How many pages of some rows are pictures only, and how many they are."""
        if kit.is_folder:
            found = [pictures_of(kit.paths[str(name)]) for name, *_ in rows]
            return sum(pictures for pictures, _ in found), sum(pages for _, pages in found)
        return sum((str(row[0]), int(str(row[1]))) in kit.pictures for row in rows), len(rows)

    def _pages(self, kit: ArrivalKit, rows: Rows) -> list[tuple[Cutter, int]]:
        from gonnet.arrivals.cutting import Cutter

        if not rows:
            raise NoPartError(f"'{kit.name}' has no page for it")
        found = []
        opened = self._passing if kit.is_folder else self._open
        for name, *place in rows:
            path = kit.paths[str(name)]
            if path not in opened:
                require_same(path, kit.stamps[str(name)])
                if kit.is_folder and not is_pdf(path):
                    raise NoPartError(_NO_PDF.format(name))
                opened[path] = Cutter(path, kit.password)
            cutter = opened[path]
            numbers = range(1, cutter.pages + 1) if kit.is_folder else map(int, map(str, place))
            found += [(cutter, number) for number in numbers]
        return found


def require_same(path: Path, stamp: Stamp) -> None:
    """Refuse a file that was changed since it was read.

    Raises:
        DataError: it was.
    """
    found = path.stat()
    if (found.st_size, found.st_mtime_ns) != stamp:
        raise DataError("this file was changed while the run was made", where=path.name, fix="Prepare the run again")
