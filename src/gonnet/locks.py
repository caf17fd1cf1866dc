"""Locks that the system gives back when the process that holds them dies: so they tell who is still at work."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from filelock import FileLock, Timeout

from gonnet.errors import StorageError


class HeldError(Exception):
    """Another process holds the lock."""


@contextmanager
def held(place: Path, *, keep: bool = True) -> Iterator[None]:
    """Hold the lock at `place` for the length of the block.

    Args:
        place: A file; its folder is there.
        keep: Whether the file stays afterwards; one that several processes wait for must.

    Raises:
        HeldError: another process holds it.
        StorageError: it cannot be made.
    """
    lock = FileLock(place, mode=0o600)
    try:
        lock.acquire(timeout=0)
    except Timeout as error:
        raise HeldError from error
    except OSError as error:
        raise StorageError(f"a lock cannot be made: {error.strerror}", where=str(place.parent)) from error
    try:
        yield
    finally:
        lock.release()
        if not keep:
            place.unlink(missing_ok=True)


def is_held(place: Path) -> bool:
    """Whether a process holds the lock at `place`."""
    if not place.exists():
        return False
    try:
        with held(place):
            return False
    except HeldError:
        return True


def file_name(*parts: str) -> str:
    """A short file name for a lock that stands for `parts`, equal only for equal ones."""
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()[:16]
