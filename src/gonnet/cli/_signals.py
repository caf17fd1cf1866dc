"""Ctrl-C, and the system's wish that the program ends."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gonnet.pipeline.stopping import Stop

_ENDINGS = (signal.SIGINT, signal.SIGTERM)
_TOLD = b"\nStopping once what is under way is answered. Ctrl-C again stops at once, and leaves that unsure.\n"


@contextmanager
def ending(stop: Stop) -> Iterator[None]:
    """Let the first of them ask for an end; the second raises KeyboardInterrupt wherever the program is."""

    def ask(_number: int, _frame: FrameType | None) -> None:
        stop.ask()
        for number in _ENDINGS:
            signal.signal(number, signal.default_int_handler)
        os.write(2, _TOLD)  # nothing that keeps a buffer: it may be in the middle of writing

    before = {number: signal.signal(number, ask) for number in _ENDINGS}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
