"""Reading from databases: one read-only transaction a run, rows in batches, never everything at once."""

from __future__ import annotations

import contextlib
import datetime as dt
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from itertools import islice
from pathlib import Path
from typing import Any

from sqlalchemy import (
    URL,
    BindParameter,
    Connection,
    CursorResult,
    TextClause,
    bindparam,
    create_engine,
    make_url,
    text,
)
from sqlalchemy import Engine as SqlEngine
from sqlalchemy.exc import ArgumentError, DBAPIError, NoSuchModuleError, SQLAlchemyError

from gonnet.data.databases.binding import bound
from gonnet.data.databases.copying import copied
from gonnet.data.databases.stalling import Listening, ended_when_stalled
from gonnet.data.engine import Engine
from gonnet.data.types.staging import Stager
from gonnet.data.types.target import Hint, Target
from gonnet.errors import DataError, GonnetError, JobError, UnreachableError
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database
from gonnet.jobs.sources import DatabaseDataSet

_BATCH = 20_000
_DRIVERS = {"postgresql": "psycopg", "postgres": "psycopg", "mysql": "pymysql", "mariadb": "pymysql"}
_EXTRAS = {"psycopg": "gonnet[postgresql]", "pymysql": "gonnet[mysql]"}

Pool = SqlEngine
"""Connections to one database, for what is asked or written at the same time."""

# Type numbers of PostgreSQL (pg_type.oid).
_POSTGRESQL = {
    16: Hint.TRUTH, 20: Hint.WHOLE, 21: Hint.WHOLE, 23: Hint.WHOLE, 700: Hint.FLOAT, 701: Hint.FLOAT,
    1700: Hint.DECIMAL, 1082: Hint.DATE, 1114: Hint.TIME, 1184: Hint.TIME,
}  # fmt: skip
# Field types of the MySQL protocol (Protocol::ColumnType).
_MYSQL = {
    0: Hint.DECIMAL, 246: Hint.DECIMAL, 1: Hint.WHOLE, 2: Hint.WHOLE, 3: Hint.WHOLE, 8: Hint.WHOLE, 9: Hint.WHOLE,
    13: Hint.WHOLE, 4: Hint.FLOAT, 5: Hint.FLOAT, 10: Hint.DATE, 14: Hint.DATE, 7: Hint.TIME, 12: Hint.TIME,
}  # fmt: skip
_STAMP = 7  # MySQL's TIMESTAMP: a moment, where its DATETIME is a time on some clock
_CHAR = 1042  # PostgreSQL's fixed-width text, which comes with trailing blanks


@dataclass(slots=True)
class Databases:
    """The databases of one run: each is connected to once, and all of its queries see one state of it.

    Attributes:
        secrets: Where passwords come from; what it gave out appears in no message.
        folder: The workspace, from which the file of a SQLite database counts.
    """

    secrets: Secrets
    folder: Path
    _open: dict[str, Connection] = field(default_factory=dict)

    def close(self) -> None:
        """Give every connection back."""
        for connection in self._open.values():
            with contextlib.suppress(SQLAlchemyError):
                connection.close()
            connection.engine.dispose()
        self._open.clear()

    def load(
        self,
        engine: Engine,
        target: Target,
        spec: DatabaseDataSet,
        database: Database,
        values: Mapping[str, object],
        sample: int | None = None,
    ) -> None:
        """Make the target's table from a query, or from its first `sample` rows.

        Raises:
            JobError: the driver is missing, the password is refused, or the query names an unknown parameter.
            DataError: the query does not run, or gives too many rows.
            UnreachableError: the server is not there, or went away.
        """
        statement, names = parametrised(spec, values, target.where)
        connection = self.connection(spec.database, database, target.where)
        stager: Stager | None = None
        try:
            with ended_when_stalled(connection, spec.database, database.seconds, target.where) as listening:
                quick = connection.dialect.name == "postgresql" and sample is None
                if quick and _copied(engine, target, connection, spec, database, values, listening):
                    return
                size = min(sample or _BATCH, _BATCH)
                result = connection.execution_options(stream_results=True, max_row_buffer=size).execute(
                    statement_of(statement, names, values), bindable(connection, names, values)
                )
                with contextlib.closing(result):
                    columns = list(result.keys())
                    _require_distinct(columns, target)
                    hints = declared(connection, result)
                    stager = Stager(target, columns)
                    batches = _batches(connection, result, size, database.max_rows, target, listening)
                    stager.write(batches if sample is None else islice(batches, 1))
        except SQLAlchemyError as error:
            raise self.explained(error, spec.database, database, target.where, stager.rows if stager else 0) from error
        stager.assign_types(engine, hints or stager.dated_texts())

    def pool(self, name: str, database: Database, where: str, size: int, *, writes: bool = False) -> Pool:
        """An engine of its own with `size` connections: for questions that are asked at the same time, or to write.

        Raises:
            JobError: the driver is missing.
        """
        url = self._url(name, database, where, writes=writes)
        try:
            return create_engine(url, connect_args=_connect_args(url, database.seconds), pool_size=size, max_overflow=0)
        except ModuleNotFoundError as error:
            raise _missing_driver(url, error, where) from error

    def connection(self, name: str, database: Database, where: str) -> Connection:
        """The run's connection to a database: read-only, one snapshot where the server offers that.

        Raises:
            JobError: the driver is missing or the password is refused.
            UnreachableError: the server is not there.
        """
        if name not in self._open:
            url = self._url(name, database, where)
            try:
                engine = create_engine(url, connect_args=_connect_args(url, database.seconds), pool_pre_ping=False)
                self._open[name] = snapshot(engine.connect(), database.seconds)
            except ModuleNotFoundError as error:
                raise _missing_driver(url, error, where) from error
            except SQLAlchemyError as error:
                raise self.explained(error, name, database, where, None) from error
        return self._open[name]

    def shared_state(self, name: str, database: Database, where: str) -> str | None:
        """What the run's connection sees, as other connections can take it up; None where the server has no such thing.

        PostgreSQL 9.2 and later: pg_export_snapshot and SET TRANSACTION SNAPSHOT.

        Raises:
            JobError: the driver is missing or the password is refused.
            UnreachableError: the server is not there.
        """
        connection = self.connection(name, database, where)
        if connection.dialect.name != "postgresql":
            return None
        try:
            return str(connection.exec_driver_sql("select pg_export_snapshot()").scalar_one())
        except SQLAlchemyError as error:
            raise self.explained(error, name, database, where, 0) from error

    def _url(self, name: str, database: Database, where: str, *, writes: bool = False) -> URL:
        try:
            url = make_url(self.secrets.resolve(database.url, where, in_url=True))
        except ArgumentError as error:
            fix = "Write it as postgresql://user@host/name, mysql://user@host/name or sqlite:///file.db"
            raise JobError(f"the url of database '{name}' cannot be read", where="gonnet.yaml", fix=fix) from error
        driver = _DRIVERS.get(url.drivername)
        if driver:
            backend = "postgresql" if driver == "psycopg" else "mysql"
            url = url.set(drivername=f"{backend}+{driver}")
        if database.password is not None:
            url = url.set(password=self.secrets.resolve(database.password, where))
        if url.get_backend_name() == "sqlite" and url.database and not url.database.startswith("file:"):
            mode = "rw" if writes else "ro"
            url = url.set(database=f"file:{self.folder / url.database}", query={"mode": mode, "uri": "true"})
        return url

    def explained(
        self, error: SQLAlchemyError, name: str, database: Database, where: str, rows: int | None
    ) -> GonnetError:
        """What happened, in words, without any secret; `rows` is None while connecting."""
        if isinstance(error, NoSuchModuleError):
            backend = database.url.partition(":")[0]
            return JobError(
                f"no driver for '{backend}' is installed", where="gonnet.yaml", fix="Install its SQLAlchemy dialect"
            )
        original = getattr(error, "orig", None) or error
        said = self.secrets.hidden(_sentence(original))
        state = str(getattr(original, "sqlstate", None) or "")
        code = original.args[0] if original.args and isinstance(original.args[0], int) else 0
        if state.startswith("28") or code in (1044, 1045, 1698) or "password authentication failed" in said:
            fix = "Check user and password; the password comes from the environment"
            return JobError(f"database '{name}' refuses the login: {said}", where=where, fix=fix)
        if state == "57014" or code in (1969, 3024):
            fix = "Narrow the query, or give the database more `seconds` in gonnet.yaml"
            return UnreachableError(f"database '{name}' took longer than {database.seconds} s", where=where, fix=fix)
        lost = isinstance(error, DBAPIError) and error.connection_invalidated
        if rows is None or lost or code in (2003, 2006, 2013) or state.startswith(("08", "57P")):
            when = "cannot be reached" if rows is None else f"went away after {rows:,} rows"
            fix = "Nothing was prepared; check that it runs, then run it again"
            return UnreachableError(f"database '{name}' {when}: {said}", where=where, fix=fix)
        return DataError(f"database '{name}' refuses the query: {said}", where=where, fix="Correct the SQL")


def parametrised(spec: DatabaseDataSet, values: Mapping[str, object], where: str) -> tuple[str, tuple[str, ...]]:
    """The query as SQLAlchemy writes parameters, and their names.

    Raises:
        DataError: it names a parameter that is not there.
    """
    statement, names = bound(spec.sql.strip().rstrip(";"), lambda name: f":{name}", colon=r"\:")
    unknown = [name for name in names if name not in values]
    if unknown:
        known = ", ".join(f"${name}" for name in sorted(values)) or "none"
        raise DataError(f"unknown parameter ${unknown[0]}", where=where, fix=f"Parameters of this job: {known}")
    return statement, names


def statement_of(sql: str, names: Sequence[str], values: Mapping[str, object]) -> TextClause:
    """The statement; a parameter of several values stands for the list behind `in`."""
    several: list[BindParameter[object]] = [
        bindparam(name, expanding=True) for name in names if isinstance(values[name], list)
    ]
    return text(sql).bindparams(*several)


def bindable(connection: Connection, names: Sequence[str], values: Mapping[str, object]) -> dict[str, object]:
    """The values as the driver takes them: SQLite's knows neither decimals nor dates."""
    if connection.dialect.name != "sqlite":
        return {name: values[name] for name in names}
    return {name: _for_sqlite(values[name]) for name in names}


def _for_sqlite(value: object) -> object:
    match value:
        case Decimal():
            return int(value) if value == value.to_integral_value() else float(value)
        case dt.date():
            return value.isoformat()
        case list():
            return [_for_sqlite(part) for part in value]
        case _:
            return value


def _sentence(error: BaseException) -> str:
    """The first line of what a driver says, without its numbers."""
    parts = error.args[1] if len(error.args) > 1 and isinstance(error.args[0], int) else str(error)
    lines = [line.strip() for line in str(parts).splitlines() if line.strip()]
    return re.sub(r"^\w+(\.\w+)*Error: ", "", lines[0]).rstrip(".") if lines else type(error).__name__


def _missing_driver(url: URL, error: ModuleNotFoundError, where: str) -> JobError:
    extra = _EXTRAS.get(error.name or "")
    fix = f"Install it: pip install '{extra}'" if extra else f"Install the driver: pip install {error.name}"
    return JobError(f"the driver for {url.get_backend_name()} is not installed", where=where, fix=fix)


def _connect_args(url: URL, seconds: int) -> dict[str, Any]:
    match url.get_backend_name():
        case "postgresql":
            alive = {"keepalives": 1, "keepalives_idle": 30, "keepalives_interval": 10, "keepalives_count": 3}
            return {"connect_timeout": 15, "tcp_user_timeout": seconds * 1000, **alive}
        case "mysql":
            limits = {"read_timeout": seconds + 5, "write_timeout": seconds + 5}
            return {"connect_timeout": 15, **limits, "charset": "utf8mb4"}
        case "sqlite":
            return {"timeout": min(seconds, 60)}
        case _:
            return {}


def snapshot(connection: Connection, seconds: int, shared: str | None = None) -> Connection:
    """Begin a transaction that reads only and sees one state throughout: the shared one, where there is one."""
    match connection.dialect.name:
        case "postgresql":
            connection = connection.execution_options(isolation_level="REPEATABLE READ", postgresql_readonly=True)
            if shared is not None:
                connection.exec_driver_sql(f"set transaction snapshot '{shared}'")
            connection.exec_driver_sql(f"set local statement_timeout = {seconds * 1000}")
            return connection
        case "mysql" | "mariadb":
            connection = connection.execution_options(isolation_level="AUTOCOMMIT")
            if connection.dialect.is_mariadb:  # type: ignore[attr-defined]
                connection.exec_driver_sql(f"set session max_statement_time={seconds}")
            else:
                connection.exec_driver_sql(f"set session max_execution_time={seconds * 1000}")
            connection.exec_driver_sql("set session time_zone = '+00:00'")
            connection.exec_driver_sql("set session transaction isolation level repeatable read")
            connection.exec_driver_sql("start transaction with consistent snapshot, read only")
            return connection
        case _:
            return connection


def _copied(
    engine: Engine,
    target: Target,
    connection: Connection,
    spec: DatabaseDataSet,
    database: Database,
    values: Mapping[str, object],
    listening: Listening,
) -> bool:
    """Whether the quick way out of PostgreSQL could be taken."""
    driver: Any = connection.connection.driver_connection
    try:
        columns = copied(engine, target, driver, spec.sql.strip().rstrip(";"), values, database.max_rows, listening)
    except _driver_errors() as error:
        raise DBAPIError.instance(  # told like any other failure
            spec.sql, {}, error, _driver_errors(), connection_invalidated=bool(driver.closed)
        ) from error
    if columns is not None and engine.count(target.name) > database.max_rows:
        raise _too_many(database.max_rows, target)
    return columns is not None


def _driver_errors() -> type[Exception]:
    """What PostgreSQL's driver raises."""
    import psycopg

    return psycopg.Error


def _too_many(most: int, target: Target) -> DataError:
    fix = "Narrow the query, or raise `max_rows` of the database in gonnet.yaml"
    return DataError(f"the query gives more than {most:,} rows", where=target.where, fix=fix)


def _require_distinct(columns: Sequence[str], target: Target) -> None:
    seen: set[str] = set()
    for column in columns:
        if column.casefold() in seen:
            fix = "Give one of them another name with `as`"
            raise DataError(f"the query gives two columns called '{column}'", where=target.where, fix=fix)
        seen.add(column.casefold())


def declared(connection: Connection, result: CursorResult[Any]) -> dict[str, Hint]:
    """Column → what the server says of it; nothing where it does not say."""
    known = {"postgresql": _POSTGRESQL, "mysql": _MYSQL, "mariadb": _MYSQL}.get(connection.dialect.name)
    cursor = result.cursor
    if known is None or cursor is None:
        return {}
    return {str(column[0]): known.get(int(str(column[1])), Hint.TEXT) for column in cursor.description}


def mended(connection: Connection, result: CursorResult[Any]) -> Callable[[Sequence[object]], Sequence[object]] | None:
    """What makes a row of the driver what its columns mean; None where rows are right as they come.

    Texts of a fixed width come filled up with blanks (PostgreSQL); moments come without their zone, which is that of
    the session, UTC (MariaDB, MySQL).
    """
    described = getattr(result.cursor, "description", None) or ()  # none for what gives no rows
    codes = [(at, column[1]) for at, column in enumerate(described)]
    server = connection.dialect.name
    padded = {at for at, code in codes if server == "postgresql" and code == _CHAR}
    moments = {at for at, code in codes if server in ("mysql", "mariadb") and code == _STAMP}
    if not padded and not moments:
        return None

    def mend(row: Sequence[object]) -> Sequence[object]:
        return [
            value.rstrip(" ")
            if at in padded and isinstance(value, str)
            else value.replace(tzinfo=dt.UTC)
            if at in moments and isinstance(value, dt.datetime)
            else value
            for at, value in enumerate(row)
        ]

    return mend


def _batches(
    connection: Connection, result: CursorResult[Any], size: int, most: int, target: Target, listening: Listening
) -> Iterator[Sequence[Sequence[object]]]:
    mend, count = mended(connection, result), 0
    for batch in result.partitions(size):
        listening.heard()
        count += len(batch)
        if count > most:
            raise _too_many(most, target)
        yield [mend(row) for row in batch] if mend else batch
        listening.heard()  # what is done with a batch is not the server's time
