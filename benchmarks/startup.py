"""What it costs to start: processor time of commands, as ratios to bare imports, all measured in turn in one run.

`gonnet --help` against `import click`; what opens a workspace against `import click, sqlalchemy`; and `due --run`
with nothing due, which a crontab calls 288 times a day.
"""

from __future__ import annotations

import contextlib
import io
import os
import resource
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

_ROUNDS = 9
_GONNET = [sys.executable, "-m", "gonnet"]
_LEAST, _OPENS = "import click", "import click, sqlalchemy"
_COMMANDS = {
    _LEAST: [sys.executable, "-c", _LEAST],
    "gonnet --help": [*_GONNET, "--help"],
    _OPENS: [sys.executable, "-c", _OPENS],
    "gonnet runs": [*_GONNET, "runs"],
    "gonnet show last": [*_GONNET, "show", "last"],
    "gonnet due": [*_GONNET, "due"],
    "gonnet due --run": [*_GONNET, "due", "--run"],
}


def main() -> None:
    """Print the medians and the ratios."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder, "tarnvale")
        with contextlib.redirect_stdout(io.StringIO()):
            subprocess.run([*_GONNET, "demo", str(place)], check=True, stdout=subprocess.DEVNULL)
            subprocess.run(_COMMANDS["gonnet due --run"], cwd=place, check=True, stdout=subprocess.DEVNULL)
        seconds = measured(place)
    medians = {name: statistics.median(found) for name, found in seconds.items()}
    for name, found in seconds.items():
        base = _LEAST if name == "gonnet --help" else _OPENS
        ratio = f"{medians[name] / medians[base]:6.2f} times {base}" if name not in (_LEAST, _OPENS) else ""
        print(f"{name:<26} {medians[name] * 1000:6.0f} ms ({min(found) * 1000:.0f} to {max(found) * 1000:.0f}) {ratio}")
    print("wanted: --help, runs, show and due at most 3 times; due --run under 500 ms")


def measured(place: Path) -> dict[str, list[float]]:
    """Command → processor seconds of each round."""
    found: dict[str, list[float]] = {name: [] for name in _COMMANDS}
    for _ in range(_ROUNDS):
        for name, command in _COMMANDS.items():
            before = resource.getrusage(resource.RUSAGE_CHILDREN)
            subprocess.run(command, cwd=place, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=os.environ)
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            found[name].append(after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime)
    return found


if __name__ == "__main__":
    main()
