"""What is known of a document for many once it was read."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from gonnet.arrivals.workbooks.book import Book
from gonnet.errors import AbsentError
from gonnet.findings import Finding
from gonnet.jobs.arrivals import FILE, PAGE, ROW, SHEET, Arrival


class Page(NamedTuple):
    """A page of a run; or what is known as one: a file of a folder, a sheet, a row.

    Attributes:
        key: Whose it is; None where it is nobody's.
        file: Which of the files it is of, from 0.
        number: Its number in the file, or in its sheet, from 1.
        follows: Whether it says no key, and has that of the page before.
        values: What it says of each value that is read, as text.
        is_picture: Whether it cannot be searched.
        sheet: The sheet of a workbook that it is, or that it is a row of.
        text: All that a page of a PDF says, packed.
    """

    key: str | None
    file: int
    number: int
    follows: bool
    values: tuple[str | None, ...]
    is_picture: bool
    sheet: str = ""
    text: bytes = b""


def packed(text: str) -> bytes:
    """A text in few bytes."""
    return zlib.compress(text.encode("utf-8", errors="surrogatepass"), 1)


def unpacked(data: bytes) -> str:
    """The text."""
    return zlib.decompress(data).decode("utf-8", errors="surrogatepass")


Reading = tuple[tuple[Page, ...], tuple[Finding, ...]]
"""The pages of a run, and what the operator should know of them."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrived:
    """A run that was read.

    Attributes:
        name: What the job calls it.
        spec: What the job says of it.
        files: Its files, in the order of their names.
        names: What each of them is called in its data set.
        stamps: Size of each file, and when it was changed, before it was read.
        password: What opens them.
        pages: Its pages, in order.
        findings: What the operator should know.
        seconds: How long it took to read them.
        notes: How they were read.
        book: What parts of a workbook are made from; None for other kinds.
    """

    name: str
    spec: Arrival
    files: tuple[Path, ...]
    names: tuple[str, ...]
    stamps: tuple[tuple[int, int], ...]
    password: str
    pages: tuple[Page, ...]
    findings: tuple[Finding, ...]
    seconds: float
    notes: tuple[str, ...] = ()
    book: Book | None = None

    def place(self, page: Page) -> tuple[object, ...]:
        """Where a page stands, as the data set says it."""
        parts: dict[str, object] = {FILE: self.names[page.file], PAGE: page.number, SHEET: page.sheet, ROW: page.number}
        return tuple(parts[place] for place in self.spec.places)

    def where(self, page: Page) -> str:
        """The same for people."""
        file, *rest = self.place(page)
        parts = zip(self.spec.places[1:], rest, strict=True)
        return ", ".join([str(file), *(f"{name} {part}" for name, part in parts)])


def files_of(pattern: Path) -> tuple[Path, ...]:
    """The files of a run, in the order of their names.

    Raises:
        AbsentError: there is none.
    """
    files = tuple(sorted(pattern.parent.glob(pattern.name)))
    if not files:
        raise AbsentError(f"there is no file {pattern.name}", where=str(pattern.parent), fix="Check its name")
    return files


def stamps_of(files: Sequence[Path]) -> tuple[tuple[int, int], ...]:
    """Size of each file, and when it was changed."""
    return tuple((path.stat().st_size, path.stat().st_mtime_ns) for path in files)
