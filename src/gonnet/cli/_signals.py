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

_ENDINGS = (signal.SIGINT, signal.SIGTERM, *((signal.SIGHUP,) if hasattr(signal, "SIGHUP") else ()))
_TOLD = b"\nStopping once what is under way is answered. Ctrl-C again stops at once, and leaves that unsure.\n"


def _heeded() -> list[signal.Signals]:
    """Those that nobody asked to be ignored, as `nohup` does."""
    return [number for number in _ENDINGS if signal.getsignal(number) is not signal.SIG_IGN]


def end_in_order() -> None:
    """Let each of them end the program as Ctrl-C does: what is half done is cleared away."""
    for number in _heeded():
        signal.signal(number, signal.default_int_handler)


@contextmanager
def ending(stop: Stop) -> Iterator[None]:
    """Let the first of them ask for an end; the second raises KeyboardInterrupt wherever the program is."""

    def ask(_number: int, _frame: FrameType | None) -> None:
        stop.ask()
        end_in_order()
        os.write(2, _TOLD)  # nothing that keeps a buffer: it may be in the middle of writing

    before = {number: signal.signal(number, ask) for number in _heeded()}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
