"""Reading a run: every page with its key, or with the reason why it has none, and what it says."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path

from gonnet.arrivals.keys import keys_of, told, value_of
from gonnet.arrivals.models import Arrived, Page, Reading, files_of, stamps_of
from gonnet.arrivals.pages import Pages
from gonnet.arrivals.typed import TypedPages
from gonnet.errors import DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs.arrivals import PdfRun, TextRun

Run = PdfRun | TextRun
"""What is cut by page."""
_PATTERN = "Try it out with `gonnet pages`"


def read_run(
    name: str,
    spec: Run,
    pattern: Path,
    listed: Path | None,
    password: str,
    most: int | None = None,
    known: Reading | None = None,
) -> Arrived:
    """Read every page of a run.

    Args:
        name: What the job calls it.
        spec: What the job says of it.
        pattern: The path of its file, or of several.
        listed: The list of its pages, where there is one.
        password: What opens it; empty where nothing is needed.
        most: Only so many pages; None for all.
        known: What was read of the same files before; None to read them.

    Raises:
        DataError: a file is not there or cannot be read, or the key of a page is in doubt; names file and page.
    """
    began, files = time.monotonic(), files_of(pattern)
    stamps = stamps_of(files)
    pages, findings = known or _read(name, spec, files, listed, password, most)
    return Arrived(
        name=name,
        spec=spec,
        files=files,
        names=tuple(path.name for path in files),
        stamps=stamps,
        password=password,
        pages=pages,
        findings=findings,
        seconds=time.monotonic() - began,
    )


def _read(name: str, spec: Run, files: Sequence[Path], listed: Path | None, password: str, most: int | None) -> Reading:
    found: list[Page] = []
    reader = _Reader(name, spec)
    for at, path in enumerate(files):
        with closing(opened(spec, path, password)) as pages:
            left = None if most is None else most - len(found)
            found += reader.of(at, pages, listed, left)
    return tuple(found), tuple(reader.findings(found))


def opened(spec: Run, path: Path, password: str) -> Pages | TypedPages:
    """A file of a run; close it when done.

    Raises:
        DataError: it cannot be read.
    """
    return TypedPages(path, spec.encoding, spec.lines) if isinstance(spec, TextRun) else Pages(path, password)


class _Reader:
    """Gives pages their keys, from one file to the next."""

    def __init__(self, name: str, spec: Run) -> None:
        self._name, self._spec = name, spec
        self._leave_out = [re.compile(text) for text in spec.leave_out]
        self._closed: set[str] = set()
        self._last: str | None = None
        self._is_divided = False
        self._left_out = 0

    def of(self, at: int, pages: Pages | TypedPages, listed: Path | None, most: int | None) -> Iterator[Page]:
        """The pages of one file."""
        keys, spec = keys_of(self._spec.key, pages, listed), self._spec
        if spec.unmarked != "follow":
            self._end()
        for number in range(1, min(len(pages), len(pages) if most is None else most) + 1):
            with pages.page(number) as page:
                where = f"{pages.path.name}, page {number}"
                if self._leave_out and any(pattern.search(page.text()) for pattern in self._leave_out):
                    self._left_out += 1
                    self._is_divided = True
                    key = None
                    said: tuple[str, ...] = ()
                else:
                    said = keys(number, page)
                    key = self._key(said, where)
                values = tuple(value_of(named, page) for named in spec.read.values()) if key is not None else ()
                follows = key is not None and not said
                yield Page(key, at, number, follows, values or (None,) * len(spec.read), page.is_picture)

    def _key(self, found: tuple[str, ...], where: str) -> str | None:
        """The key of a page that says these.

        Raises:
            DataError: it says several, or none where it must, or one that was there before.
        """
        if len(found) > 1:
            what = f"this page of '{self._name}' says {len(found):,} keys: {told(found)}"
            raise DataError(what, where=where, fix=f"Let the pattern, or its place, find one. {_PATTERN}")
        key = found[0] if found else self._unmarked(where)
        self._is_divided = False
        if key is None:
            return None
        if key != self._last:
            self._end()
            if key in self._closed and self._spec.again == "refuse":
                fix = "Write `again: together` if all of its pages are meant to be one part, or correct the run"
                raise DataError(f"key '{key}' of '{self._name}' comes back here", where=where, fix=fix)
            self._last = key
        return key

    def _unmarked(self, where: str) -> str | None:
        if self._spec.unmarked == "leave out":
            return None
        if self._spec.unmarked == "follow" and self._last is not None and not self._is_divided:
            return self._last
        what = f"this page of '{self._name}' says no key"
        if self._spec.unmarked == "follow":  # a page that is left out divides: what comes after it may be anybody's
            what += ", and comes after one that is left out" if self._is_divided else ", and no page comes before it"
        fix = f"Write `unmarked: follow` or `unmarked: leave out`, or correct the pattern. {_PATTERN}"
        raise DataError(what, where=where, fix=fix)

    def _end(self) -> None:
        if self._last is not None:
            self._closed.add(self._last)
        self._last = None

    def findings(self, pages: Sequence[Page]) -> Iterator[Finding]:
        """What the operator should know of all of them."""
        if self._left_out:
            verb = "is" if self._left_out == 1 else "are"
            text = f"{_many(self._left_out)} of '{self._name}' {verb} left out by `leave_out`"
            yield Finding(weight=Weight.NOTE, text=text)
        nobody = sum(page.key is None for page in pages) - self._left_out
        if nobody:
            says = "says no key: nobody gets it" if nobody == 1 else "say no key: nobody gets them"
            yield Finding(weight=Weight.ATTENTION, text=f"{_many(nobody)} of '{self._name}' {says}")
        pictures = sum(page.is_picture for page in pages)
        if pictures:
            what = "is a picture" if pictures == 1 else "are pictures"
            text = f"{_many(pictures)} of '{self._name}' {what} only, and cannot be searched for others' values"
            yield Finding(weight=Weight.ATTENTION, text=text)


def _many(count: int) -> str:
    return "1 page" if count == 1 else f"{count:,} pages"
