"""Data sets: files into tables, then SQL over them, with keys kept as text."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from gonnet.data import files
from gonnet.data.engine import Engine
from gonnet.data.parameters import Values
from gonnet.errors import DataError, meant
from gonnet.jobs.models import FileDataSet, Job, SqlDataSet


def load(job: Job, folder: Path, values: Values) -> Engine:
    """Make every data set of the job a table, in the order of the file; the engine is locked when this returns.

    Args:
        job: The job.
        folder: The workspace, from which relative file names count.
        values: The parameters, bound to every query that names them.

    Raises:
        DataError: a file or a query fails; nothing is left behind.
    """
    engine = Engine()
    text_columns = key_columns(job)
    for name, part in job.file.data.items():
        if isinstance(part, FileDataSet):
            files.load(engine, name, folder / part.file, part.sheet, text_columns, job.at("data", name, "file"))
    engine.lock()
    bound = values.bound()
    for name, part in job.file.data.items():
        if isinstance(part, SqlDataSet):
            engine.create(name, part.sql.strip().rstrip(";"), bound, where=job.at("data", name, "sql"))
    _require_columns(job, engine)
    return engine


def look_at(path: Path, text_columns: frozenset[str] = frozenset()) -> Engine:
    """Load one file on its own, as table `rows`, to see what it holds.

    Args:
        path: The file.
        text_columns: Columns that stay text whatever they hold: keys.

    Raises:
        DataError: the file cannot be read.
    """
    engine = Engine()
    files.load(engine, "rows", path, None, text_columns, str(path))
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
            raise DataError(
                f"data set '{table}' has no column '{column}'",
                where=job.at(*place),
                fix=meant(column, known, noun="column"),
            )
