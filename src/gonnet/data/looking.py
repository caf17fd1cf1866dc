"""Looking at one file or one query on its own: what it holds, and how it was read."""

from __future__ import annotations

import tempfile
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from zoneinfo import ZoneInfo

from gonnet.data.databases.connections import Databases
from gonnet.data.engine import Engine
from gonnet.data.files import reading
from gonnet.data.loading import Told
from gonnet.data.types.target import Target
from gonnet.data.types.writing import writing_of
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database
from gonnet.jobs.sources import DatabaseDataSet, FileDataSet


@dataclass(frozen=True, slots=True, kw_only=True)
class LookedAt:
    """A file on its own.

    Attributes:
        engine: Holds it as table `rows`; locked.
        told: What was found while reading it.
    """

    engine: Engine
    told: Told

    def close(self) -> None:
        """Give the memory back."""
        self.engine.close()


def look_at(
    spec: FileDataSet, text_columns: frozenset[str] = frozenset(), zone: ZoneInfo | None = None, language: str = "en"
) -> LookedAt:
    """Load one file on its own, to see what it holds.

    Args:
        spec: The file, named as a person names it, and how it is written.
        text_columns: Columns that stay text whatever they hold: keys.
        zone: The time zone in which times are shown; UTC when None.
        language: Whose names of months are tried.

    Raises:
        DataError: the file cannot be read.
        JobError: what is said of how it is written makes no sense.
    """
    engine, told = Engine(), Told()
    try:
        with tempfile.TemporaryDirectory() as folder:
            target = Target(
                name="rows",
                where=spec.file,
                scratch=Path(folder),
                fixed=spec.types,
                text=text_columns,
                zone=zone or ZoneInfo("UTC"),
                writing=writing_of(spec, language, spec.file),
                rows=spec.rows,
                last=spec.last,
                notes=told.notes,
                findings=told.findings,
                doubts=told.doubts.setdefault("rows", {}),
            )
            reading.load(engine, target, spec, None)
        engine.lock()
    except BaseException:
        engine.close()
        raise
    return LookedAt(engine=engine, told=told)


def look_at_query(
    name: str,
    database: Database,
    query: str,
    secrets: Secrets,
    folder: Path,
    text_columns: frozenset[str] = frozenset(),
) -> LookedAt:
    """Load what one query gives, as table `rows`, to see what it holds.

    Args:
        name: What the workspace calls the database.
        database: The database.
        query: The query.
        secrets: Where passwords come from.
        folder: The workspace.
        text_columns: Columns that stay text whatever they hold: keys.

    Raises:
        DataError: the query does not run.
        UnreachableError: the database cannot be reached.
    """
    engine, told = Engine(), Told()
    try:
        with tempfile.TemporaryDirectory() as scratch_, closing(Databases(secrets=secrets, folder=folder)) as databases:
            target = Target(name="rows", where=name, scratch=Path(scratch_), text=text_columns, notes=told.notes)
            databases.load(engine, target, DatabaseDataSet(database=name, sql=query), database, {})
        engine.lock()
    except BaseException:
        engine.close()
        raise
    return LookedAt(engine=engine, told=told)
