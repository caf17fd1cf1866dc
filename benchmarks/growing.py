"""How the cost of a recipient grows: `python benchmarks/growing.py [RECIPIENTSxROWS …]`.

Each recipient gets a PDF, a workbook and a message, from the command line with two processes, as in `delivery.py`: told
are milliseconds a recipient from the command to the last message, and the most memory that the main process and its
largest other process had. What was measured is written into docs/growth.json, which `tools/growth_plot.py` draws;
points that are there already and were not measured again stay.
"""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

import milk_data
from sink import sink
from watched import gonnet

_USUAL = "1000x5 1000x40 1000x400 10000x5 10000x40"
_TARGET = Path(__file__).parents[1] / "docs" / "growth.json"


def main() -> None:
    """Measure each point."""
    found = json.loads(_TARGET.read_text("utf-8")) if _TARGET.exists() else {}
    for point in sys.argv[1:] or _USUAL.split():
        recipients, rows = map(int, point.split("x"))
        found[point] = measured(recipients, rows)
        told = found[point]
        peaks = f"{told['MB']:6.0f} MB, a worker {told['worker MB']:.0f}"
        print(f"{recipients:>8,} x {rows:<4} {told['ms']:8.2f} ms   {peaks}", flush=True)
        _TARGET.write_text(json.dumps(dict(sorted(found.items(), key=_order)), indent=1) + "\n", "utf-8")


def measured(recipients: int, rows: int) -> dict[str, float]:
    """Milliseconds a recipient, and megabytes."""
    with tempfile.TemporaryDirectory() as folder, sink() as port:
        milk_data.write(Path(folder), recipients, port, rows=rows)
        prepare, main_peak, worker_peak = gonnet(Path(folder), "prepare", "statements", "--processes", "2")
        send, other_peak, _ = gonnet(Path(folder), "send", "last", "--yes", "--again")
    ms = 1000 * (prepare + send) / recipients
    return {"ms": round(ms, 2), "MB": round(max(main_peak, other_peak)), "worker MB": round(worker_peak)}


def _order(point: tuple[str, object]) -> tuple[int, ...]:
    return tuple(int(part) for part in reversed(point[0].split("x")))


if __name__ == "__main__":
    main()
