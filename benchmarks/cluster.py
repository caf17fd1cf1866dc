"""Preparing on a Dask cluster of this machine against its own processes: `python benchmarks/cluster.py [FARMS]`.

One and two processes, and one and two workers, each twice in turn on the same workspace; the best counts. Then,
by calculation: how many workers one main process can keep busy. What it does for a recipient and what a worker does are
measured as processor time, without the start and the reading of the data; a larger cluster gains nothing when the first
is all that is left.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import milk_data

_TURNS = 2
_GONNET = [sys.executable, "-m", "gonnet"]


def main() -> None:
    """Print the seconds of each, and their ratio to one process."""
    farms = int(sys.argv[1]) if len(sys.argv) > 1 else 1500
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        milk_data.write(folder, farms, 2525)
        ports = {1: 18786, 2: 18787}
        started = [_cluster(folder, port, workers) for workers, port in ports.items()]
        ways: dict[str, tuple[str, ...]] = {
            f"{count} process{'es' * (count > 1)}": ("--processes", str(count)) for count in (1, 2)
        }
        ways |= {f"{n} worker{'s' * (n > 1)}": ("--workers", f"tcp://127.0.0.1:{port}") for n, port in ports.items()}
        ways["one recipient"] = ("--processes", "1", "--only", "TV-000001")  # the start, and the reading
        try:
            time.sleep(8)
            best, busy = dict.fromkeys(ways, float("inf")), dict.fromkeys(ways, float("inf"))
            for _ in range(_TURNS):
                for way, words in ways.items():
                    began, used = time.perf_counter(), _used()
                    subprocess.run(
                        [*_GONNET, "prepare", "statements", *words], cwd=folder, check=False, stdout=subprocess.DEVNULL
                    )
                    best[way] = min(best[way], time.perf_counter() - began)
                    busy[way] = min(busy[way], _used() - used)
        finally:
            for processes in started:
                for process in reversed(processes):
                    process.terminate()
    del best["one recipient"]
    for way, seconds in best.items():
        print(f"{way:<12} {seconds:6.1f} s   {best['1 process'] / seconds:4.2f} times one process")
    main = (busy["1 worker"] - busy["one recipient"]) / farms  # what the program itself used while others drew
    drawing = (busy["1 process"] - busy["1 worker"]) / farms
    print(f"a recipient takes {1e3 * main:.1f} ms of the main process and {1e3 * drawing:.1f} ms of a worker")
    print(f"so one main process keeps about {drawing / main:.0f} workers busy")


def _used() -> float:
    """The processor time of all programs that have ended, in seconds."""
    found = resource.getrusage(resource.RUSAGE_CHILDREN)
    return found.ru_utime + found.ru_stime


def _cluster(folder: Path, port: int, workers: int) -> list[subprocess.Popen[bytes]]:
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    words = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--port", str(port), "--no-dashboard"]
    scheduler = subprocess.Popen(words, **quiet)  # type: ignore[call-overload]
    address = f"tcp://127.0.0.1:{port}"
    words = [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nworkers", str(workers)]
    words += ["--nthreads", "1", "--no-dashboard", "--local-directory", str(folder / f"dask{port}")]
    return [scheduler, subprocess.Popen(words, **quiet)]  # type: ignore[call-overload]


if __name__ == "__main__":
    main()
