"""Putting files into a folder: never outside it, whole or not at all, and never over what somebody else put there."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path, PurePosixPath


class OutsideError(Exception):
    """A place is not inside its root; its text says which."""


class TakenError(Exception):
    """There is a file already that must stay; its text says why."""


def put_file(
    root: Path,
    place: str,
    data: bytes,
    existing: str,
    is_ours: Callable[[str], bool],
    mode: int | None = None,
) -> str:
    """Put `data` at `place` below `root`; returns where it is now, below the root with `/`.

    A file that has the same bytes already counts as put, so that going on after an interruption changes nothing.

    Args:
        root: The folder; made when it is not there.
        place: Below it, with `/`.
        data: The bytes.
        existing: `keep both`, `replace` or `refuse`, where there is a file already.
        is_ours: Whether a file with this SHA-256 is what was put at this place before.
        mode: Its permissions; those that the system gives when None.

    Raises:
        OutsideError: the place is not below the root, or a link leads out of it.
        TakenError: there is a file already that must stay.
        OSError: the folder cannot be written.
    """
    target = _inside(root, place)
    digest = hashlib.sha256(data).hexdigest()
    number = 1
    while True:
        found = _numbered(target, number)
        shown = PurePosixPath(place).with_name(found.name).as_posix()
        there = hashlib.sha256(found.read_bytes()).hexdigest() if found.is_file() else None
        if there == digest:
            return shown
        if there is not None and existing == "refuse":
            raise TakenError("there is another file of this name")
        if there is not None and existing == "replace" and not is_ours(there):
            raise TakenError("the file of this name is not what was put there: somebody changed it")
        if there is not None and existing == "keep both":
            number += 1
            continue
        try:
            _write(found, data, mode, over=there is not None)
        except FileExistsError:  # somebody was quicker: look again
            continue
        return shown


def _inside(root: Path, place: str) -> Path:
    parts = PurePosixPath(place).parts
    if not parts or any(part in ("..", ".", "/") or "\\" in part for part in parts):
        raise OutsideError(f"'{place}' is not a place below the folder")
    target = root.joinpath(*parts)
    target.parent.mkdir(parents=True, exist_ok=True)
    if not target.parent.resolve().is_relative_to(root.resolve()):
        raise OutsideError(f"'{place}' leads out of the folder by a link")
    return target


def _numbered(target: Path, number: int) -> Path:
    return target if number == 1 else target.with_name(f"{target.stem} ({number}){target.suffix}")


def _write(target: Path, data: bytes, mode: int | None, *, over: bool) -> None:
    """Write a whole file beside it first; over another one only where that is meant."""
    handle, name = tempfile.mkstemp(dir=target.parent, prefix=".new-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        Path(name).chmod(mode if mode is not None else 0o666 & ~_umask())
        if over:
            Path(name).replace(target)
        else:
            os.link(name, target)  # fails where a file has come in between
    finally:
        Path(name).unlink(missing_ok=True)


def _umask() -> int:
    found = os.umask(0o077)
    os.umask(found)
    return found
