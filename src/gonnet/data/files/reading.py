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
from gonnet.data.files.headings import named
from gonnet.data.files.json_files import load_json, load_json_lines
from gonnet.data.files.kept import Kept, Remembered
from gonnet.data.files.positions import load_positions
from gonnet.data.files.text_files import load_csv
from gonnet.data.files.workbooks import load_workbook
from gonnet.data.types.columns import assign_types
from gonnet.data.types.staging import Stager
from gonnet.data.types.target import Hint, Target
from gonnet.errors import AbsentError, DataError, meant
from gonnet.jobs.reach import Reach
from gonnet.jobs.sources import FileDataSet

_PACKED = {".gz": gzip.GzipFile, ".bz2": bz2.BZ2File, ".xz": lzma.LZMAFile}
_KNOWN = (
    ".csv, .tsv, .txt, .parquet, .json, .jsonl, .ndjson, .xlsx, .xls, .ods, .sqlite, .db; each also as .gz, .bz2 or .xz"
)
_TEXT = (".csv", ".tsv", ".txt")
_BOOKS = (".xlsx", ".xls", ".ods")
KINDS = (*_TEXT, *_BOOKS, ".parquet", ".json", ".jsonl", ".ndjson", ".sqlite", ".db")
"""The endings of files that can be read."""

_BATCH = 10_000


def load(engine: Engine, target: Target, spec: FileDataSet, reach: Reach | None, kept: Kept | None = None) -> None:
    """Make the target's table from the file or files that `spec` names, rows in the order of the files.

    Args:
        engine: The engine.
        target: The data set.
        spec: The files, and how they are written.
        reach: From where a job may take files; None for those that a person names.
        kept: Where readings are kept; None for nowhere.

    Raises:
        DataError: a file is not there, cannot be read or holds no header.
    """
    paths = _found(reach, spec.file, target)
    key = kept.key(paths, spec, target) if kept is not None else None
    if kept is None or key is None:
        _read(engine, target, spec, paths)
    elif not kept.take(engine, target, key):
        notes, findings = len(target.notes), len(target.findings)
        _read(engine, target, spec, paths)
        told = Remembered(
            notes=target.notes[notes:], findings=target.findings[findings:], doubts=list(target.doubts.values())
        )
        kept.put(engine, target, key, told)


def _read(engine: Engine, target: Target, spec: FileDataSet, found: Sequence[Path]) -> None:
    paths = [_unpacked(path, target) for path in found]
    first = paths[0]
    ending = first.suffix.lower()
    _require_meant(spec, ending, target)
    if len(paths) > 1 and ending not in (*_TEXT, ".parquet", ".jsonl", ".ndjson"):
        raise DataError(
            f"several files of kind {ending} cannot be one data set", where=target.where, fix="Name one of them"
        )
    match ending:
        case _ if spec.positions:
            load_positions(engine, target, paths, spec)
        case ".csv" | ".tsv" | ".txt":
            load_csv(engine, target, paths, spec)
        case ".jsonl" | ".ndjson":
            load_json_lines(engine, target, paths, spec)
        case ".json":
            load_json(engine, target, first, spec)
        case ".parquet":
            _load_parquet(engine, target, paths, spec)
        case ".xlsx" | ".xls" | ".ods":
            load_workbook(engine, target, first, spec)
        case ".sqlite" | ".db":
            _load_sqlite(engine, target, first, spec)
        case other:
            what = f"'{other or first.name}' is not a kind of file that can be read"
            raise DataError(what, where=target.where, fix=f"Known: {_KNOWN}")


def _require_meant(spec: FileDataSet, ending: str, target: Target) -> None:
    """Refuse what is said of a file that a file of its kind does not have.

    Raises:
        DataError: there is such a thing; names it.
    """
    is_text, is_book = ending in _TEXT, ending in _BOOKS
    misplaced = {
        "sheet": spec.sheet is not None and (is_text or ending in (".parquet", ".jsonl", ".ndjson")),
        "skip": spec.skip and not (is_text or is_book),
        "header": spec.header != 1 and not (is_text or is_book),
        "separator": spec.separator is not None and (not is_text or bool(spec.positions)),
        "encoding": spec.encoding is not None and not is_text,
        "positions": bool(spec.positions) and not is_text,
        "columns": bool(spec.columns) and bool(spec.positions),
        "last": spec.last is not None and not (is_text or is_book),
    }
    for name, is_wrong in misplaced.items():
        if is_wrong:
            with_ = " with `positions`" if spec.positions and is_text else ""
            what = f"`{name}` says nothing about a file of kind {ending}{with_}"
            raise DataError(what, where=target.where, fix="Leave it out")


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


def _load_parquet(engine: Engine, target: Target, paths: Sequence[Path], spec: FileDataSet) -> None:
    """Read with the types of the file; moments become times in the zone of the workspace."""
    files, where = [str(path) for path in paths], target.where
    described = engine.query("describe select * from read_parquet(?)", [files], where=where)
    types = {str(name): str(kind) for name, kind, *_ in described}
    names = named(list(types), spec.columns, paths[0].name, target)
    chosen = ", ".join(
        f"{_local(name, kind, target)} as {quoted(new)}"
        for (name, kind), new in zip(types.items(), names, strict=True)
        if new is not None
    )
    engine.query(f"create table {quoted(target.raw)} as select {chosen} from read_parquet(?)", [files], where=where)
    is_said = bool(spec.numbers or spec.dates)
    hints = {
        column.name: Hint.TEXT if column.type == "VARCHAR" and is_said else Hint.KEPT
        for column in engine.columns(target.raw)
    }
    assign_types(engine, target, hints)


def _local(name: str, kind: str, target: Target) -> str:
    if kind != "TIMESTAMP WITH TIME ZONE":
        return quoted(name)
    target.notes.append(f"{target.name}.{name}: times with a zone, shown as in {target.zone.key}")
    return f"timezone('{target.zone.key}', {quoted(name)})"


def _load_sqlite(engine: Engine, target: Target, path: Path, spec: FileDataSet) -> None:
    table = spec.sheet
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
            called = named([column[0] for column in cursor.description], spec.columns, path.name, target)
            kept = [(at, name) for at, name in enumerate(called) if name is not None]
            stager = Stager(target, [name for _, name in kept])
            stager.write([[row[at] for at, _ in kept] for row in batch] for batch in _batches(cursor))
    except sqlite3.Error as error:
        raise DataError(
            f"{path.name} is no readable SQLite file: {error}", where=target.where, fix="Check the file"
        ) from error
    stager.assign_types(engine, stager.dated_texts())


def _batches(cursor: sqlite3.Cursor) -> Iterator[list[tuple[object, ...]]]:
    while batch := cursor.fetchmany(_BATCH):
        yield batch
