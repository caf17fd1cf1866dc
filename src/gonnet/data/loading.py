"""Data sets: files and databases into tables, then SQL over them, with keys kept as text."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from gonnet.data import files
from gonnet.data.databases import Databases
from gonnet.data.engine import Engine
from gonnet.data.parameters import Values
from gonnet.data.staging import Target
from gonnet.errors import DataError, StorageError, meant
from gonnet.jobs.models import DatabaseDataSet, FileDataSet, Job, SqlDataSet
from gonnet.jobs.workspace import Workspace


@dataclass(frozen=True, slots=True, kw_only=True)
class Loaded:
    """The data sets of a run.

    Attributes:
        engine: Holds them as tables; locked.
        notes: What was found while reading: separators, encodings, files of a pattern.
    """

    engine: Engine
    notes: tuple[str, ...]


def load(job: Job, workspace: Workspace, values: Values) -> Loaded:
    """Make every data set of the job a table; the engine is locked when this returns.

    Files and databases are read first, then SQL runs over them in the order of the job file.

    Args:
        job: The job.
        workspace: Whose folder relative file names count from, and whose databases are read.
        values: The parameters, bound to every query that names them.

    Raises:
        DataError: a file or a query fails.
        JobError: a database, its driver or its password is not there.
        UnreachableError: a database cannot be reached.
    """
    engine = Engine()
    notes: list[str] = []
    try:
        with _scratch(workspace) as scratch, closing(Databases(secrets=workspace.secrets)) as databases:
            for name, part in job.file.data.items():
                if not isinstance(part, SqlDataSet):
                    target = _target(job, name, part, workspace, Path(scratch), notes)
                    _read(engine, target, part, workspace, databases, values)
        engine.lock()
        for name, part in job.file.data.items():
            if isinstance(part, SqlDataSet):
                engine.create(name, part.sql.strip().rstrip(";"), values.bound(), where=job.at("data", name, "sql"))
        _require_columns(job, engine)
    except BaseException:
        engine.close()
        raise
    return Loaded(engine=engine, notes=tuple(notes))


def _scratch(workspace: Workspace) -> tempfile.TemporaryDirectory[str]:
    folder = workspace.kept / "making"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        return tempfile.TemporaryDirectory(prefix="data-", dir=folder)
    except OSError as error:
        fix = "Make room on the disk, and check that the folder can be written"
        raise StorageError(
            f"the work folder cannot be written: {error.strerror}", where=str(folder), fix=fix
        ) from error


def _target(
    job: Job, name: str, part: FileDataSet | DatabaseDataSet, workspace: Workspace, scratch: Path, notes: list[str]
) -> Target:
    return Target(
        name=name,
        where=job.at("data", name, "file" if isinstance(part, FileDataSet) else "sql"),
        scratch=scratch,
        fixed=part.types,
        text=key_columns(job),
        zone=workspace.zone,
        notes=notes,
    )


def _read(
    engine: Engine,
    target: Target,
    part: FileDataSet | DatabaseDataSet,
    workspace: Workspace,
    databases: Databases,
    values: Values,
) -> None:
    if isinstance(part, FileDataSet):
        files.load(engine, target, part, workspace.folder)
    else:
        database = workspace.database(part.database, target.where)
        databases.load(engine, target, part, database, values.bound())


def look_at(path: Path, text_columns: frozenset[str] = frozenset()) -> Engine:
    """Load one file on its own, as table `rows`, to see what it holds.

    Args:
        path: The file.
        text_columns: Columns that stay text whatever they hold: keys.

    Raises:
        DataError: the file cannot be read.
    """
    engine = Engine()
    with tempfile.TemporaryDirectory() as scratch:
        target = Target(name="rows", where=str(path), scratch=Path(scratch), text=text_columns)
        files.load(engine, target, FileDataSet(file=path.name), path.parent)
    engine.lock()
    return engine


def key_columns(job: Job) -> frozenset[str]:
    """The columns that carry keys, wherever they appear: never guessed to be numbers."""
    listed = (job.file.recipients.key,) if job.file.recipients else ()
    return frozenset((job.file.split.by, *listed))


def _require_columns(job: Job, engine: Engine) -> None:
    wanted: list[tuple[str, str, tuple[str | int, ...]]] = [(job.file.split.rows, job.file.split.by, ("split", "by"))]
    if people := job.file.recipients:
        named: Mapping[str, str | None] = {"key": people.key, "to": people.to, "name": people.name}
        wanted += [(people.rows, column, ("recipients", part)) for part, column in named.items() if column is not None]
        wanted += [(people.rows, column, ("recipients", "cc")) for column in people.cc]
        wanted += [(people.rows, column, ("recipients", "bcc")) for column in people.bcc]
        wanted += [(people.rows, column, ("checks", "identifying")) for column in job.file.checks.identifying]
    for table, column, place in wanted:
        known = [found.name for found in engine.columns(table)]
        if column not in known:
            what = f"data set '{table}' has no column '{column}'"
            raise DataError(what, where=job.at(*place), fix=meant(column, known, noun="column"))
