"""Folders for what is needed only while something is made: they hold figures and addresses, so none may stay behind."""

from __future__ import annotations

import secrets
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from gonnet import private
from gonnet.errors import StorageError
from gonnet.locks import HeldError, held

_OLD = 86_400  # seconds after which what nobody can hold a lock on is left over


@contextmanager
def scratch(parent: Path) -> Iterator[Path]:
    """A folder below `parent` that only its owner may read; it goes with the block, or with the next `sweep`.

    Raises:
        StorageError: it cannot be made.
    """
    name = secrets.token_hex(8)
    try:
        private.folder(parent)
    except OSError as error:
        raise _unwritable(error, parent) from error
    with held(parent / f"{name}.lock", keep=False):
        place = parent / name
        try:
            place.mkdir(mode=0o700)
        except OSError as error:
            raise _unwritable(error, parent) from error
        try:
            yield place
        finally:
            shutil.rmtree(place, ignore_errors=True)


def sweep(parent: Path) -> None:
    """Remove what processes that were killed left below `parent`."""
    if not parent.is_dir():
        return
    for lock in parent.glob("*.lock"):
        try:
            with held(lock, keep=False):
                shutil.rmtree(lock.with_suffix(""), ignore_errors=True)
        except (HeldError, StorageError):
            continue
    for stray in parent.iterdir():  # of earlier versions, which knew no locks
        is_old = time.time() - stray.stat().st_mtime > _OLD
        if is_old and not stray.with_name(f"{stray.name}.lock").exists() and stray.suffix != ".lock":
            shutil.rmtree(stray, ignore_errors=True) if stray.is_dir() else stray.unlink(missing_ok=True)


def _unwritable(error: OSError, place: Path) -> StorageError:
    fix = "Make room on the disk, and check that the folder can be written"
    return StorageError(f"the work folder cannot be written: {error.strerror}", where=str(place), fix=fix)
