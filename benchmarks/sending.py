"""What handing over costs: `python benchmarks/sending.py [MESSAGES]`, else 2,000.

Gonnet's `send`, with its ledger and two commits a message, over one connection and over four, against smtplib sending
the same ready bytes on one reused connection; in turns, since a machine is not as quick in every second, and the
middle of the turns is told. Then eight connections against one, to a server that takes 100 ms for every answer. The
server is a sink in a process of its own.
"""

from __future__ import annotations

import os
import shutil
import smtplib
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import milk_data
from sink import sink

from gonnet import delivery
from gonnet.jobs import load_workspace
from gonnet.ledger import PackageRecord
from gonnet.pipeline.send import Wish, send
from gonnet.pipeline.sending.composing import unsealed
from gonnet.pipeline.tools import Tools, open_tools

_TURNS = 7
_SLOW = 40  # messages to the slow server
_DELAY = 0.1  # seconds


def main() -> None:
    """Measure all."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000
    with tempfile.TemporaryDirectory() as folder, sink() as port:
        prepared = Path(folder) / "prepared"
        prepared.mkdir()
        _prepare(prepared, count, port)
        turns = [_turn(prepared, Path(folder) / "turn") for _ in range(_TURNS)]
    bare = [turn[0] for turn in turns]
    print(f"{count:,} messages, {_TURNS} turns; smtplib with ready bytes: {count / median(bare):,.0f} a second")
    for at, connections in ((1, 1), (2, 4)):
        shares = sorted(turn[0] / turn[at] for turn in turns)
        rate = count / median(turn[at] for turn in turns)
        print(
            f"Gonnet over {connections}: {rate:,.0f} a second; share of the bare rate {median(shares):.2f}"
            f" ({shares[0]:.2f} to {shares[-1]:.2f})"
        )
    times = {}
    for connections in (1, 8):
        with tempfile.TemporaryDirectory() as folder, sink(_DELAY) as port:
            _prepare(Path(folder), _SLOW, port)
            times[connections] = _ours(Path(folder), connections)
    print(
        f"{_SLOW} messages at {1000 * _DELAY:.0f} ms an answer: one connection {times[1]:.1f} s, eight {times[8]:.1f} s"
    )
    print(f"ratio {times[1] / times[8]:5.2f}")


def _turn(prepared: Path, copy: Path) -> tuple[float, float, float]:
    """Seconds for smtplib, and for Gonnet over one connection and over four, each with the whole run."""
    seconds = [_bare(prepared)]
    for connections in (1, 4):
        shutil.copytree(prepared, copy)
        os.sync()  # what the copy left to be written would be waited for by the first commits
        seconds.append(_ours(copy, connections))
        shutil.rmtree(copy)
    bare, one, four = seconds
    return bare, one, four


def _prepare(folder: Path, count: int, port: int) -> None:
    milk_data.write(folder, count, port)
    words = [sys.executable, "-m", "gonnet", "prepare", "statements", "--quiet", "--workspace", str(folder)]
    subprocess.run(words, check=True, stdout=subprocess.DEVNULL)


def _ours(folder: Path, connections: int) -> float:
    settings = folder / "gonnet.yaml"
    text = settings.read_text("utf-8").replace("connections: 4", f"connections: {connections}")
    settings.write_text(text, "utf-8")
    with open_tools(load_workspace(folder), 1) as tools:
        began = time.perf_counter()
        report = send(tools.ledger.run("last"), tools, Wish(from_copy=True))  # each turn is a copy of the same
        seconds = time.perf_counter() - began
    if sum(report.states.values()) == 0 or report.interrupted is not None:
        raise RuntimeError(f"{connections} connections: {report}")
    return seconds


def _bare(folder: Path) -> float:
    with open_tools(load_workspace(folder), 1) as tools:
        ready = [_bytes(package, tools) for package in tools.ledger.packages(tools.ledger.run("last").id)]
        port = tools.workspace.server("relay", "gonnet.yaml")[1].port
    began = time.perf_counter()
    with smtplib.SMTP("127.0.0.1", port) as link:
        for sender, address, data in ready:
            link.sendmail(sender, [address], data)
    return time.perf_counter() - began


def _bytes(package: PackageRecord, tools: Tools) -> tuple[str, str, bytes]:
    (message,) = package.messages
    files = unsealed(package, tools, 1)
    attached = [files[name] for name in message.files]
    return message.sender, message.to[0], delivery.compose(tools.store.get(message.sha256), attached, tools.clock())


if __name__ == "__main__":
    main()
