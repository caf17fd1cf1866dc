"""Making packages on a Dask cluster: workers get the kit once and batches of orders, and hand nothing over.

A worker that sees the store of the run keeps its files there; from one that does not, they come back over the wire. A
batch whose worker is gone is made again by another one: the same orders give the same bytes.
"""

from __future__ import annotations

import logging
import pickle
import secrets
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import replace
from statistics import median
from types import TracebackType
from typing import Any, cast

from gonnet import private
from gonnet.errors import StorageError, UnreachableError
from gonnet.ledger import FolderStore, Store
from gonnet.pipeline.making.kits import RunKit
from gonnet.pipeline.making.orders import Order
from gonnet.pipeline.making.produce import Made
from gonnet.pipeline.making.workers.remote import (
    Asked,
    Brought,
    Carried,
    DiffersError,
    NotSharedError,
    differences,
    given,
    made_with,
    produce_there,
)

_MOST = 200  # packages of a batch: what goes over the wire for each batch is worth it
_PATIENCE = 15  # seconds that a scheduler and each worker have to answer
_TO_APPEAR = 45  # seconds for the first worker: one that starts on a busy machine takes twenty
_ASKED_AT_ONCE = 16  # workers
_ALONE = 4  # times that patience, without any worker, before the cluster is taken to be gone
_GLANCE = 0.2  # seconds to wait for each of two that make the same
_SLOW = 4  # times what batches take, after which one is begun again elsewhere
_AGAIN = 2  # times that it is begun again
_INSTALL = "Install it: pip install 'gonnet[dask]'"


class _OnCluster:
    """A batch that a worker makes."""

    def __init__(self, orders: Sequence[Order], store: Store, crew: ClusterCrew) -> None:
        self._orders, self._store, self._crew = orders, store, crew
        self._futures: list[Any] = [crew.begun(orders)]

    def result(self) -> tuple[Made, ...]:
        """What came of it; its files are in the store.

        Raises:
            UnreachableError: the cluster went away, or a worker is not like this machine.
            StorageError: workers died of it, or cannot see what they need.
        """
        brought = self._crew.answer(self._orders, self._futures)
        with self._store.together():
            for data in brought.files.values():
                self._store.put(data)
        return tuple(brought.made)

    def cancel(self) -> object:
        """Do not begin it any more."""
        for future in self._futures:
            with suppress(Exception):
                future.cancel()
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
        self._name = secrets.token_hex(8)
        self._seen = store.folder / f".seen-{self._name}" if isinstance(store, FolderStore) else None
        self._asked: Any = None
        self._given: Asked | None = None
        self._took: list[float] = []
        self._suspects: set[str] = set()  # workers that had a batch for too long: they may hang, and look alive

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
            self._client.wait_for_workers(1, timeout=_TO_APPEAR)
            self._require_alike(self._answers())
            self._show_the_store()
            self._given = Asked(
                name=self._name,
                kit=pickle.dumps(replace(self._kit, store=Carried({}))),  # no password of a store leaves this machine
                made_with=made_with(),
                seen=str(self._seen or ""),
                needs_files=self._needs_files,
            )
            self._give()
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

    def _give(self, workers: Sequence[str] | None = None) -> None:
        """Have what every batch needs on a worker, of some where they are named; the others get it from there.

        A task of its own: scattered data is gone with the last worker that has it, a task is done again.
        """
        more = {"workers": workers, "allow_other_workers": True} if workers else {}
        self._asked = self._client.submit(given, self._given, pure=False, **more)

    def _show_the_store(self) -> None:
        """Lay a file into the store, by which workers know whether they see it."""
        if self._seen is not None:
            private.folder(self._seen.parent)
            self._seen.touch()

    def _end(self) -> None:
        with suppress(OSError):
            if self._seen is not None:
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
        return _OnCluster(tuple(orders), self._store, self)

    def begun(self, orders: Sequence[Order], workers: Sequence[str] | None = None) -> Any:  # noqa: ANN401
        """The future of a batch, on any worker or on one of some."""
        return self._client.submit(produce_there, self._asked, orders, pure=False, workers=workers)

    def answer(self, orders: Sequence[Order], futures: list[Any]) -> Brought:
        """What a worker brought.

        Args:
            orders: The batch.
            futures: It, as it was begun; once more where it is begun a second time.

        Raises:
            UnreachableError: the cluster went away, or a worker is not like this machine.
            StorageError: workers died of it, or cannot see what they need.
        """
        from dask.distributed import KilledWorker
        from distributed.client import FutureCancelledError
        from distributed.comm.core import CommClosedError

        try:
            brought = self._waited(orders, futures)
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
        self._took.append(brought.seconds)
        self._suspects.discard(brought.by)
        return brought

    def _waited(self, orders: Sequence[Order], futures: list[Any]) -> Brought:
        """The first answer, however long it takes, as long as there are workers.

        One that takes much longer than others do is begun a second time, by workers that do not have it: its own may
        hang, and look alive.

        Raises:
            TimeoutError: there are none any more.
        """
        began = last_seen = time.monotonic()
        while True:
            for future in tuple(futures):
                with suppress(TimeoutError):
                    found: Brought = future.result(timeout=_PATIENCE if len(futures) == 1 else _GLANCE)
                    return found
            now = time.monotonic()
            last_seen = now if self._client.nthreads() else last_seen
            if now - last_seen > _ALONE * _PATIENCE:
                raise TimeoutError
            is_slow = len(futures) <= _AGAIN and now - began > self._too_long * len(futures)
            if is_slow and (others := self._others(futures[-1])):
                self._give(others)  # it may be on one that hangs, and nowhere else
                futures.append(self.begun(orders, others))

    @property
    def _too_long(self) -> float:
        return _SLOW * median(self._took) if self._took else _SLOW * _PATIENCE

    def _others(self, future: Any) -> list[str]:  # noqa: ANN401
        """The workers that may make a batch which takes too long: none that has it, and best none that had such a one.

        It is with those that make it, or have made it and do not give it.
        """
        at_work: dict[str, Sequence[str]] = self._client.processing()
        having = {worker for worker, keys in at_work.items() if future.key in keys}
        having |= {worker for workers in self._client.who_has([future]).values() for worker in workers}
        self._suspects |= having
        return sorted(set(at_work) - self._suspects or set(at_work) - having) if self._suspects else []

    def _answers(self) -> dict[str, Mapping[str, str]]:
        """What each worker is made with; one that does not answer may hang, and gets batches last.

        It says so again before its first batch, so that nothing is made with something else.
        """

        def asked(worker: str) -> dict[str, Mapping[str, str]]:
            with suppress(TimeoutError, OSError):
                return cast("dict[str, Any]", self._client.run(made_with, workers=[worker], callback_timeout=_PATIENCE))
            return {}

        workers = list(self._client.nthreads())
        with ThreadPoolExecutor(_ASKED_AT_ONCE) as pool:
            found = {worker: answer for one in pool.map(asked, workers) for worker, answer in one.items()}
        self._suspects = set(workers) - set(found)
        return found

    def _require_alike(self, found: Mapping[str, Mapping[str, str]]) -> None:
        here = made_with()
        for worker, there in found.items():
            if what := differences(here, there):
                raise self._failure(f"worker {worker} is not like this machine: {what}", "Install the same on both")

    def _failure(self, what: str, fix: str) -> UnreachableError:
        return UnreachableError(f"cluster at {self._address}: {what}", fix=f"{fix}. Nothing is lost; run it again")
