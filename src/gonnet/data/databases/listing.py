"""Which tables a database has."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from sqlalchemy import inspect
from sqlalchemy.exc import SQLAlchemyError

from gonnet.data.databases.connections import Databases
from gonnet.data.databases.stalling import ended_when_stalled
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database

_OWN = ("information_schema", "pg_catalog", "mysql", "performance_schema", "sys")


def tables(name: str, database: Database, secrets: Secrets, folder: Path) -> list[str]:
    """Tables and views, as SQL names them: those of the usual schema first, then those of others with their schema.

    Args:
        name: What the workspace calls the database.
        database: The database.
        secrets: Where passwords come from.
        folder: The workspace.

    Raises:
        JobError: the driver is missing or the login is refused.
        UnreachableError: the server is not there.
    """
    with closing(Databases(secrets, folder)) as databases:
        connection = databases.connection(name, database, name)
        try:
            with ended_when_stalled(connection, name, database.seconds, name):
                look = inspect(connection)
                usual = look.default_schema_name
                found = sorted([*look.get_table_names(), *look.get_view_names()])
                for schema in look.get_schema_names():
                    if schema != usual and schema not in _OWN and connection.dialect.name == "postgresql":
                        more = [*look.get_table_names(schema), *look.get_view_names(schema)]
                        found += [f"{schema}.{table}" for table in sorted(more)]
                return found
        except SQLAlchemyError as error:
            raise databases.explained(error, name, database, name, 0) from error
