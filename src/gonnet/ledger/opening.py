"""Opening a ledger: made where there is none, brought to the form of this version, refused where it is newer.

Nothing is written to a ledger of a newer version, or to one that cannot be read.
"""

from __future__ import annotations

import json
import os
import sqlite3
import uuid
from collections.abc import Callable
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import Any

from filelock import FileLock
from sqlalchemy import Connection, Engine, create_engine, create_mock_engine, event, insert, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.schema import ExecutableDDLElement

from gonnet import __version__, private
from gonnet.errors import StorageError
from gonnet.ledger import chain, schema
from gonnet.ledger.failures import storage_error
from gonnet.ledger.keeping import copy_ledger

_PATIENCE = 30  # seconds that another process may keep the ledger locked


def open_ledger(place: Path, now: Callable[[], str]) -> tuple[Engine, bool]:
    """The database at `place`, and whether it can be written.

    Raises:
        StorageError: it cannot be read or made, is gone, or was written by a newer Gonnet.
    """
    _require_folder(place)
    if not _may_write(place):
        return _read_only(place), False
    try:
        with FileLock(place.with_name("ledger.lock"), timeout=_PATIENCE, mode=0o600):
            return _opened(place, now), True
    except SQLAlchemyError as error:
        raise storage_error(error, place) from error
    except sqlite3.Error as error:
        raise storage_error(error, place) from error


def _may_write(place: Path) -> bool:
    return os.access(place.parent, os.W_OK) and (not place.exists() or os.access(place, os.W_OK))


def _require_folder(place: Path) -> None:
    try:
        private.folder(place.parent)  # everybody's figures are in it
    except OSError as error:
        raise StorageError(
            f"the folder for the ledger cannot be made: {error.strerror}",
            where=str(place.parent),
            fix="Choose a folder that can be written, with `ledger: {folder: …}` in gonnet.yaml",
        ) from error
    if not place.exists() and any((place.parent / "store").glob("??/*")):
        raise StorageError(
            "the ledger is gone, and the files of its runs are still there",
            where=str(place),
            fix=f"Put it back from a backup. To begin a new record, move {place.parent} away: what was sent before "
            "is then not known, and nothing stops it from being sent again",
        )


def _opened(place: Path, now: Callable[[], str]) -> Engine:
    version = _version(place, f"file:{_quoted(place)}?mode=ro") if place.exists() else None
    private.file(place)
    engine = create_engine(f"sqlite:///{place}", connect_args={"timeout": _PATIENCE}, json_deserializer=_from_json)
    event.listen(engine, "connect", _durable)
    if version is None:
        _made(engine)
    elif version < schema.VERSION:
        _migrate(engine, place, version, now)
    return engine


def _read_only(place: Path) -> Engine:
    if not place.exists():
        raise StorageError(
            "there is no ledger, and none can be made here",
            where=str(place.parent),
            fix="Check the permissions of the folder, or choose another with `ledger: {folder: …}` in gonnet.yaml",
        )
    uri = f"file:{_quoted(place)}?mode=ro&immutable=1"
    version = _version(place, uri)
    if version != schema.VERSION:
        raise StorageError(
            f"the ledger has the form {version or 0} of an earlier version, and it cannot be written here",
            where=str(place),
            fix="Copy the workspace to a place that can be written, and look there",
        )

    def connect() -> sqlite3.Connection:
        return sqlite3.connect(uri, uri=True, check_same_thread=False)

    return create_engine("sqlite://", creator=connect, json_deserializer=_from_json)


def _version(place: Path, uri: str) -> int | None:
    """The form of a ledger; None for an empty file. Nothing is written.

    Raises:
        StorageError: it is no ledger, cannot be read, or was written by a newer Gonnet.
    """
    try:
        with closing(sqlite3.connect(uri, uri=True, timeout=_PATIENCE)) as link:
            names = {name for (name,) in link.execute("select name from sqlite_master where type = 'table'")}
            if not names:
                return None
            row = link.execute("select * from about").fetchone() if "about" in names else None
    except sqlite3.Error as error:
        raise storage_error(error, place) from error
    if row is None:
        raise storage_error(sqlite3.DatabaseError("it is a database of something else"), place)
    version, writer = int(row[0]), str(row[1]) if len(row) > 1 else ""
    if version > schema.VERSION:
        raise StorageError(
            f"a newer Gonnet{f' ({writer})' if writer else ''} wrote the ledger: it has the form {version}, and Gonnet "
            f"{__version__} knows forms up to {schema.VERSION}",
            where=str(place),
            fix="Use that version. Nothing was changed",
        )
    return version


def _made(engine: Engine) -> None:
    with engine.begin() as work:
        work.exec_driver_sql("begin immediate")  # the driver begins none for tables: all of them are made, or none
        for statement in _tables():
            work.exec_driver_sql(statement)
        values = {"version": schema.VERSION, "written_by": __version__, "identity": uuid.uuid4().hex, "home": ""}
        work.execute(insert(schema.about).values(**values))
        stamp(work, str(schema.VERSION))


@cache
def _tables() -> tuple[str, ...]:
    """What makes all tables and indices, put into words once for all ledgers that a process makes."""
    found: list[str] = []

    def note(statement: ExecutableDDLElement, *_: object, **__: object) -> None:
        found.append(str(statement.compile(dialect=writer.dialect)))

    writer = create_mock_engine("sqlite://", note)
    schema.metadata.create_all(writer, checkfirst=False)
    return tuple(found)


def stamp(work: Connection, revision: str) -> None:
    """Say to Alembic at which revision the ledger is."""
    work.execute(text("create table if not exists alembic_version (version_num varchar(32) not null primary key)"))
    work.execute(text("delete from alembic_version"))
    work.execute(text("insert into alembic_version values (:revision)"), {"revision": revision})


def _migrate(engine: Engine, place: Path, version: int, now: Callable[[], str]) -> None:
    """Bring a ledger of an earlier form to this one: all of it or nothing, after a copy of it was put beside it."""
    copy = place.with_name(f"ledger-form-{version}.db")
    copy.unlink(missing_ok=True)
    copy_ledger(engine, copy)
    with engine.connect() as work:
        work.exec_driver_sql("pragma foreign_keys=off")
        work.exec_driver_sql("begin immediate")
        if version == 4:
            stamp(work, "4")
        upgrade(work, version, now)
        work.commit()
    engine.dispose()


def upgrade(work: Connection, version: int, now: Callable[[], str]) -> None:
    """Bring a ledger of an earlier form to this one, in a transaction that has begun."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations").replace("%", "%%"))
    config.attributes["connection"] = work
    command.upgrade(config, "head")
    said = {"version": schema.VERSION, "by": __version__}
    work.execute(text("update about set version = :version, written_by = :by"), said)
    last = work.execute(text("select max(id) from runs")).scalar()
    if last is not None:
        chain.add_of_run(work, last, now(), f"ledger brought from form {version} to {schema.VERSION}")


def _quoted(place: Path) -> str:
    from urllib.parse import quote

    return quote(str(place))


def _from_json(text: str) -> object:
    return [] if text == "[]" else json.loads(text)  # most lists of packages are empty


def _durable(connection: Any, _record: object) -> None:  # noqa: ANN401  a DBAPI connection has no common type
    cursor = connection.cursor()
    cursor.execute("pragma journal_mode=wal")
    cursor.execute("pragma synchronous=full")
    cursor.execute("pragma foreign_keys=on")
    cursor.close()
