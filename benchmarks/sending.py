"""What handing over costs: `python benchmarks/sending.py [MESSAGES]`, else 2,000.

Gonnet's `send`, with its ledger and two commits a message, against smtplib sending the same ready bytes on one reused
connection; then eight connections against one, to a server that takes 100 ms for every answer. The server is a sink in
a process of its own.
"""

from __future__ import annotations

import smtplib
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

import milk_data
from sink import sink

from gonnet import delivery
from gonnet.jobs import load_workspace
from gonnet.ledger import PackageRecord
from gonnet.pipeline.composing import unsealed
from gonnet.pipeline.send import send
from gonnet.pipeline.tools import Tools, open_tools

_TURNS = 4  # in which smtplib and Gonnet send the messages
_SLOW = 40  # messages to the slow server
_DELAY = 0.1  # seconds


def main() -> None:
    """Measure both."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000
    with tempfile.TemporaryDirectory() as folder, sink() as port:
        _prepare(Path(folder), count, port)
        ready, ours = _in_turns(Path(folder), port)
    print(f"{count:,} messages: smtplib with ready bytes {count / ready:,.0f} a second, Gonnet {count / ours:,.0f}")
    print(f"share of the bare rate {ready / ours:5.2f}")
    times = {}
    for connections in (1, 8):
        with tempfile.TemporaryDirectory() as folder, sink(_DELAY) as port:
            _prepare(Path(folder), _SLOW, port, connections)
            times[connections] = _ours(Path(folder), connections)
    print(
        f"{_SLOW} messages at {1000 * _DELAY:.0f} ms an answer: one connection {times[1]:.1f} s, eight {times[8]:.1f} s"
    )
    print(f"ratio {times[1] / times[8]:5.2f}")


def _prepare(folder: Path, count: int, port: int, connections: int = 1) -> None:
    milk_data.write(folder, count, port)
    settings = folder / "gonnet.yaml"
    text = settings.read_text("utf-8").replace("connections: 4", f"connections: {connections}")
    settings.write_text(text, "utf-8")
    words = [sys.executable, "-m", "gonnet", "prepare", "statements", "--quiet", "--workspace", str(folder)]
    subprocess.run(words, check=True, stdout=subprocess.DEVNULL)


def _in_turns(folder: Path, port: int) -> tuple[float, float]:
    """Seconds for smtplib and for Gonnet, some messages each at a time: a machine is not as quick in every second."""
    with open_tools(load_workspace(folder), 1) as tools:
        packages = tools.ledger.packages(tools.ledger.run("last").id)
    size = -(-len(packages) // _TURNS)
    bare = ours = 0.0
    for at in range(0, len(packages), size):
        keys = [package.key for package in packages[at : at + size]]
        bare += _bare(folder, port, keys)
        ours += _ours(folder, 1, keys)
    return bare, ours


def _ours(folder: Path, connections: int, only: Sequence[str] = ()) -> float:
    with open_tools(load_workspace(folder), 1) as tools:
        began = time.perf_counter()
        report = send(tools.ledger.run("last"), tools, only)
        seconds = time.perf_counter() - began
    if sum(report.states.values()) == 0 or report.interrupted is not None:
        raise RuntimeError(f"{connections} connections: {report}")
    return seconds


def _bare(folder: Path, port: int, only: Sequence[str]) -> float:
    with open_tools(load_workspace(folder), 1) as tools:
        ready = [_bytes(package, tools) for package in tools.ledger.packages(tools.ledger.run("last").id, only)]
    began = time.perf_counter()
    with smtplib.SMTP("127.0.0.1", port) as link:
        for sender, address, data in ready:
            link.sendmail(sender, [address], data)
    return time.perf_counter() - began


def _bytes(package: PackageRecord, tools: Tools) -> tuple[str, str, bytes]:
    (message,) = package.messages
    files = unsealed(package, tools)
    attached = [files[name] for name in message.files]
    return message.sender, message.to[0], delivery.compose(tools.store.get(message.sha256), attached, tools.clock())


if __name__ == "__main__":
    main()
