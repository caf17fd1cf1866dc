"""A ledger on a PostgreSQL server, which several people and machines share.

What a file's locks do, advisory locks do here: the server gives them back when the connection that holds them ends,
whatever became of its process or machine. A hand-over is begun by one statement that changes its row or does not, so
even two that both believe to be alone never offer the same message twice.
"""

from __future__ import annotations

import hashlib
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from sqlalchemy import Connection, Engine, insert, inspect, select, text
from sqlalchemy.exc import SQLAlchemyError

from gonnet import __version__
from gonnet.errors import StorageError
from gonnet.ledger import schema
from gonnet.ledger.bases import Share
from gonnet.ledger.failures import storage_error
from gonnet.ledger.fellows import Fellow, keeps_watch
from gonnet.ledger.opening import stamp, upgrade
from gonnet.locks import HeldError

_OPENING = 0x476F6E6E6574  # the lock of whoever makes the tables, or brings them to a later form


class ServerBase:
    """A database on a server.

    Args:
        engine: It; with as many connections as are wanted at the same time.
        now: Gives the time, as it is written.

    Raises:
        StorageError: it cannot be reached or written, or a newer Gonnet wrote the ledger.
    """

    file: Path | None = None
    is_writable = True

    def __init__(self, engine: Engine, now: Callable[[], str]) -> None:
        self.engine = engine
        self.place = engine.url.render_as_string(hide_password=True).partition("?")[0]
        try:
            with engine.begin() as work:
                work.execute(text("select pg_advisory_xact_lock(:key)"), {"key": _OPENING})
                self._open(work, now)
                self.login = str(work.execute(text("select session_user")).scalar_one())
                self._identity = str(work.execute(select(schema.about.c.identity)).scalar_one())
        except SQLAlchemyError as error:
            raise storage_error(error, self.place) from error

    def _open(self, work: Connection, now: Callable[[], str]) -> None:
        names = set(inspect(work).get_table_names())
        if "about" not in names:
            if clash := sorted(names & set(schema.metadata.tables)):
                raise StorageError(
                    f"the database has tables of something else: {', '.join(clash)}",
                    where=self.place,
                    fix="Give the ledger a database or a schema of its own",
                )
            schema.metadata.create_all(work)
            values = {"version": schema.VERSION, "written_by": __version__, "identity": uuid.uuid4().hex, "home": ""}
            work.execute(insert(schema.about).values(**values, events=0, head="", sends=0))
            stamp(work, str(schema.VERSION))
            return
        version, writer = work.execute(select(schema.about.c.version, schema.about.c.written_by)).one()
        if version > schema.VERSION:
            raise StorageError(
                f"a newer Gonnet ({writer}) wrote the ledger: it has the form {version}, and Gonnet {__version__} "
                f"knows forms up to {schema.VERSION}",
                where=self.place,
                fix="Use that version. Nothing was changed",
            )
        if version < schema.VERSION:
            upgrade(work, version, now)

    @contextmanager
    def lock(self, name: str, *, keep: bool = True) -> Iterator[None]:
        """Hold an advisory lock on a connection of its own."""
        del keep  # nothing stays of one
        link = self.engine.connect().execution_options(isolation_level="AUTOCOMMIT")
        try:
            keeps_watch(link)
            if not link.execute(text("select pg_try_advisory_lock(:key)"), {"key": self._key(name)}).scalar():
                raise HeldError
            try:
                yield
            finally:
                with suppress(SQLAlchemyError):  # a connection that is lost has given it back
                    link.execute(text("select pg_advisory_unlock(:key)"), {"key": self._key(name)})
        finally:
            with suppress(SQLAlchemyError):
                link.close()

    @contextmanager
    def share(self, name: str, of: int) -> Iterator[Share]:
        """Hold an advisory lock with others, on a connection of its own."""
        link = self.engine.connect().execution_options(isolation_level="AUTOCOMMIT")
        try:
            keeps_watch(link)
            fellow = Fellow(link, self._key, name, of, self.place)
            try:
                yield fellow
            finally:
                fellow.end()
        finally:
            with suppress(SQLAlchemyError):
                link.close()

    def is_locked(self, name: str) -> bool:
        """Whether a connection holds it."""
        try:
            with self.lock(name):
                return False
        except HeldError:
            return True

    def _key(self, name: str) -> int:
        """The number of a lock: of this ledger's own, since a server has one set of numbers for each database."""
        digest = hashlib.sha256(f"{self._identity}\0{name}".encode()).digest()
        return int.from_bytes(digest[:8], "big", signed=True)

    @contextmanager
    def snapshot(self) -> Iterator[Connection]:
        """A transaction that reads one state."""
        with self.engine.connect().execution_options(isolation_level="REPEATABLE READ") as work:
            yield work

    def faults(self) -> list[str]:
        """Nothing: the server watches over its own files."""
        return []

    def clear(self) -> None:
        """Give back the room of what was overwritten; the server's log and its backups are its administrator's."""
        with self.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as work:
            for table in schema.metadata.sorted_tables:
                work.exec_driver_sql(f'vacuum full "{table.name}"')
