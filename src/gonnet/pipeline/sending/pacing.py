"""The pace at which messages leave: over a server, over each of its connections, and to each domain."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from gonnet.jobs.services import PerMinute

Take = Callable[[str, float], float]
"""Takes the next turn of a name, with so many seconds between two; how long to wait for it, in seconds."""


class Pace:
    """The pace of one connection: lets so many messages go in a minute, evenly.

    Args:
        per_minute: How many; None for as many as can be.
        sleep: Waits so many seconds.
    """

    def __init__(self, per_minute: int | None, sleep: Callable[[float], None] = time.sleep) -> None:
        self._gap = 60 / per_minute if per_minute else 0.0
        self._lock, self._sleep = threading.Lock(), sleep
        self._next = 0.0

    def wait(self, now: Callable[[], float] = time.monotonic) -> None:
        """Wait until the next message may go."""
        if not self._gap:
            return
        with self._lock:
            mine = max(self._next, now())
            self._next = mine + self._gap
        self._sleep(max(0.0, mine - now()))


class Paces:
    """All the paces of one server; what holds over it and to a domain holds over all sends at the same time.

    Args:
        name: The server's.
        spec: What the workspace says of them.
        take: Takes a turn among all who send.
        sleep: Waits so many seconds.
    """

    def __init__(self, name: str, spec: PerMinute, take: Take, sleep: Callable[[float], None] = time.sleep) -> None:
        self._name, self._spec, self._take, self._sleep = name, spec, take, sleep

    def lane(self) -> Pace:
        """The pace of one more connection."""
        return Pace(self._spec.connection, self._sleep)

    def wait(self, address: str, lane: Pace) -> None:
        """Wait until a message to an address may go over a connection."""
        domain = address.rpartition("@")[2].casefold()
        self._turn(f"{self._name} {domain}", self._spec.of_domain(domain))
        lane.wait()
        self._turn(self._name, self._spec.over_all)

    def _turn(self, name: str, per_minute: int | None) -> None:
        if per_minute and (seconds := self._take(name, 60 / per_minute)):
            self._sleep(seconds)
