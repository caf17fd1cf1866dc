"""Staying: the rounds as a service in the foreground, which says to systemd that it is ready and alive (sd_notify)."""

from __future__ import annotations

import contextlib
import os
import socket
import threading
from collections.abc import Callable, Iterator

from gonnet.pipeline.due.calendars import Calendars
from gonnet.pipeline.due.rounds import Beginning, Told, go_round, wait_for_next


def stay(calendars: Calendars, begin: Beginning, tell: Told, trouble: Callable[[str], None]) -> None:
    """Go round again and again, until an end is asked for.

    Raises:
        JobError: the workspace's holidays are not known.
        StorageError: the ledger cannot be written.
    """
    stop = calendars.tools.stop
    told: set[str] = set()
    with watched() as say:
        say("READY=1")
        while not stop.asked:
            say("STATUS=Looking at what is due")
            found = go_round(calendars, begin, tell)
            troubles = set(found.troubles)
            for text in (
                *sorted(troubles - told),
                *(f"{one.notice.subject}\n{one.notice.text}" for one in found.unheard),
            ):
                trouble(text)
            told = troubles
            say("STATUS=Waiting")
            if not stop.asked:
                wait_for_next(calendars)
        say("STOPPING=1")


@contextlib.contextmanager
def watched() -> Iterator[Callable[[str], None]]:
    """Say to the system's service manager how it stands, where it asks for that, and that it is alive.

    The protocol of sd_notify(3): datagrams to the socket named in NOTIFY_SOCKET; `WATCHDOG=1` in half of the time that
    WATCHDOG_USEC allows.
    """
    seconds = _patience()
    over = threading.Event()

    def ping() -> None:
        while not over.wait(seconds / 2):
            notify("WATCHDOG=1")

    thread = threading.Thread(target=ping, daemon=True)
    if seconds:
        thread.start()
    try:
        yield notify
    finally:
        over.set()


def _patience() -> float:
    """In how many seconds the service manager wants to hear something; 0 where it does not."""
    mine = os.environ.get("WATCHDOG_PID", str(os.getpid())) == str(os.getpid())
    value = os.environ.get("WATCHDOG_USEC", "")
    return int(value) / 1e6 if mine and value.isdecimal() else 0.0


def notify(text: str) -> None:
    """Say something to the service manager, where there is one."""
    place = os.environ.get("NOTIFY_SOCKET", "")
    if not place or not hasattr(socket, "AF_UNIX"):
        return
    address = "\0" + place[1:] if place.startswith("@") else place
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as line:
        line.setblocking(False)  # a manager that does not listen holds nobody up
        line.sendto(text.encode("utf-8"), address)
