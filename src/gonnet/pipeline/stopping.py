"""Ending a send before its last package, without a doubt: what is under way is finished, and nothing more is begun."""

from __future__ import annotations

import time

_SLICE = 0.2  # seconds


class Stop:
    """Whether somebody asked for an end.

    It is asked for by a signal, in the middle of anything: so it takes no lock, and who waits looks again and again.

    Attributes:
        asked: Whether it was asked for.
    """

    def __init__(self) -> None:
        self.asked = False

    def ask(self) -> None:
        """Ask for it."""
        self.asked = True

    def sleep(self, seconds: float) -> None:
        """Wait so many seconds, or until it is asked for."""
        end = time.monotonic() + seconds
        while not self.asked and (left := end - time.monotonic()) > 0:
            time.sleep(min(left, _SLICE))
