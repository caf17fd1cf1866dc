"""Files that are there before the run, and that one recipient gets: found by a pattern with merged values.

A value is looked for as a whole: `F1*` does not take `F10.pdf`, since an `F1` that goes on is another key.
"""

from __future__ import annotations

import re
import unicodedata
from bisect import bisect_left
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import pairwise, takewhile
from pathlib import Path
from typing import NamedTuple

from gonnet.errors import DataError, JobError
from gonnet.jobs.contents import Enclosure
from gonnet.jobs.reach import Reach
from gonnet.wording.filled import BEGIN, END

_WILD = {"*": ".*", "?": "."}
_STARTS, _ENDS = r"(?<![^\W_])", r"(?![^\W_])"  # nothing that a value could go on with
_FIELD = re.compile(r"\{\{.*?\}\}|\{%.*?%\}", re.DOTALL)
_VALUE, _SAYS = re.compile(f"{BEGIN}([^{END}]*){END}"), re.compile(r"[^\W_]")
_SHOWN = 3


class NoFileError(DataError):
    """A recipient lacks a file of their own, or has more of them than they may."""


class OwnFile(NamedTuple):
    """A file that one recipient gets as it is.

    Attributes:
        path: Where it is.
        name: What it is called in the package.
        key: Whose it is.
        ways: The ways of its package by which it goes.
    """

    path: Path
    name: str
    key: str
    ways: frozenset[str] = frozenset()


class Shelf:
    """The files from which packages take those of their own; each folder is read once."""

    def __init__(self, reach: Reach) -> None:
        self._reach = reach
        self._folders: dict[str, list[tuple[str, Path]]] = {}
        self._taken: set[Path] = set()

    def take(self, pattern: str, spec: Enclosure, where: str, whom: str) -> tuple[Path, ...]:
        """The files that a pattern names, in the order of their names.

        Args:
            pattern: The path; each merged value stands between BEGIN and END.
            spec: What the job says of them.
            where: Where it says it.
            whom: Whose they are to be, for an error.

        Raises:
            NoFileError: they are not as many as the job says, or lie outside.
        """
        wanted, sought = spec.how_many or "at least one", _sought(pattern)
        found = tuple(self._matching(sought, where))
        self._taken.update(found)
        if not found and wanted != "any number":
            what = f"there is no file {sought.shown} for {whom}" if sought.shown else f"no file is named for {whom}"
            raise NoFileError(what, where=where, fix="Put it there, or correct the list")
        if len(found) > 1 and wanted == "exactly one":
            what = f"{len(found)} files are called {sought.shown} for {whom}: {_some(found)}"
            raise NoFileError(what, where=where, fix="Leave one there, or change the pattern")
        return found

    def _matching(self, sought: _Sought, where: str) -> Iterator[Path]:
        if not sought.is_safe:
            return
        files = self._files_in(sought.folder, where)
        first = bisect_left(files, (sought.start, Path()))
        for _, path in takewhile(lambda file: file[0].startswith(sought.start), files[first:]):
            if sought.name.fullmatch(unicodedata.normalize("NFC", path.name)):
                yield self._checked(path, where)

    def _files_in(self, folder: str, where: str) -> list[tuple[str, Path]]:
        """Name and path of the files of a folder, in the order of their names."""
        if folder not in self._folders:
            place = self._checked(Path(folder), where)
            there = [path for path in place.iterdir() if _is_file(path)] if place.is_dir() else []
            self._folders[folder] = sorted((unicodedata.normalize("NFC", path.name), path) for path in there)
        return self._folders[folder]

    def _checked(self, path: Path, where: str) -> Path:
        try:
            return self._reach.file(path, where)
        except JobError as error:
            raise NoFileError(error.what, where=where, fix=error.fix) from error

    def left(self, patterns: Iterable[str], everybodys: Iterable[str]) -> list[Path]:
        """The files that are called as somebody's would be, and that nobody took; `everybodys` are for all."""
        found = {path for pattern in patterns for path in self._like(pattern)}
        return sorted(found - self._taken - {self._reach.file(name, "") for name in everybodys})

    def _like(self, pattern: str) -> Iterator[Path]:
        """The files that a text with merge fields could name, whatever is merged; none where all of it is merged."""
        parts = re.sub(r"\*+", "*", _FIELD.sub("*", pattern).replace("[", "[[]")).split("/")
        fixed = list(takewhile(lambda part: "*" not in part, parts[:-1]))
        if not fixed:
            return
        try:
            place = self._reach.file("/".join(fixed) or "/", "")
        except JobError:
            return
        yield from filter(_is_file, place.glob("/".join(parts[len(fixed) :])))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Sought:
    """What a pattern with merged values names.

    Attributes:
        folder: The folder.
        name: Matches the names of the files.
        start: What all of these begin with.
        shown: The pattern as people read it.
        is_safe: Whether it names files of one recipient: with an empty value, or blanks, it could name those of all.
    """

    folder: str
    name: re.Pattern[str]
    start: str
    shown: str
    is_safe: bool


def _sought(pattern: str) -> _Sought:
    signs = list(_signs(unicodedata.normalize("NFC", pattern)))
    shown = "".join(sign for sign, _ in signs)
    at = shown.rfind("/") + 1
    name = signs[at:]
    is_wide = any(sign in _WILD and not is_value for sign, is_value in name)
    return _Sought(
        folder=shown[: max(at - 1, 0)] or ("/" if at else "."),
        name=re.compile(_expression(name), re.DOTALL),
        start="".join(sign for sign, _ in takewhile(lambda one: one[0] not in _WILD or one[1], name)),
        shown=shown,
        is_safe=bool(name) and not (is_wide and any(not _SAYS.search(value) for value in _VALUE.findall(pattern))),
    )


def _signs(pattern: str) -> Iterator[tuple[str, bool]]:
    """Each sign of a pattern, and whether it is of a merged value."""
    is_value = False
    for sign in pattern:
        if sign in (BEGIN, END):
            is_value = sign == BEGIN
        else:
            yield sign, is_value


def _expression(name: list[tuple[str, bool]]) -> str:
    """A regular expression for a name; what stands beside a wildcard does not go on in it, if it is a value."""
    found = ""
    for (before, was_value), (sign, is_value) in pairwise([("", False), *name]):
        if sign in _WILD and not is_value:
            found += (_ENDS if was_value else "") + _WILD[sign]
        else:
            starts = is_value and before in _WILD and not was_value
            found += (_STARTS if starts else "") + re.escape(sign)
    return found


def _is_file(path: Path) -> bool:
    return not path.name.startswith(".") and path.is_file()


def _some(files: Iterable[Path]) -> str:
    names = [path.name for path in files]
    return ", ".join(names[:_SHOWN]) + (" …" if len(names) > _SHOWN else "")
