"""The log for machines: a line of JSON for each thing that happens, with numbers that the ledger can be asked about.

No line has a name, a key, an address or a figure: a log is read by more people than a ledger.
"""

from __future__ import annotations

import datetime as dt
import json
import threading
from collections.abc import Callable
from pathlib import Path


class Log:
    """Appends to a file; a line that cannot be written is missed, and said to be, but stops nothing.

    Args:
        place: The file; None for no log.
        clock: Gives the time with zone.

    Attributes:
        trouble: Why a line could not be written, or None.
    """

    def __init__(self, place: Path | None, clock: Callable[[], dt.datetime]) -> None:
        self.place, self._clock = place, clock
        self._lock = threading.Lock()
        self.trouble: str | None = None

    def say(self, event: str, **parts: str | int | float | bool | None) -> None:
        """Write a line: when, what, and identifiers or counts."""
        if self.place is None:
            return
        at = self._clock().astimezone(dt.UTC).isoformat(timespec="milliseconds")
        line = json.dumps({"at": at, "event": event, **parts}, ensure_ascii=False)
        try:
            with self._lock:
                self.place.parent.mkdir(parents=True, exist_ok=True)
                with self.place.open("a", encoding="utf-8") as file:
                    file.write(line + "\n")
        except OSError as error:
            self.trouble = f"the log {self.place} cannot be written: {error.strerror}"
