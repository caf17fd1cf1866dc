"""A copy of a workspace, taken while runs go on: its files, the ledger as of one moment, the files that it needs."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass, replace
from pathlib import Path

from gonnet import private
from gonnet.errors import SealError, StorageError
from gonnet.ledger import FolderStore, Ledger
from gonnet.pipeline.record.verify import Verdict, verify
from gonnet.pipeline.tools import Progress, Tools, no_progress

_KEPT = ".gonnet"
_PASSWORDS = ".env"


@dataclass(frozen=True, slots=True, kw_only=True)
class Copied:
    """A copy.

    Attributes:
        folder: Where it is.
        files: How many files of the workspace it has.
        kept: How many files of the store it has.
        is_apart: Whether `gonnet.yaml` names a place outside of the workspace for the ledger or the rendered files,
            which is not the copy's.
        without_passwords: Whether `.env` was left out: who may look at a record, or stores it, need not know them.
        verdict: What came of comparing it.
    """

    folder: Path
    files: int
    kept: int
    is_apart: bool
    without_passwords: bool
    verdict: Verdict


def copy(tools: Tools, folder: Path, progress: Progress = no_progress) -> Copied:
    """Copy the workspace and its record, and compare the copy.

    Args:
        tools: The tools.
        folder: Where to: it is made, and must not be there or be empty.
        progress: Told of every file of the store that was copied.

    Raises:
        StorageError: it cannot be written, is inside the workspace, or there is something in it.
    """
    workspace, there = tools.workspace, folder.resolve()
    _require_free(there, workspace.folder.resolve())
    kept = workspace.kept.resolve()
    is_outside = not kept.is_relative_to(workspace.folder.resolve())
    own = there / (_KEPT if is_outside else kept.relative_to(workspace.folder.resolve()))
    try:
        private.folder(there)
        private.folder(own)
        copied = list(_copied(workspace.folder, there, kept))
        tools.ledger.copy_to(own / "ledger.db")
        with closing(Ledger(own, tools.clock)) as ledger:
            digests = sorted(filter(None, ledger.files_of_runs()))
            count, store = 0, FolderStore(own / "store")
            for done, digest in enumerate(digests, 1):
                with suppress(SealError):  # it is gone or was changed, which `verify` tells
                    count += store.put(tools.store.get(digest)) == digest
                progress(done, len(digests))
            verdict = verify(replace(tools, ledger=ledger, store=store))
    except OSError as error:
        raise StorageError(
            f"the copy cannot be written: {error.strerror}",
            where=str(error.filename or folder),
            fix="Make room, or choose another folder; what was copied so far can be deleted",
        ) from error
    is_apart = is_outside or workspace.file.ledger.store is not None
    return Copied(
        folder=folder,
        files=sum(copied),
        kept=count,
        is_apart=is_apart,
        without_passwords=not all(copied),
        verdict=verdict,
    )


def _require_free(there: Path, workspace: Path) -> None:
    if there.is_relative_to(workspace):
        raise StorageError(
            "a copy cannot be inside of its workspace", where=str(there), fix="Choose a folder elsewhere"
        )
    if there.exists() and (not there.is_dir() or any(there.iterdir())):
        raise StorageError("there is something in the folder for the copy", where=str(there), fix="Choose a new one")


def _copied(workspace: Path, there: Path, kept: Path) -> Iterator[bool]:
    """Copy the files that are not of the record, but for the passwords; whether each was."""
    for at, folders, names in os.walk(workspace):
        folders[:] = [name for name in folders if (Path(at) / name).resolve() != kept]
        to = there / Path(at).relative_to(workspace)
        to.mkdir(parents=True, exist_ok=True)
        for name in names:
            is_wanted = Path(at) != workspace or name != _PASSWORDS
            if is_wanted:
                shutil.copy2(Path(at) / name, to / name, follow_symlinks=False)
            yield is_wanted
