"""The pace at which messages leave: over a server, over each of its connections, and to each domain."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from gonnet.jobs.services import PerMinute


class Pace:
    """Lets so many messages go in a minute, evenly.

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
    """All the paces of one server.

    Args:
        spec: What the workspace says of them.
        sleep: Waits so many seconds.
    """

    def __init__(self, spec: PerMinute, sleep: Callable[[float], None] = time.sleep) -> None:
        self._spec, self._sleep = spec, sleep
        self._all = Pace(spec.over_all, sleep)
        self._lock = threading.Lock()
        self._domains: dict[str, Pace] = {}

    def lane(self) -> Pace:
        """The pace of one more connection."""
        return Pace(self._spec.connection, self._sleep)

    def wait(self, address: str, lane: Pace) -> None:
        """Wait until a message to an address may go over a connection."""
        domain = address.rpartition("@")[2].casefold()
        with self._lock:
            if domain not in self._domains:
                self._domains[domain] = Pace(self._spec.of_domain(domain), self._sleep)
            to_domain = self._domains[domain]
        to_domain.wait()
        lane.wait()
        self._all.wait()
