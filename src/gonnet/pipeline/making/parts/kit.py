"""What is needed to take parts of an arrival, and what one is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from gonnet.arrivals import Arrived
from gonnet.arrivals.workbooks.book import Book
from gonnet.checks import ReadBack
from gonnet.errors import DataError
from gonnet.jobs.arrivals import Arrival, TextRun, WorkbookRun

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter
    from gonnet.reports import Look

Stamp = tuple[int, int]
Rows = Sequence[tuple[object, ...]]
"""Rows of the data set of an arrival: first where each stands."""


class NoPartError(Exception):
    """A recipient has nothing in an arrival that is to be sent, or it cannot be cut out; its text says which."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalKit:
    """What is needed to take parts of an arrival.

    Attributes:
        name: What the job calls it.
        spec: What the job says of it.
        titles: Locale → what it is called among other parts of a document.
        view: The view of its pages or files.
        paths: Name of each of its files → where it is.
        stamps: Name of each of its files → its size and when it was changed, as it was read.
        password: What opens it.
        pictures: File and number of the pages of a PDF run that are pictures only.
        texts: File and number of pages of a PDF run → what each says, packed.
        book: What parts of a workbook are made from; None for other kinds.
    """

    name: str
    spec: Arrival
    titles: Mapping[str, str]
    view: str
    paths: Mapping[str, Path]
    stamps: Mapping[str, Stamp]
    password: str
    pictures: frozenset[tuple[str, int]]
    texts: Mapping[tuple[str, int], bytes]
    book: Book | None

    @classmethod
    def of(cls, part: Arrived, view: str, titles: Mapping[str, str]) -> ArrivalKit:
        """That of an arrival."""
        pictures = ((part.names[page.file], page.number) for page in part.pages if page.is_picture)
        return cls(
            name=part.name,
            spec=part.spec,
            titles=titles,
            view=view,
            paths=dict(zip(part.names, part.files, strict=True)),
            stamps=dict(zip(part.names, part.stamps, strict=True)),
            password=part.password,
            pictures=frozenset(pictures),
            texts={(part.names[page.file], page.number): page.text for page in part.pages if page.text},
            book=part.book,
        )

    @property
    def accepts_pictures(self) -> bool:
        """Whether a part may have pages that nobody can search."""
        return isinstance(self.spec, TextRun | WorkbookRun) or self.spec.pictures == "accept"

    def path(self, name: object) -> Path:
        """Where one of its files is.

        Raises:
            DataError: it was changed since it was read.
        """
        path = self.paths[str(name)]
        found = path.stat()
        if (found.st_size, found.st_mtime_ns) != self.stamps[str(name)]:
            what = "this file was changed while the run was made"
            raise DataError(what, where=path.name, fix="Prepare the run again")
        return path


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part of an arrival as a file.

    Attributes:
        data: Its bytes.
        pages: How many pages they have; None where it is no PDF.
        pictures: How many of these are pictures only.
        found: What they say; None where a reader of its kind finds it.
    """

    data: bytes
    pages: int | None
    pictures: int = 0
    found: ReadBack | None = None


class Source(Protocol):
    """An arrival of which parts are taken."""

    def part(self, rows: Rows, title: str, form: str, look: Look, *, is_locked: bool) -> Part:
        """The part that some rows are, as a file of its own, which may get a password afterwards.

        Raises:
            NoPartError: it cannot be taken.
            DataError: the same.
        """

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """The same as pages of PDFs, each with its number there.

        Raises:
            NoPartError: it cannot be taken.
            DataError: the same.
        """

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """How many pages of some rows are pictures only, and how many they are."""

    def rest(self) -> None:
        """Give back what is of one package alone."""


@contextmanager
def usable() -> Iterator[None]:
    """What is wrong with an arrival holds the package."""
    try:
        yield
    except DataError as error:
        raise NoPartError(str(error)) from error
