"""Reading files into the engine, by their ending; several by a pattern; compressed ones."""

from __future__ import annotations

import bz2
import gzip
import lzma
import shutil
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path

from gonnet.data.engine import Engine, quoted
from gonnet.data.files.text_files import load_csv, load_json_lines
from gonnet.data.files.workbooks import load_workbook
from gonnet.data.types.staging import Hint, Stager, Target, assign_types
from gonnet.errors import AbsentError, DataError, meant
from gonnet.jobs.reach import Reach
from gonnet.jobs.sources import FileDataSet

_PACKED = {".gz": gzip.GzipFile, ".bz2": bz2.BZ2File, ".xz": lzma.LZMAFile}
_KNOWN = ".csv, .tsv, .txt, .parquet, .jsonl, .ndjson, .xlsx, .xls, .ods, .sqlite, .db; each also as .gz, .bz2 or .xz"
_BATCH = 10_000


def load(engine: Engine, target: Target, spec: FileDataSet, reach: Reach | None) -> None:
    """Make the target's table from the file or files that `spec` names, rows in the order of the files.

    Raises:
        DataError: a file is not there, cannot be read or holds no header.
    """
    paths = [_unpacked(path, target) for path in _found(reach, spec.file, target)]
    first = paths[0]
    ending = first.suffix.lower()
    if len(paths) > 1 and ending not in (".csv", ".tsv", ".txt", ".parquet", ".jsonl", ".ndjson"):
        raise DataError(
            f"several files of kind {ending} cannot be one data set", where=target.where, fix="Name one of them"
        )
    match ending:
        case ".csv" | ".tsv" | ".txt":
            load_csv(engine, target, paths, spec.encoding)
        case ".jsonl" | ".ndjson":
            load_json_lines(engine, target, paths)
        case ".parquet":
            _load_parquet(engine, target, paths)
        case ".xlsx" | ".xls" | ".ods":
            load_workbook(engine, target, first, spec.sheet, spec.header)
        case ".sqlite" | ".db":
            _load_sqlite(engine, target, first, spec.sheet)
        case other:
            what = f"'{other or first.name}' is not a kind of file that can be read"
            raise DataError(what, where=target.where, fix=f"Known: {_KNOWN}")


def _found(reach: Reach | None, name: str, target: Target) -> list[Path]:
    """The files of a name or a pattern; a job's only from where it may take them, others as a person named them."""
    folder = reach.folder if reach is not None else Path()
    path = reach.file(name, target.where) if reach is not None else Path(name)
    if any(sign in name for sign in "*?["):
        base = Path(path.anchor) if path.is_absolute() else folder
        found = sorted(base.glob(str(path.relative_to(base))))
        if not found:
            raise AbsentError(f"no file is called like {name}", where=target.where, fix=f"Looked in {path.parent}")
        if reach is not None:  # links among them lead where they lead
            found = [reach.file(one, target.where) for one in found]
        target.notes.append(f"{name}: {len(found)} file{'s' if len(found) > 1 else ''}")
        return found
    if not path.is_file():
        known = sorted(other.name for other in path.parent.glob("*") if other.is_file()) if path.parent.is_dir() else []
        raise AbsentError(f"there is no file {path}", where=target.where, fix=meant(path.name, known, noun="file"))
    return [path]


def _unpacked(path: Path, target: Target) -> Path:
    """The file itself, or what a compressed one holds."""
    packing = _PACKED.get(path.suffix.lower())
    if packing is None:
        return path
    copy = target.scratch / path.stem
    try:
        with packing(path) as packed, copy.open("wb") as out:
            shutil.copyfileobj(packed, out)
    except (OSError, EOFError, lzma.LZMAError) as error:
        raise DataError(f"{path.name} cannot be unpacked: {error}", where=target.where, fix="Pack it anew") from error
    return copy


def _load_parquet(engine: Engine, target: Target, paths: Sequence[Path]) -> None:
    files = [str(path) for path in paths]
    if not target.fixed:
        engine.query(
            f"create table {quoted(target.name)} as select * from read_parquet(?)", [files], where=target.where
        )
        engine.tables.append(target.name)
        return
    engine.query(
        f"create temp table {quoted(target.raw)} as select * from read_parquet(?)", [files], where=target.where
    )
    assign_types(engine, target, {column.name: Hint.KEPT for column in engine.columns(target.raw)})


def _load_sqlite(engine: Engine, target: Target, path: Path, table: str | None) -> None:
    try:
        with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as database:
            names = [
                str(name)
                for (name,) in database.execute("select name from sqlite_master where type in ('table', 'view')")
            ]
            chosen = table if table is not None else names[0] if len(names) == 1 else None
            if chosen is None or chosen not in names:
                what = f"{path.name} has no table '{table}'" if table else f"{path.name} has {len(names)} tables"
                raise DataError(what, where=target.where, fix=f"Name one with `sheet:`: {', '.join(names)}")
            cursor = database.execute(f"select * from {quoted(chosen)}")
            stager = Stager(target, [column[0] for column in cursor.description])
            stager.write(_batches(cursor))
    except sqlite3.Error as error:
        raise DataError(
            f"{path.name} is no readable SQLite file: {error}", where=target.where, fix="Check the file"
        ) from error
    stager.assign_types(engine, stager.dated_texts())


def _batches(cursor: sqlite3.Cursor) -> Iterator[list[tuple[object, ...]]]:
    while batch := cursor.fetchmany(_BATCH):
        yield batch
