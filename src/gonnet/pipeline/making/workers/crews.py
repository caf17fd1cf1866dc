"""Who makes the packages of a run: processes of this machine, or the workers of a cluster. One seam for both."""

from __future__ import annotations

import pickle
from collections.abc import Iterator, Sequence
from concurrent.futures import Executor
from contextlib import contextmanager
from pathlib import Path
from typing import Protocol

from gonnet.errors import StorageError
from gonnet.pipeline.making.kits import RunKit
from gonnet.pipeline.making.orders import Order
from gonnet.pipeline.making.produce import Made, produce
from gonnet.pipeline.making.workers.processes import uninterrupted
from gonnet.pipeline.tools import Tools
from gonnet.scratch import scratch


class Batch(Protocol):
    """Packages that are being made."""

    def result(self) -> tuple[Made, ...]:
        """What came of them, when it has come."""

    def cancel(self) -> object:
        """Do not begin them any more."""


class Crew(Protocol):
    """Who makes packages."""

    @property
    def hands(self) -> int:
        """How many batches are made at the same time."""

    @property
    def most(self) -> int:
        """How many packages a batch has at most."""

    def submit(self, orders: Sequence[Order]) -> Batch:
        """Have a batch made."""


class LocalCrew:
    """The processes, or the threads, of an executor."""

    def __init__(self, executor: Executor, kit: Path, most: int) -> None:
        self._executor, self._kit = executor, kit
        self.hands, self.most = int(getattr(executor, "_max_workers", 1)), most

    def submit(self, orders: Sequence[Order]) -> Batch:
        """Have a batch made."""
        with uninterrupted():
            return self._executor.submit(produce, str(self._kit), tuple(orders))


@contextmanager
def crew_of(tools: Tools, kit: RunKit, packages: int, most: int) -> Iterator[Crew]:
    """Who makes the packages of a run.

    Args:
        tools: The tools.
        kit: What is the same for all of them.
        packages: How many they are.
        most: How many a batch has at most, on this machine.

    Raises:
        UnreachableError: the cluster is not there, or has no workers.
        StorageError: the work folder cannot be written.
    """
    for part in kit.enclosures.values():
        tools.store.put(part.data)
    # The key of who signs documents does not leave this machine.
    if tools.cluster and packages >= tools.cluster_from and not kit.signers:
        from gonnet.pipeline.making.workers.cluster import ClusterCrew

        with ClusterCrew(tools.cluster, kit, tools.store) as crew:
            yield crew
        return
    with scratch(tools.work_folder) as folder:
        place = _kept(kit, folder)
        with tools.executor(packages) as executor:
            yield LocalCrew(executor, place, most)


def make_ready(tools: Tools, packages: int) -> None:
    """Let what will make them load the program, while other work goes on."""
    if not tools.cluster or packages < tools.cluster_from:
        tools.executor(packages).shutdown()


def _kept(kit: RunKit, folder: Path) -> Path:
    """A kit as a file that every process can read."""
    place = folder / "kit"
    try:
        with place.open("wb") as file:  # piece by piece: what the leak check knows of many is large
            pickle.dump(kit, file)
    except OSError as error:
        raise StorageError(
            f"the work folder cannot be written: {error.strerror}",
            where=str(place.parent),
            fix="Make room, or choose another folder",
        ) from error
    return place
