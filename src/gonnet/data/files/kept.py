"""What was read of large files, kept in the workspace: the next command need not read them again.

A reading is found by the digest of its files, of how they are read and of what reads them; so it is never an old one.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path

import duckdb

from gonnet import __version__, private
from gonnet.data.engine import Engine, quoted
from gonnet.data.types.target import Doubt, Target
from gonnet.errors import DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs.sources import FileDataSet

READINGS = "readings"
"""The folder of readings, below what a workspace keeps."""

_WORTH = 500_000  # bytes from which on reading takes longer than finding
_UNUSED = 14 * 86_400  # seconds after which a reading that nobody used goes
_TYPED = (".parquet", ".sqlite", ".db")


@dataclass(frozen=True, slots=True)
class Kept:
    """The readings of a workspace.

    Attributes:
        folder: Where they are.
    """

    folder: Path

    def key(self, paths: Sequence[Path], spec: FileDataSet, target: Target) -> str | None:
        """What the reading of files is found by; None where keeping it is not worth it."""
        if paths[0].suffix.lower() in _TYPED or sum(path.stat().st_size for path in paths) < _WORTH:
            return None
        digest = hashlib.blake2b(digest_size=32)
        how = spec.model_dump(mode="json", exclude={"expect"})
        said = [
            target.name,
            how,
            sorted(target.text),
            target.zone.key,
            target.writing.language,
            __version__,
            duckdb.__version__,
        ]
        digest.update(json.dumps(said, sort_keys=True).encode())
        for path in paths:
            with path.open("rb") as file:
                digest.update(path.name.encode() + hashlib.file_digest(file, "blake2b").digest())
        return digest.hexdigest()

    def take(self, engine: Engine, target: Target, key: str) -> bool:
        """Make the target's table of a reading that is kept; returns whether there was one."""
        path = self.folder / f"{key}.duckdb"
        if not path.is_file():
            return False
        try:
            engine.query(f"attach '{_literal(path)}' as kept (read_only)")
            try:
                ((told, made),) = engine.query("select told, made from kept.reading")
                engine.query(f"create table {quoted(target.name)} as select * from kept.data")
            finally:
                engine.query("detach kept")
        except DataError:  # cut off, or of another version: it is read anew
            path.unlink(missing_ok=True)
            return False
        _tell(target, json.loads(str(told)))
        target.notes.append(f"{target.name}: taken from what was read of the same file on {made:%Y-%m-%d %H:%M}")
        engine.tables.append(target.name)
        with contextlib.suppress(OSError):
            os.utime(path)
        return True

    def put(self, engine: Engine, target: Target, key: str, told: Remembered) -> None:
        """Keep what was read. That it cannot be kept is no reason to stop."""
        path, copy = self.folder / f"{key}.duckdb", self.folder / f"{key}.{os.getpid()}.part"
        if not engine.count(target.name):
            return
        with contextlib.suppress(OSError, DataError):
            private.folder(self.folder)
            self._forget_unused()
            try:
                engine.query(f"attach '{_literal(copy)}' as kept")
                try:
                    copy.chmod(0o600)
                    engine.query(f"create table kept.data as select * from {quoted(target.name)}")
                    engine.query(
                        "create table kept.reading as select $1 as told, localtimestamp as made", [told.text()]
                    )
                finally:
                    engine.query("detach kept")
                copy.replace(path)
            finally:
                copy.unlink(missing_ok=True)

    def _forget_unused(self) -> None:
        oldest = time.time() - _UNUSED
        for path in self.folder.iterdir():
            if path.stat().st_mtime < oldest:
                path.unlink(missing_ok=True)

    def all(self) -> list[Path]:
        """The files of all readings."""
        return sorted(self.folder.iterdir()) if self.folder.is_dir() else []


@dataclass(frozen=True, slots=True, kw_only=True)
class Remembered:
    """What was told while a file was read, and is told again.

    Attributes:
        notes: How it was read.
        findings: What of it may be wrong.
        doubts: What columns of text may be meant as.
    """

    notes: Sequence[str]
    findings: Sequence[Finding]
    doubts: Sequence[Doubt]

    def text(self) -> str:
        """All of it as JSON."""
        return json.dumps(asdict(self))


def _tell(target: Target, told: dict[str, list[dict[str, object]]]) -> None:
    target.notes.extend(str(note) for note in told["notes"])
    for part in told["findings"]:
        target.findings.append(Finding(weight=Weight(str(part["weight"])), text=str(part["text"])))
    for part in told["doubts"]:
        choices = json.loads(json.dumps(part["choices"]))
        doubt = Doubt(column=str(part["column"]), text=str(part["text"]), choices=tuple(map(tuple, choices)))
        target.doubts[doubt.column] = doubt


def _literal(path: Path) -> str:
    return str(path).replace("'", "''")
