"""What a run works with: nothing is global, everything is handed in."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from concurrent.futures import Executor
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet.errors import JobError
from gonnet.jobs import Job, Workspace
from gonnet.ledger import FolderStore, Ledger, Store
from gonnet.person import acting
from gonnet.pipeline.log import Log
from gonnet.pipeline.making.workers.processes import local_executor
from gonnet.pipeline.seal import Seals
from gonnet.pipeline.stopping import Stop
from gonnet.scratch import sweep

if TYPE_CHECKING:
    from gonnet.data import Periods
    from gonnet.data.databases.connections import Pool
    from gonnet.pipeline.sending.protecting import Protection
    from gonnet.reports import Look

Clock = Callable[[], dt.datetime]
Progress = Callable[[int, int], None]
"""Called with the number of packages done and the number there are."""


_CONNECTIONS = 16  # to a server that has the ledger: for threads that send, and for locks
_WORTH_A_CLUSTER = 200  # packages; fewer are drawn here, whether the cluster runs or not


def no_progress(_done: int, _total: int) -> None:
    """Tell nobody."""


@dataclass(frozen=True, kw_only=True)
class Tools:
    """The tools of a run.

    Attributes:
        workspace: Where it happens.
        ledger: Its record.
        store: Its rendered files.
        clock: Gives the time with zone.
        executor: Gives an executor for a number of packages; any `concurrent.futures` executor will do, as long as
            its workers see the workspace's folder.
        cluster: The address of a Dask scheduler whose workers draw; empty for this machine.
        cluster_from: How many packages a run has at least that they draw; fewer are drawn here.
        log: What happens, for machines.
        who: Who is at work, for the record.
        stop: By which somebody ends a send before its end; waits.
    """

    workspace: Workspace
    ledger: Ledger
    store: Store
    clock: Clock
    executor: Callable[[int], Executor]
    log: Log
    cluster: str = ""
    cluster_from: int = 1
    who: str = field(default_factory=acting)
    stop: Stop = field(default_factory=Stop)

    @cached_property
    def seals(self) -> Seals:
        """What packages are sealed with."""
        return Seals(self.workspace, self.ledger.home.seal_key)

    @cached_property
    def protection(self) -> Protection:
        """What messages are signed and encrypted with."""
        from gonnet.pipeline.sending.protecting import Protection  # few commands write messages

        return Protection(self.workspace, self.clock)

    def look(self, job: Job) -> Look:
        """The house style, as the job changes it.

        Raises:
            JobError: a file that it names cannot be used.
        """
        from gonnet.reports.plans.looks import look_of  # drawing is not loaded by commands that only look things up

        return look_of(job, self.workspace)

    @property
    def periods(self) -> Periods:
        """How periods are counted and called."""
        from gonnet.data import Periods

        return Periods(locale=self.workspace.house.locale, year_begins=self.workspace.file.year_begins)

    def today(self) -> dt.date:
        """The date in the workspace's time zone."""
        return self.clock().astimezone(self.workspace.zone).date()

    @property
    def work_folder(self) -> Path:
        """Where a run keeps what it needs only while it is made."""
        return self.workspace.kept / "making"


@contextmanager
def open_tools(
    workspace: Workspace,
    processes: int | None = None,
    clock: Clock = lambda: dt.datetime.now().astimezone(),
    cluster: str = "",
) -> Iterator[Tools]:
    """The ordinary tools of a workspace.

    Args:
        workspace: The workspace.
        processes: How many processes draw; None for one per core.
        clock: Gives the time with zone, to everything.
        cluster: The address of a Dask scheduler; as `gonnet.yaml` says when empty.

    Raises:
        StorageError: the ledger cannot be opened.
        JobError: the database in which it is cannot be used.
    """
    ledger, workers = Ledger(workspace.kept, clock, _server_of(workspace)), workspace.file.workers
    try:
        if ledger.is_writable:  # what processes that were killed left behind
            ledger.abort_dead()
            sweep(workspace.kept / "making")
        yield Tools(
            workspace=workspace,
            ledger=ledger,
            store=store_of(workspace),
            clock=clock,
            executor=lambda packages: local_executor(packages, processes),
            cluster=cluster or (workers.dask if workers is not None else ""),
            cluster_from=1 if cluster else _WORTH_A_CLUSTER,
            who=ledger.login or acting(),
            log=Log(workspace.folder / workspace.file.log if workspace.file.log else None, clock),
        )
    finally:
        ledger.close()


def store_of(workspace: Workspace) -> Store:
    """Where the rendered files of a workspace are."""
    spec = workspace.file.ledger.store
    if spec is None:
        return FolderStore(workspace.kept / "store")
    from gonnet.ledger.bucket import BucketStore  # few have one

    return BucketStore(spec, workspace.folder)


def _server_of(workspace: Workspace) -> Pool | None:
    """The database on a server in which the ledger is; None where it is a file of the workspace.

    Raises:
        JobError: there is no such database, or it is of another kind.
    """
    name, where = workspace.file.ledger.database, "gonnet.yaml, ledger.database"
    if name is None:
        return None
    from gonnet.data.databases.connections import Databases  # loads what reads data

    database = workspace.database(name, where)
    if not database.url.startswith("postgres"):
        what = f"the database '{name}' is not PostgreSQL"
        raise JobError(what, where=where, fix="Give the ledger a database of PostgreSQL, or leave `database` out")
    return Databases(workspace.secrets, workspace.folder).pool(name, database, where, _CONNECTIONS, writes=True)
