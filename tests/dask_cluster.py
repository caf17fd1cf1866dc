"""A Dask cluster of real processes: a scheduler, and workers that can be killed."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from support import free_port, listening, wait_for


@dataclass
class Cluster:
    """What runs of it.

    Attributes:
        address: Of the scheduler.
        workers: The workers; each with its nanny, which starts another one in its place, where they have some.
    """

    address: str
    folder: Path
    has_nannies: bool
    workers: list[subprocess.Popen[bytes]] = field(default_factory=list)

    def join(self, env: Mapping[str, str] | None = None, threads: int = 1) -> subprocess.Popen[bytes]:
        """One more worker."""
        words = [
            "--nthreads",
            str(threads),
            "--no-dashboard",
            "--local-directory",
            str(self.folder),
            "--death-timeout",
            "60",
            *(() if self.has_nannies else ("--no-nanny",)),
        ]
        worker = started("worker", self.address, *words, env=env)
        self.workers.append(worker)
        return worker


def started(what: str, *words: str, env: Mapping[str, str] | None = None) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "distributed.cli.dask_" + what, *words],
        env={**os.environ, **(env or {})},
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )


def end(process: subprocess.Popen[bytes]) -> None:
    """End a process in order; with force where it does not."""
    process.terminate()
    try:
        process.wait(20)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


def children(process: subprocess.Popen[bytes]) -> list[int]:
    """The processes that a nanny watches over."""
    found = subprocess.run(["pgrep", "-P", str(process.pid)], capture_output=True, text=True, check=False)
    return [int(number) for number in found.stdout.split()]


def kill(number: int) -> None:
    """Kill a process without a word."""
    os.kill(number, signal.SIGKILL)


@contextmanager
def cluster(folder: Path, workers: int = 2, threads: int = 1, *, nannies: bool = True) -> Iterator[Cluster]:
    """Run one; its workers need not be there yet. Without nannies it takes half the processes."""
    port = free_port()
    scheduler = started("scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard")
    found = Cluster(f"tcp://127.0.0.1:{port}", folder, nannies)
    try:
        wait_for(lambda: listening(port))
        for _ in range(workers):
            found.join(threads=threads)
        yield found
    finally:
        for process in (*found.workers, scheduler):
            end(process)
