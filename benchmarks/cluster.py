"""Preparing on a Dask cluster of this machine against its own processes: `python benchmarks/cluster.py [FARMS]`.

One and two processes, and one and two workers, each three times in turn on the same workspace; the best counts.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import milk_data

_TURNS = 3
_GONNET = [sys.executable, "-m", "gonnet"]


def main() -> None:
    """Print the seconds of each, and their ratio to one process."""
    farms = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        milk_data.write(folder, farms, 2525)
        ports = {1: 18786, 2: 18787}
        started = [_cluster(folder, port, workers) for workers, port in ports.items()]
        ways = {f"{count} process{'es' * (count > 1)}": ("--processes", str(count)) for count in (1, 2)}
        ways |= {f"{n} worker{'s' * (n > 1)}": ("--workers", f"tcp://127.0.0.1:{port}") for n, port in ports.items()}
        try:
            time.sleep(8)
            best = dict.fromkeys(ways, float("inf"))
            for _ in range(_TURNS):
                for way, words in ways.items():
                    began = time.perf_counter()
                    subprocess.run(
                        [*_GONNET, "prepare", "statements", *words], cwd=folder, check=False, stdout=subprocess.DEVNULL
                    )
                    best[way] = min(best[way], time.perf_counter() - began)
        finally:
            for processes in started:
                for process in reversed(processes):
                    process.terminate()
    for way, seconds in best.items():
        print(f"{way:<12} {seconds:6.1f} s   {best['1 process'] / seconds:4.2f} times one process")


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
