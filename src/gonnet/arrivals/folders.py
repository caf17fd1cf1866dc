"""Reading a folder of files: every file with its key, or with the reason why it has none."""

from __future__ import annotations

import re
import time
from collections.abc import Collection, Iterator, Sequence
from pathlib import Path

from gonnet.arrivals.keys import every_match, told
from gonnet.arrivals.models import Arrived, Page, stamps_of
from gonnet.errors import AbsentError, DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs.arrivals import Folder

_SHOWN = 3


def read_folder(name: str, spec: Folder, folder: Path, files: Sequence[Path], everybodys: Collection[Path]) -> Arrived:
    """Whose each file is.

    Args:
        name: What the job calls the folder.
        spec: What the job says of it.
        folder: The workspace, from which paths count.
        files: The files.
        everybodys: Files that the job encloses for everybody: they need no key.

    Raises:
        AbsentError: there is no file.
        DataError: the key of a file is in doubt; names the file.
    """
    began = time.monotonic()
    if not files:
        where = f"{folder}"
        raise AbsentError(
            f"there is no file {spec.files}", where=where, fix="Check the pattern, or put the files there"
        )
    ours = [path for path in files if path not in everybodys]
    reader = _Reader(name, spec)
    names = tuple(_path(path, folder) for path in ours)
    pages = tuple(reader.page(at, path) for at, path in enumerate(names))
    return Arrived(
        name=name,
        spec=spec,
        files=tuple(ours),
        names=names,
        stamps=stamps_of(ours),
        password="",
        pages=pages,
        findings=tuple(reader.findings(len(files) - len(ours))),
        seconds=time.monotonic() - began,
    )


def _path(path: Path, folder: Path) -> str:
    """What a file is called: its path in the workspace where it is there."""
    return (path.relative_to(folder) if path.is_relative_to(folder) else path).as_posix()


class _Reader:
    """Gives files their keys."""

    def __init__(self, name: str, spec: Folder) -> None:
        self._name, self._spec = name, spec
        self._key = re.compile(spec.key.path)
        self._leave_out = [re.compile(text) for text in spec.leave_out]
        self._values = [re.compile(value.path) for value in spec.read.values()]
        self._first: dict[str, str] = {}
        self._left_out: list[str] = []
        self._nobodys: list[str] = []

    def page(self, at: int, path: str) -> Page:
        """A file."""
        values: list[str | None] = []
        if any(pattern.search(path) for pattern in self._leave_out):
            self._left_out.append(path)
            key = None
        elif (key := self._key_of(path)) is not None:
            values = [next(iter(every_match(pattern, path)), None) for pattern in self._values]
        return Page(key, at, 1, follows=False, values=tuple(values or [None] * len(self._values)), is_picture=False)

    def _key_of(self, path: str) -> str | None:
        """The key that a path says.

        Raises:
            DataError: it says several, or none where it must, or one that was there before and may not be again.
        """
        found = every_match(self._key, path)
        if len(found) > 1:
            what = f"the path of this file of '{self._name}' says {len(found)} keys: {told(found)}"
            raise DataError(what, where=path, fix="Let the pattern find one")
        if not found:
            if self._spec.unmarked == "refuse":
                fix = "Write `unmarked: leave out`, a pattern for it under `leave_out`, or its name under `enclose`"
                raise DataError(f"the path of this file of '{self._name}' says no key", where=path, fix=fix)
            self._nobodys.append(path)
            return None
        first = self._first.setdefault(found[0], path)
        if first != path and self._spec.again == "refuse":
            what = f"this is a second file of key '{found[0]}' of '{self._name}': the first is {first}"
            raise DataError(what, where=path, fix="Remove one, or write `again: together`")
        return found[0]

    def findings(self, everybodys: int) -> Iterator[Finding]:
        """What the operator should know of all of them."""
        if self._left_out:
            text = f"{self._are(len(self._left_out))} left out by `leave_out`"
            yield Finding(weight=Weight.NOTE, text=text)
        if self._nobodys:
            some = ", ".join(self._nobodys[:_SHOWN]) + (" …" if len(self._nobodys) > _SHOWN else "")
            text = f"{self._are(len(self._nobodys))} nobody's, since the path says no key: {some}"
            yield Finding(weight=Weight.ATTENTION, text=text)
        if everybodys:
            text = f"{self._are(everybodys)} everybody's, and enclosed as the job says"
            yield Finding(weight=Weight.NOTE, text=text)

    def _are(self, count: int) -> str:
        return f"1 file of '{self._name}' is" if count == 1 else f"{count:,} files of '{self._name}' are"
