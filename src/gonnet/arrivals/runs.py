"""Reading a run: every page with its key, or with the reason why it has none, and what it says."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from functools import partial
from pathlib import Path
from typing import NamedTuple, Protocol

from gonnet.arrivals.keys import keys_of, told, value_of
from gonnet.arrivals.models import Arrived, Page, Reading, files_of, packed, stamps_of
from gonnet.arrivals.pages import Pages, PageText
from gonnet.arrivals.typed import TypedPages
from gonnet.errors import DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs.arrivals import PdfRun, TextRun

Run = PdfRun | TextRun
"""What is cut by page."""
_AT_ONCE = 250  # pages that a process reads at a time
_PATTERN = "Try it out with `gonnet pages`"


class Said(NamedTuple):
    """What a page says by itself.

    Attributes:
        is_left_out: Whether `leave_out` leaves it out.
        keys: The keys that it says.
        values: What it says of each value that is read.
        is_picture: Whether it cannot be searched.
        text: All that a page of a PDF says, as it is read.
    """

    is_left_out: bool
    keys: tuple[str, ...]
    values: tuple[str | None, ...]
    is_picture: bool
    text: str


class Spread(Protocol):
    """What has pages read: `map`, or processes that share them."""

    def __call__(
        self, say: Callable[[int, int], list[Said]], firsts: Sequence[int], lasts: Sequence[int], /
    ) -> Iterator[list[Said]]:
        """What pages say, from each of `firsts` to the one of `lasts` that belongs to it."""


def read_run(
    name: str,
    spec: Run,
    pattern: Path,
    listed: Path | None,
    password: str,
    most: int | None = None,
    known: Reading | None = None,
    spread: Spread = map,
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
        spread: Has them read.

    Raises:
        DataError: a file is not there or cannot be read, or the key of a page is in doubt; names file and page.
    """
    began, files = time.monotonic(), files_of(pattern)
    stamps = stamps_of(files)
    pages, findings = known or _read(name, spec, files, listed, password, most, spread)
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


def _read(
    name: str,
    spec: Run,
    files: Sequence[Path],
    listed: Path | None,
    password: str,
    most: int | None,
    spread: Spread,
) -> Reading:
    found: list[Page] = []
    reader = _Reader(name, spec)
    for at, path in enumerate(files):
        with closing(opened(spec, path, password)) as pages:
            count = len(pages) if most is None else min(len(pages), most - len(found))
        step = count if isinstance(spec, TextRun) else _AT_ONCE
        firsts = list(range(1, count + 1, max(1, step)))
        lasts = [min(first + step - 1, count) for first in firsts]
        reader.begin()
        for first, said in zip(firsts, spread(partial(say, spec, path, password, listed), firsts, lasts), strict=True):
            found += (reader.page(at, path, number, page) for number, page in enumerate(said, first))
    return tuple(found), tuple(reader.findings(found))


def say(spec: Run, path: Path, password: str, listed: Path | None, first: int, last: int) -> list[Said]:
    """What pages of a file say, from `first` to `last`; nothing of it depends on other pages.

    Raises:
        DataError: they, or the list of them, cannot be read.
    """
    leave_out = [re.compile(text) for text in spec.leave_out]
    found = []
    with closing(opened(spec, path, password)) as pages:
        keys = keys_of(spec.key, pages, listed)
        for number in range(first, last + 1):
            with pages.page(number) as page:
                text = page.exact() if isinstance(page, PageText) else ""
                if leave_out and any(pattern.search(page.text()) for pattern in leave_out):
                    found.append(Said(True, (), (None,) * len(spec.read), page.is_picture, text))
                else:
                    values = tuple(value_of(named, page) for named in spec.read.values())
                    found.append(Said(False, keys(number, page), values, page.is_picture, text))
    return found


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
        self._closed: set[str] = set()
        self._last: str | None = None
        self._is_divided = False
        self._left_out = 0

    def begin(self) -> None:
        """Begin a file."""
        if self._spec.unmarked != "follow":
            self._end()

    def page(self, at: int, path: Path, number: int, said: Said) -> Page:
        """A page of file number `at`.

        Raises:
            DataError: its key is in doubt.
        """
        if said.is_left_out:
            self._left_out += 1
            self._is_divided = True
            key = None
        else:
            key = self._key(said.keys, f"{path.name}, page {number}")
        values = said.values if key is not None else (None,) * len(said.values)
        follows = key is not None and not said.keys
        text = packed(said.text) if isinstance(self._spec, PdfRun) and key is not None else b""
        return Page(key, at, number, follows, values, said.is_picture, text=text)

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
