"""Ending what a database leaves hanging: a server, or what lies between, that keeps a connection and says nothing.

The server's own limit of time does not help there, and neither does the system's: it sees a connection that lives.
"""

from __future__ import annotations

import contextlib
import os
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Connection
from sqlalchemy.exc import SQLAlchemyError

from gonnet.errors import UnreachableError

_GRACE = 5  # seconds that the server has to tell by itself that a query takes too long
_LOOK = 0.2  # seconds between two looks


@contextmanager
def ended_when_stalled(connection: Connection, name: str, seconds: int, where: str) -> Iterator[Listening]:
    """End the connection when nothing was heard for so long; yields what is told whenever something was.

    Args:
        connection: To PostgreSQL; drivers of other servers have limits of their own, and nothing is done.
        name: What the workspace calls the database.
        seconds: How long a query may take.
        where: What to name in an error.

    Raises:
        UnreachableError: nothing was heard.
    """
    if connection.dialect.name != "postgresql":
        yield Listening()
        return
    watchdog = _Watchdog(connection, seconds + _GRACE)
    try:
        yield watchdog
    except SQLAlchemyError as error:
        if not watchdog.expired:
            raise
        what = f"database '{name}' said nothing for {seconds} s"
        fix = "Check that it runs and what lies between, or give it more `seconds` in gonnet.yaml; then run it again"
        raise UnreachableError(what, where=where, fix=fix) from error
    finally:
        watchdog.stop()


class Listening:
    """Told how a conversation goes."""

    def heard(self) -> None:
        """Something came, or the server is asked for more."""

    def stop(self) -> None:
        """The server is asked for nothing more."""


class _Watchdog(Listening):
    """Looks from a thread of its own."""

    def __init__(self, connection: Connection, seconds: float) -> None:
        self._number = connection.connection.driver_connection.pgconn.socket  # type: ignore[union-attr]
        self._seconds, self._last = seconds, time.monotonic()
        self._over = threading.Event()
        self.expired = False
        threading.Thread(target=self._look, daemon=True).start()

    def heard(self) -> None:
        self._last = time.monotonic()

    def stop(self) -> None:
        self._over.set()

    def _look(self) -> None:
        while not self._over.wait(_LOOK):
            if time.monotonic() - self._last > self._seconds:
                self.expired = True
                with contextlib.suppress(OSError), socket.socket(fileno=os.dup(self._number)) as line:
                    line.shutdown(socket.SHUT_RDWR)  # who waits for the server is told at once
                return
