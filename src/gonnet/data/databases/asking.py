"""One value of a database, asked for by itself."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from gonnet.data.databases.connections import Databases
from gonnet.data.databases.stalling import ended_when_stalled
from gonnet.errors import DataError
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database


def one_value(sql: str, name: str, database: Database, secrets: Secrets, folder: Path, where: str) -> str | None:
    """The one value of a question, as text; None where it is empty.

    Args:
        sql: The question.
        name: What the workspace calls the database.
        database: The database.
        secrets: Where passwords come from.
        folder: The workspace.
        where: What to name in an error.

    Raises:
        DataError: the question does not run, or has not one row with one value.
        UnreachableError: the server is not there.
    """
    with closing(Databases(secrets, folder)) as databases:
        connection = databases.connection(name, database, where)
        try:
            with ended_when_stalled(connection, name, database.seconds, where):
                rows = connection.execute(text(sql)).fetchmany(2)
        except SQLAlchemyError as error:
            raise databases.explained(error, name, database, where, 0) from error
    if len(rows) != 1 or len(rows[0]) != 1:
        raise DataError(
            "this question must have one row with one value", where=where, fix="Ask for one, such as max(…)"
        )
    return None if rows[0][0] is None else str(rows[0][0])
