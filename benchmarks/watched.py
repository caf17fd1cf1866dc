"""Gonnet from its command line, and how much memory its processes have meanwhile."""

from __future__ import annotations

import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path


def gonnet(folder: Path, *arguments: str) -> tuple[float, float, float]:
    """Seconds, and the peaks of memory of its main process and of its largest other one, in MB."""
    began = time.perf_counter()
    process = subprocess.Popen(
        [sys.executable, "-m", "gonnet", *arguments, "--quiet", "--workspace", str(folder)],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )
    peaks: dict[int, float] = {}
    watch = threading.Thread(target=_watch, args=(process, peaks))
    watch.start()
    said, _ = process.communicate()
    watch.join()
    if process.returncode:
        raise RuntimeError(said)
    main = peaks.pop(process.pid, 0.0)
    return time.perf_counter() - began, main, max(peaks.values(), default=0.0)


def _watch(process: subprocess.Popen[str], peaks: dict[int, float]) -> None:
    while process.poll() is None:
        for pid in _family(process.pid):
            try:
                status = Path(f"/proc/{pid}/status").read_text("utf-8")
            except OSError:
                continue
            high = next((line for line in status.splitlines() if line.startswith("VmHWM")), "VmHWM: 0 kB")
            peaks[pid] = int(high.split()[1]) / 1000
        time.sleep(0.2)


def _family(pid: int) -> Iterator[int]:
    yield pid
    for task in Path(f"/proc/{pid}/task").glob("*/children"):
        try:
            children = task.read_text("utf-8").split()
        except OSError:
            continue
        for child in children:
            yield from _family(int(child))
