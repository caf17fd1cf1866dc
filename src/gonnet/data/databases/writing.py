"""Writing to a database: one statement with bound values for each of many things, in one transaction a batch."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from gonnet.data.databases.binding import bound
from gonnet.data.databases.connections import Databases, bindable
from gonnet.data.databases.stalling import ended_when_stalled
from gonnet.errors import DataError
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database


def require_names(sql: str, known: Sequence[str], where: str) -> None:
    """Refuse a statement that names a value which there is not.

    Raises:
        DataError: names it, and those that there are.
    """
    unknown = [name for name in names_in_statement(sql) if name not in known]
    if unknown:
        fix = f"There are {', '.join(f'${name}' for name in known)}"
        raise DataError(f"unknown value ${unknown[0]}", where=where, fix=fix)


def names_in_statement(sql: str) -> tuple[str, ...]:
    """The values that a statement names, in order."""
    return tuple(bound(sql, lambda name: f":{name}")[1])


def write(
    sql: str,
    lines: Sequence[Mapping[str, object]],
    place: tuple[str, Database],
    secrets: Secrets,
    folder: Path,
    where: str,
) -> None:
    """Run a statement once for each line, in one transaction: all of them are written, or none is.

    Args:
        sql: The statement; `$name` stands for a value of the line.
        lines: Name → value, each with the same names.
        place: Name and settings of the database.
        secrets: Where passwords come from.
        folder: The workspace, from which the file of a SQLite database counts.
        where: What to name in an error.

    Raises:
        JobError: the driver is missing, or the password is refused.
        DataError: the database refuses the statement.
        UnreachableError: it is not there, or went away.
    """
    databases = Databases(secrets, folder)
    name, database = place
    engine = databases.pool(name, database, where, 1, writes=True)
    statement, names = bound(sql.strip().rstrip(";"), lambda name: f":{name}", colon=r"\:")
    try:
        with (
            engine.connect() as connection,
            ended_when_stalled(connection, name, database.seconds, where),
            connection.begin(),
        ):
            connection.execute(text(statement), [bindable(connection, names, line) for line in lines])
    except SQLAlchemyError as error:
        raise databases.explained(error, name, database, where, 0) from error
    finally:
        engine.dispose()
