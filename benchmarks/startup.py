"""How long `gonnet --help` takes, as a ratio to a bare `import click`, both measured in turn in one run."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time

_ROUNDS = 11
_COMMANDS = {
    "import click": [sys.executable, "-c", "import click"],
    "gonnet --help": [sys.executable, "-m", "gonnet", "--help"],
}


def main() -> None:
    """Print both medians and their ratio."""
    seconds: dict[str, list[float]] = {name: [] for name in _COMMANDS}
    for _ in range(_ROUNDS):
        for name, command in _COMMANDS.items():
            began = time.perf_counter()
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
            seconds[name].append(time.perf_counter() - began)
    medians = {name: statistics.median(found) for name, found in seconds.items()}
    for name, median in medians.items():
        print(f"{name:<14} {median * 1000:6.0f} ms")
    print(f"ratio          {medians['gonnet --help'] / medians['import click']:6.2f}   (wanted: at most 3)")


if __name__ == "__main__":
    main()
