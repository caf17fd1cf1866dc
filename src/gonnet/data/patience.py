"""Ending statements that take too long: one thread watches over all of them, and sleeps as long as none does."""

from __future__ import annotations

import itertools
import math
import os
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Protocol


class Interruptible(Protocol):
    """What runs a statement."""

    def interrupt(self) -> None:
        """End the statement that it runs."""


class Watcher:
    """Watches over statements, whoever runs them."""

    def __init__(self) -> None:
        self._numbers = itertools.count()
        self._running: dict[int, tuple[float, Interruptible]] = {}
        self._changed = threading.Condition()
        self._wakes = math.inf  # when the thread looks again by itself
        self._thread: threading.Thread | None = None

    @contextmanager
    def over(self, connection: Interruptible, seconds: float) -> Iterator[None]:
        """Interrupt the connection where what is done meanwhile takes longer; never afterwards."""
        number, end = next(self._numbers), time.monotonic() + seconds
        with self._changed:
            self._running[number] = end, connection
            if self._thread is None:
                self._thread = threading.Thread(target=self._watch, name="statements", daemon=True)
                self._thread.start()
            elif end < self._wakes:
                self._changed.notify()
        try:
            yield
        finally:
            with self._changed:
                self._running.pop(number, None)

    def _watch(self) -> None:
        with self._changed:
            while True:
                now = time.monotonic()
                for number, (end, connection) in list(self._running.items()):
                    if end <= now:
                        del self._running[number]
                        connection.interrupt()
                self._wakes = min((end for end, _ in self._running.values()), default=math.inf)
                self._changed.wait(None if self._wakes == math.inf else self._wakes - now)


WATCHER = Watcher()
if hasattr(os, "register_at_fork"):  # the thread stays with the parent
    os.register_at_fork(after_in_child=WATCHER.__init__)  # type: ignore[misc]
