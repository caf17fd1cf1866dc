"""What a run works with: nothing is global, everything is handed in."""

from __future__ import annotations

import datetime as dt
import multiprocessing
import os
import signal
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, ParamSpec, TypeVar

from gonnet.jobs import Job, Workspace
from gonnet.ledger import Ledger, Store
from gonnet.pipeline.log import Log

if TYPE_CHECKING:
    from gonnet.data import Calendar
    from gonnet.reports import Look

P = ParamSpec("P")
R = TypeVar("R")

_WORTH_A_POOL = 40  # packages; below, starting processes takes longer than drawing

Progress = Callable[[int, int], None]
"""Called with the number of packages done and the number there are."""


def no_progress(_done: int, _total: int) -> None:
    """Tell nobody."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Tools:
    """The tools of a run.

    Attributes:
        workspace: Where it happens.
        ledger: Its record.
        store: Its rendered files.
        clock: Gives the time with zone.
        executor: Gives an executor for a number of packages; any `concurrent.futures` executor will do, as long as
            its workers see the workspace's folder.
        log: What happens, for machines.
        sleep: Waits so many seconds.
    """

    workspace: Workspace
    ledger: Ledger
    store: Store
    clock: Callable[[], dt.datetime]
    executor: Callable[[int], Executor]
    log: Log
    sleep: Callable[[float], None] = time.sleep

    def look(self, job: Job) -> Look:
        """The house style, as the job changes it.

        Raises:
            JobError: a file that it names cannot be used.
        """
        from gonnet.reports.looks import look_of  # drawing is not loaded by commands that only look things up

        return look_of(job, self.workspace)

    @property
    def calendar(self) -> Calendar:
        """How periods are counted and called."""
        from gonnet.data import Calendar

        return Calendar(locale=self.workspace.house.locale, year_begins=self.workspace.file.year_begins)

    def today(self) -> dt.date:
        """The date in the workspace's time zone."""
        return self.clock().astimezone(self.workspace.zone).date()

    @property
    def work_folder(self) -> Path:
        """Where a run keeps what it needs only while it is made."""
        return self.workspace.kept / "making"


@contextmanager
def open_tools(workspace: Workspace, processes: int | None = None) -> Iterator[Tools]:
    """The ordinary tools of a workspace.

    Args:
        workspace: The workspace.
        processes: How many processes draw; None for one per core.

    Raises:
        StorageError: the ledger cannot be opened.
    """

    def clock() -> dt.datetime:
        return dt.datetime.now().astimezone()

    ledger = Ledger(workspace.kept, clock)
    try:
        yield Tools(
            workspace=workspace,
            ledger=ledger,
            store=Store(workspace.kept / "store"),
            clock=clock,
            executor=lambda packages: local_executor(packages, processes),
            log=Log(workspace.folder / workspace.file.log if workspace.file.log else None, clock),
        )
    finally:
        ledger.close()


def local_executor(packages: int, processes: int | None = None) -> Executor:
    """A process pool where that is worth it, else this process."""
    count = processes or os.cpu_count() or 1
    if count == 1 or (processes is None and packages < _WORTH_A_POOL):
        return Inline()
    # Not fork: DuckDB has started threads by now.
    method = "forkserver" if "forkserver" in multiprocessing.get_all_start_methods() else "spawn"
    context = multiprocessing.get_context(method)
    context.set_forkserver_preload(["gonnet.pipeline.produce"])  # loaded once for all processes
    return ProcessPoolExecutor(max_workers=count, mp_context=context, initializer=_leave_interrupts_to_the_parent)


def _leave_interrupts_to_the_parent() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)


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
