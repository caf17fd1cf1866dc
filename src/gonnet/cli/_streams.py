"""Output that cannot break a command: readers that go away, closed streams, terminals with few characters."""

from __future__ import annotations

import contextlib
import io
import os
import sys
from typing import Any, TextIO


class _Patient:
    """A stream that is written to as long as somebody reads it; what nobody reads any longer is dropped.

    Args:
        stream: The stream.
    """

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream

    def write(self, text: str) -> int:
        """Write, or drop it."""
        try:
            return self._stream.write(text)
        except (OSError, ValueError):  # the reader went away, or the stream was closed
            self._drop()
            return len(text)

    def flush(self) -> None:
        """Flush, or drop it."""
        try:
            self._stream.flush()
        except (OSError, ValueError):
            self._drop()

    def _drop(self) -> None:
        """Let everything after this go nowhere, and what is still in the buffer too."""
        with contextlib.suppress(OSError, ValueError):
            nowhere = os.open(os.devnull, os.O_WRONLY)
            os.dup2(nowhere, self._stream.fileno())
            os.close(nowhere)

    def __getattr__(self, name: str) -> Any:  # noqa: ANN401  whatever the stream has
        return getattr(self._stream, name)


def make_steady() -> None:
    """Make standard output and standard error such streams."""
    for name in ("stdout", "stderr"):
        stream = getattr(sys, name)
        if stream is None:
            stream = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115, PTH123  open as long as the program
        if isinstance(stream, io.TextIOWrapper):
            with contextlib.suppress(OSError, ValueError):
                stream.reconfigure(errors="replace")
        setattr(sys, name, _Patient(stream))
