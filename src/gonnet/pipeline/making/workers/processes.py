"""Processes that share the work of a run, and end with the one that started them."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import forkserver
from typing import ParamSpec, TypeVar

from gonnet.errors import StorageError

P = ParamSpec("P")
R = TypeVar("R")

_ENDINGS = [getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name)]
_LOADING = 3.0  # seconds that a process takes to load the program, at most
_WORTH_SPREADING = 6  # of what is shared out; below, starting processes takes longer
_WORTH_A_POOL = 40  # packages; below, starting processes takes longer than drawing


def local_executor(packages: int, processes: int | None = None) -> Executor:
    """A process pool where that is worth it, else this process."""
    count = processes or os.cpu_count() or 1
    if count == 1 or (processes is None and packages < _WORTH_A_POOL):
        return Inline()
    # Not fork: DuckDB has started threads by now.
    method = "forkserver" if "forkserver" in multiprocessing.get_all_start_methods() else "spawn"
    context = multiprocessing.get_context(method)
    if method == "forkserver":
        context.set_forkserver_preload(["gonnet.pipeline.making.produce"])  # loaded once for all processes
        with _unheard():
            forkserver.ensure_running()  # it loads while this process goes on
    return ProcessPoolExecutor(max_workers=count, mp_context=context, initializer=_settle_in)


@contextmanager
def _unheard() -> Iterator[None]:
    """What is started in the block does not hear of interrupts, which are for this process; nor does that meanwhile."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _settle_in() -> None:
    """Leave interrupts to the parent, and do not outlive it: a pool's processes would wait for work for ever."""
    for number in _ENDINGS:
        signal.signal(number, signal.SIG_IGN if number != signal.SIGTERM else signal.SIG_DFL)
    threading.Thread(target=_end_with_the_parent, daemon=True).start()


def _end_with_the_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)


def spread(
    executor: Callable[[int], Executor], do: Callable[[int, int], R], firsts: Sequence[int], lasts: Sequence[int]
) -> Iterator[R]:
    """What is done for each first and its last, in order, by processes where there are enough of them.

    While they load the program, this process does the first of it.

    Raises:
        StorageError: a process died.
    """
    if len(firsts) < _WORTH_SPREADING:
        yield from map(do, firsts, lasts)
        return
    loaded = time.monotonic() + min(time.process_time(), _LOADING)  # they take about as long as this process did
    try:
        with executor(_WORTH_A_POOL * len(firsts)) as pool:
            done = 0
            for first, last in zip(firsts, lasts, strict=True):
                if time.monotonic() > loaded:
                    break
                yield do(first, last)
                done += 1
            with uninterrupted():
                found = pool.map(do, firsts[done:], lasts[done:])
            yield from found
    except BrokenExecutor as error:
        raise StorageError(
            "a process that reads pages died", fix="There may not be enough memory; run it again"
        ) from error


@contextmanager
def uninterrupted() -> Iterator[None]:
    """Let who asks for an end wait for the end of the block: a process that is half started would outlive it.

    Raises:
        KeyboardInterrupt: afterwards, where somebody asked.
    """
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    asked: list[int] = []
    heeded = [number for number in _ENDINGS if signal.getsignal(number) not in (signal.SIG_IGN, signal.SIG_DFL, None)]
    before = {number: signal.signal(number, lambda number, _frame: asked.append(number)) for number in heeded}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
    for number in asked[:1]:
        signal.raise_signal(number)


class Inline(Executor):
    """An executor that does the work at once, in this process."""

    def submit(self, fn: Callable[P, R], /, *args: P.args, **kwargs: P.kwargs) -> Future[R]:
        """Do it; what goes wrong is raised by the future, as it would be from a pool."""
        future: Future[R] = Future()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:  # noqa: BLE001  an executor hands every failure to its future
            future.set_exception(error)
        return future
