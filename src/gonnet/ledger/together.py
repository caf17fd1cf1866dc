"""Transactions that several threads share: what they write at the same time is committed at once.

A commit waits for the disk, and a SQLite database takes one after the other. With a transaction for each thread, ten
connections to a mail server would wait for each other's; so whoever finds the database free writes for all who wait
(group commit). Nobody goes on before what they wrote is on the disk.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from sqlalchemy import Connection, Engine

R = TypeVar("R")


@dataclass(slots=True)
class _Job:
    write: Callable[[Connection], Any]
    done: bool = False
    result: Any = None
    error: BaseException | None = None


class Together:
    """Writes for several threads over one connection.

    Args:
        engine: The database.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._link: Connection | None = None
        self._waiting: list[_Job] = []
        self._list, self._turn = threading.Lock(), threading.Lock()

    def run(self, write: Callable[[Connection], R]) -> R:
        """What `write` returns, once it is committed. It may be called again, where another's failed beside it.

        Raises:
            SQLAlchemyError: the database cannot be written; nothing of it is.
        """
        job = _Job(write)
        with self._list:
            self._waiting.append(job)
        with self._turn:
            while not job.done:
                with self._list:
                    batch, self._waiting = self._waiting, []
                self._commit(batch, job)
        if job.error is not None:
            raise job.error
        return job.result  # type: ignore[no-any-return]

    def _commit(self, batch: list[_Job], own: _Job) -> None:
        failing = own
        try:
            if self._link is None:
                self._link = self._engine.connect()
            with self._link.begin():
                for failing in batch:
                    failing.result = failing.write(self._link)
                failing = own  # a commit that fails is told by whoever does it
        except BaseException as error:  # noqa: BLE001  raised again by whose work it was
            failing.error, failing.done = error, True
            with self._list:  # the others try once more
                self._waiting[:0] = [job for job in batch if job is not failing]
            return
        for job in batch:
            job.done = True

    def close(self) -> None:
        """Give the connection back."""
        with self._turn:
            if self._link is not None:
                self._link.close()
                self._link = None
