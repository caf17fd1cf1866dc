"""The store of rendered files: each under the SHA-256 of its bytes, written whole or not at all.

It is a folder, or a bucket on a server (`bucket.py`). Both are asked the same.
"""

from __future__ import annotations

import hashlib
import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import AbstractContextManager, nullcontext, suppress
from dataclasses import dataclass
from itertools import chain
from pathlib import Path
from typing import Protocol

from gonnet import private
from gonnet.errors import SealError, StorageError

_DEEP = ".deep"  # says that new files go two folders deep
_MANY = 50_000  # packages


class Store(Protocol):
    """Where rendered files are kept."""

    def put(self, data: bytes) -> str:
        """Keep `data`; returns its SHA-256. Putting the same bytes again changes nothing but when they were put.

        Raises:
            StorageError: it cannot be written.
            UnreachableError: its server cannot be reached.
        """

    def get(self, digest: str) -> bytes:
        """The bytes kept under `digest`, checked against it.

        Raises:
            SealError: they are gone or are no longer what was put.
            UnreachableError: its server cannot be reached.
        """

    def has(self, digest: str) -> bool:
        """Whether something is kept under `digest`."""

    def digests(self) -> Iterator[tuple[str, int, float]]:
        """Every file that is kept: its digest, its bytes, and when it was last put, in seconds since 1970."""

    def remove(self, digest: str, since: float | None = None) -> None:
        """Remove a file; not where it was put after `since`, in seconds since 1970, if that is given."""

    def make_room(self, packages: int) -> None:
        """Be ready for the files of so many packages.

        Raises:
            StorageError: it cannot be written.
        """

    def together(self) -> AbstractContextManager[None]:
        """Within it, what is put may be written a little later; at its end all of it is."""

    def flush(self) -> None:
        """Wait until everything put so far is where nothing is lost when the power goes."""


@dataclass(frozen=True, slots=True)
class FolderStore:
    """A folder of files named by their digest, in 256 folders; from many files on, each of these has 256 of its own.

    Attributes:
        folder: Where they are; made when the first one is put.
    """

    folder: Path

    def put(self, data: bytes) -> str:
        """Keep `data`; returns its SHA-256. Putting the same bytes again changes nothing but when they were put.

        Raises:
            StorageError: the disk is full or the folder cannot be written.
        """
        digest = hashlib.sha256(data).hexdigest()
        place = self.path(digest)
        try:
            try:
                _write_new(place, data)
            except FileNotFoundError:
                private.folder(place.parent)
                _write_new(place, data)
            except FileExistsError:
                if place.read_bytes() == data:
                    os.utime(place)  # what a run that is being made relies on is not old
                else:
                    self._replace(place, data)
        except OSError as error:
            raise _unwritable(error, self.folder) from error
        return digest

    @staticmethod
    def _replace(place: Path, data: bytes) -> None:
        handle, name = tempfile.mkstemp(dir=place.parent, prefix=".new-")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            Path(name).replace(place)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise

    def get(self, digest: str) -> bytes:
        """The bytes kept under `digest`, checked against it.

        Raises:
            SealError: the file is gone or is no longer what was put.
        """
        place = self._place(digest)
        try:
            with open(place, "rb", buffering=0) as file:  # noqa: PTH123  a path object costs as much as the reading
                data = file.readall()
        except OSError as error:
            raise SealError(f"the stored file {digest[:12]}… cannot be read: {error.strerror}", where=place) from error
        if hashlib.sha256(data).hexdigest() != digest:
            raise SealError(f"the stored file {digest[:12]}… was changed after the review", where=place)
        return data

    def has(self, digest: str) -> bool:
        """Whether something is kept under `digest`."""
        return self.path(digest).exists()

    def path(self, digest: str) -> Path:
        """Where the file with this digest is kept."""
        return Path(self._place(digest))

    def _place(self, digest: str) -> str:
        first = f"{self.folder}{os.sep}{digest[:2]}{os.sep}"
        place = first + digest
        if not os.path.exists(f"{self.folder}{os.sep}{_DEEP}") or os.path.exists(place):  # noqa: PTH110  it is asked often
            return place
        return f"{first}{digest[2:4]}{os.sep}{digest}"

    def make_room(self, packages: int) -> None:
        """From now on let each folder have folders of its own, if there are many; what is there stays where it is.

        Raises:
            StorageError: the folder cannot be written.
        """
        if packages <= _MANY:
            return
        try:
            private.folder(self.folder)
            (self.folder / _DEEP).touch(mode=0o600)
        except OSError as error:
            raise _unwritable(error, self.folder) from error

    def digests(self) -> Iterator[tuple[str, int, float]]:
        """Every file that is kept: its digest, its bytes, and when it was last put, in seconds since 1970."""
        for place in chain(self.folder.glob("??/*"), self.folder.glob("??/??/*")):
            if re.fullmatch("[0-9a-f]{64}", place.name):
                about = place.stat()
                yield place.name, about.st_size, about.st_mtime

    def remove(self, digest: str, since: float | None = None) -> None:
        """Remove a file, unless it was put after `since`, in seconds since 1970."""
        place = self.path(digest)
        with suppress(FileNotFoundError):
            if since is None or place.stat().st_mtime <= since:
                place.unlink()

    def together(self) -> AbstractContextManager[None]:
        """Everything is written when it is put."""
        return nullcontext()

    def flush(self) -> None:
        """Wait until everything put so far is on the disk."""
        if hasattr(os, "sync"):
            os.sync()


def _unwritable(error: OSError, folder: Path) -> StorageError:
    fix = "Make room on the disk and check that the folder can be written, then run it again"
    return StorageError(f"a rendered file cannot be written: {error.strerror}", where=str(folder), fix=fix)


def _for_its_owner(path: str, flags: int) -> int:
    return os.open(path, flags, 0o600)


def _write_new(place: Path, data: bytes) -> None:
    """Write a file that is not there yet.

    No run names it before it is whole, and what a crash leaves of it is replaced when it is put again: so it needs no
    other name to be written under first, which takes longer than the writing.
    """
    with open(place, "xb", buffering=0, opener=_for_its_owner) as file:
        try:
            written = file.write(data)
            while written < len(data):
                written += file.write(memoryview(data)[written:])
        except BaseException:
            place.unlink(missing_ok=True)
            raise
