"""How time and memory grow with recipients: `python benchmarks/many.py COMMANDS FARMS…`.

For example `python benchmarks/many.py check,keys 10000 30000 100000`. Each farm has ten rows. `send` goes to a sink
(see `sink.py`) and needs `prepare` before it. Told are seconds, processor time of all processes, and the most memory
that the main process had; at the end the exponent of the growth of each: 1 is linear.
"""

from __future__ import annotations

import math
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import milk_data
from sink import sink

_ROWS = 10
_GONNET = [sys.executable, "-m", "gonnet"]
_WORDS = {
    "check": ("check", "statements"),
    "keys": ("keys", "statements", "--page", "2"),
    "find": ("keys", "statements", "--find", "farm77@"),
    "held": ("keys", "statements", "--state", "held"),
    "prepare": ("prepare", "statements"),
    "review": ("review", "1"),
    "send": ("send", "1", "--yes"),
}


class Cost(NamedTuple):
    """What a command took: seconds, seconds of processors, and megabytes of the main process."""

    seconds: float
    busy: float
    megabytes: float


def main() -> None:
    """Measure all."""
    commands, sizes = sys.argv[1].split(","), [int(size) for size in sys.argv[2:]]
    found: dict[str, list[Cost]] = {command: [] for command in commands}
    for farms in sizes:
        with tempfile.TemporaryDirectory() as folder, sink() as port:
            milk_data.write(Path(folder), farms, port, "{report: statement, as: csv}", _ROWS)
            for command in commands:
                cost = _run(_WORDS[command], Path(folder))
                found[command].append(cost)
                each = f"{1e3 * cost.busy / farms:6.2f} ms of a processor each"
                told = f"{cost.seconds:8.1f} s  {each}  {cost.megabytes:6.0f} MB"
                print(f"{command:<8} {farms:>9,} recipients {told}", flush=True)
    for command, costs in found.items():
        time_of = _exponent(sizes, [cost.seconds for cost in costs])
        memory = _exponent(sizes, [cost.megabytes for cost in costs])
        print(f"{command:<8} grows with the power {time_of:.2f} in time and {memory:.2f} in memory")


def _run(words: Sequence[str], folder: Path) -> Cost:
    began, used = time.perf_counter(), _used()
    process = subprocess.Popen([*_GONNET, *words], cwd=folder, stdout=subprocess.DEVNULL)
    most = 0
    while process.poll() is None:
        most = max(most, _memory(process.pid))
        time.sleep(0.02)
    if process.returncode not in (0, 3):  # 3: something needs attention
        raise SystemExit(f"`gonnet {' '.join(words)}` ended with {process.returncode}")
    return Cost(time.perf_counter() - began, _used() - used, most / 1024)


def _memory(process: int) -> int:
    """The most memory that a process had so far, in kB, as Linux counts it."""
    try:
        lines = Path(f"/proc/{process}/status").read_text("utf-8").splitlines()
    except OSError:
        return 0
    return next((int(line.split()[1]) for line in lines if line.startswith("VmHWM")), 0)


def _used() -> float:
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def _exponent(sizes: Sequence[int], values: Sequence[float]) -> float:
    """The slope of a line through the logarithms, by least squares."""
    over, up = [math.log(size) for size in sizes], [math.log(value) for value in values]
    x, y = sum(over) / len(over), sum(up) / len(up)
    spread = sum((a - x) ** 2 for a in over)
    return sum((a - x) * (b - y) for a, b in zip(over, up, strict=True)) / spread if spread else math.nan


if __name__ == "__main__":
    main()
