"""Making packages on a Dask cluster: workers get the kit once and batches of orders, and hand nothing over.

A worker that sees the store of the run keeps its files there; from one that does not, they come back over the wire. A
batch whose worker is gone is made again by another one: the same orders give the same bytes.
"""

from __future__ import annotations

import logging
import pickle
import secrets
from collections.abc import Mapping, Sequence
from contextlib import suppress
from types import TracebackType
from typing import Any

from gonnet import private
from gonnet.errors import StorageError, UnreachableError
from gonnet.ledger import Store
from gonnet.pipeline.making.kits import RunKit
from gonnet.pipeline.making.orders import Order
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.making.workers.remote import (
    Asked,
    DiffersError,
    NotSharedError,
    differences,
    given,
    made_with,
    produce_there,
)

_MOST = 200  # packages of a batch: what goes over the wire for each batch is worth it
_PATIENCE = 15  # seconds that a scheduler has to answer, and its first worker to appear
_ALONE = 4  # times that patience, without any worker, before the cluster is taken to be gone
_INSTALL = "Install it: pip install 'gonnet[dask]'"


class _OnCluster:
    """A batch that a worker makes."""

    def __init__(self, future: Any, store: Store, crew: ClusterCrew) -> None:  # noqa: ANN401  Dask has no types
        self._future, self._store, self._crew = future, store, crew

    def result(self) -> tuple[Made, ...]:
        """What came of it; its files are in the store.

        Raises:
            UnreachableError: the cluster went away, or a worker is not like this machine.
            StorageError: workers died of it, or cannot see what they need.
        """
        brought = self._crew.answer(self._future)
        for data in brought.files.values():
            self._store.put(data)
        return tuple(brought.made)

    def cancel(self) -> object:
        """Do not begin it any more."""
        with suppress(Exception):
            self._future.cancel()
        return None


class ClusterCrew:
    """The workers of a cluster.

    Args:
        address: Of its scheduler, such as `tcp://10.0.0.5:8786`.
        kit: What is the same for every package of the run.
        store: Where the run keeps its files.
    """

    most = _MOST

    def __init__(self, address: str, kit: RunKit, store: Store) -> None:
        self._address, self._kit, self._store = address, kit, store
        self._client: Any = None
        self._seen = store.folder / f".seen-{secrets.token_hex(8)}"
        self._asked: Any = None

    def __enter__(self) -> ClusterCrew:
        """Find the cluster, see that its workers are like this machine, and give them the kit.

        Raises:
            UnreachableError: it is not there, has no workers, or one is not like this machine.
        """
        try:
            from distributed import Client
        except ImportError as error:
            raise UnreachableError("the library that speaks to a cluster is not installed", fix=_INSTALL) from error
        for name in ("distributed", "tornado", "asyncio"):  # what they say of workers that leave is told otherwise
            logging.getLogger(name).setLevel(logging.CRITICAL)
        try:
            connect: Any = Client
            self._client = connect(self._address, timeout=_PATIENCE, set_as_default=False, name="gonnet")
            self._client.wait_for_workers(1, timeout=_PATIENCE)
            self._require_alike(self._client.run(made_with))
            self._show_the_store()
            asked = Asked(
                kit=pickle.dumps(self._kit), made_with=made_with(), seen=str(self._seen), needs_files=self._needs_files
            )
            # A task of its own: scattered data is gone with the last worker that has it, a task is done again.
            self._asked = self._client.submit(given, asked, pure=False)
        except (OSError, TimeoutError, ValueError) as error:
            self._end()
            why = "no worker came" if self._client is not None else str(error) or type(error).__name__
            raise self._failure(f"it cannot be used: {why}", "See that its scheduler and its workers run") from error
        except BaseException:
            self._end()
            raise
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _at: TracebackType | None
    ) -> None:
        self._end()

    def _show_the_store(self) -> None:
        """Lay a file into the store, by which workers know whether they see it."""
        private.folder(self._store.folder)
        self._seen.touch()

    def _end(self) -> None:
        with suppress(OSError):
            self._seen.unlink(missing_ok=True)
        if self._client is not None:
            with suppress(Exception):
                self._client.close(timeout=_PATIENCE)

    @property
    def _needs_files(self) -> bool:
        """Whether packages have files of the workspace in them, which a worker must see."""
        return bool(self._kit.arrivals)

    @property
    def hands(self) -> int:
        """How many threads its workers have now; more may join."""
        threads: dict[str, int] = self._client.nthreads()
        return max(1, sum(threads.values()))

    def submit(self, orders: Sequence[Order]) -> _OnCluster:
        """Have a batch made."""
        future = self._client.submit(produce_there, self._asked, tuple(orders), pure=False)
        return _OnCluster(future, self._store, self)

    def answer(self, future: Any) -> Any:  # noqa: ANN401  Dask has no types
        """What a worker brought.

        Raises:
            UnreachableError: the cluster went away, or a worker is not like this machine.
            StorageError: workers died of it, or cannot see what they need.
        """
        from dask.distributed import KilledWorker
        from distributed.client import FutureCancelledError
        from distributed.comm.core import CommClosedError

        try:
            return self._waited(future)
        except DiffersError as error:
            raise self._failure(str(error), "Install the same on all machines") from error
        except NotSharedError as error:
            raise StorageError(
                "a worker of the cluster does not see the workspace, and packages have files of it in them",
                where=self._address,
                fix="Share the folder of the workspace with the workers, under the same path",
            ) from error
        except KilledWorker as error:
            raise StorageError(
                "workers of the cluster died over the same packages, one after the other",
                where=self._address,
                fix="There may not be enough memory for a worker; run it again",
            ) from error
        except (FutureCancelledError, CommClosedError, OSError, TimeoutError) as error:
            raise self._failure("it went away", "Start it again") from error

    def _waited(self, future: Any) -> Any:  # noqa: ANN401  Dask has no types
        """The answer, however long it takes, as long as there are workers.

        Raises:
            TimeoutError: there are none any more.
        """
        alone = 0
        while True:
            try:
                return future.result(timeout=_PATIENCE)
            except TimeoutError:
                alone = 0 if self._client.nthreads() else alone + 1
                if alone == _ALONE:
                    raise

    def _require_alike(self, found: Mapping[str, Mapping[str, str]]) -> None:
        here = made_with()
        for worker, there in found.items():
            if what := differences(here, there):
                raise self._failure(f"worker {worker} is not like this machine: {what}", "Install the same on both")

    def _failure(self, what: str, fix: str) -> UnreachableError:
        return UnreachableError(f"cluster at {self._address}: {what}", fix=f"{fix}. Nothing is lost; run it again")
