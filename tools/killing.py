"""Kill a send of 300 messages at random moments and run it again, over and over: `python tools/killing.py [KILLS]`.

Else 200 kills, half of them with one connection and half with four. Then every package must be sent, and have arrived
once, or be called unsure; and no more can be unsure than were under way when something was killed.
"""

from __future__ import annotations

import json
import random
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path
from typing import Any

_GONNET = [sys.executable, "-m", "gonnet"]
_MESSAGES = 300
_PAUSE = 0.02  # seconds that the server takes for an answer
_SETTINGS = """\
mail_servers: {relay: {host: 127.0.0.1, port: PORT, security: none, connections: CONNECTIONS}}
style: {organisation: Tarnvale Dairy Cooperative, locale: en_IE, currency: EUR}
"""
_JOB = """\
title: Milk statements
data: {milk: {file: milk.csv}, farms: {file: farms.csv}}
split: {rows: milk, by: farm_no}
recipients: {rows: farms, key: farm_no, to: email}
reports:
  statement:
    title: "Statement of {{ key }}"
    blocks: [{table: {columns: [{field: litres, total: sum}]}}]
package: {documents: [{report: statement, as: csv}], name: "{{ key }}"}
messages: {standard: {subject: Statement, body: Attached.}}
deliver: [email: {from: statements@tarnvale.example}]
"""


def main() -> None:
    """Kill, run again, and hold the ledger against what arrived."""
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    chance = random.Random(20_261_101)
    for connections in (1, 4):
        left, total = kills // 2, Counter[str]()
        while left > 0:
            with tempfile.TemporaryDirectory() as folder:
                done, found = _one_run(Path(folder), connections, left, chance)
            left -= done
            total += found
        print(f"{connections} connection{'s' * (connections > 1)}: {dict(total)}", flush=True)
        if total["duplicates"] or total["lost"] or total["unsure"] > total["kills"] * connections:
            raise SystemExit("a promise is broken")


def _one_run(folder: Path, connections: int, most: int, chance: random.Random) -> tuple[int, Counter[str]]:
    """Send one run with as many kills as it takes, at most `most`; how many they were, and what came of it."""
    with socket.create_server(("127.0.0.1", 0)) as probe:
        port = int(probe.getsockname()[1])
    _write(folder, port, connections)
    _run(folder, "prepare", "statements")
    words = [*_GONNET, "mailbox", "serve", "--port", str(port), "--pause", str(_PAUSE)]
    server = subprocess.Popen(words, cwd=folder, stdout=subprocess.DEVNULL)
    time.sleep(1.5)
    kills = 0
    try:
        while kills < most:
            send = subprocess.Popen([*_GONNET, "send", "1", "--yes", "--quiet"], cwd=folder, stdout=subprocess.DEVNULL)
            before = _arrived(folder)
            while send.poll() is None and _arrived(folder) == before:
                time.sleep(0.002)
            time.sleep(chance.uniform(0, 3 * _PAUSE))
            if send.poll() is not None:
                break
            send.send_signal(signal.SIGKILL)
            send.wait()
            kills += 1
        _run(folder, "send", "1", "--yes", "--quiet")
        time.sleep(3 * _PAUSE)
        return max(1, kills), _judged(folder) + Counter(kills=kills, messages=_MESSAGES)
    finally:
        server.terminate()
        server.wait()


def _write(folder: Path, port: int, connections: int) -> None:
    settings = _SETTINGS.replace("PORT", str(port)).replace("CONNECTIONS", str(connections))
    farms = [f"F{number:03d}" for number in range(_MESSAGES)]
    texts = {
        "gonnet.yaml": settings,
        "jobs/statements.yaml": _JOB,
        "milk.csv": "farm_no,litres\n" + "".join(f"{farm},{number}\n" for number, farm in enumerate(farms)),
        "farms.csv": "farm_no,email\n" + "".join(f"{farm},{farm}@members.tarnvale.example\n" for farm in farms),
    }
    for name, text in texts.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text, "utf-8")


def _run(folder: Path, *words: str) -> str:
    return subprocess.run([*_GONNET, *words], cwd=folder, capture_output=True, text=True, check=False).stdout


def _arrived(folder: Path) -> int:
    return sum(1 for _ in (folder / "mailbox").glob("new/*"))


def _judged(folder: Path) -> Counter[str]:
    mails = (path.read_text("utf-8") for path in (folder / "mailbox").glob("new/*"))
    arrived = Counter(text.partition("Delivered-To: ")[2].partition("\n")[0].casefold() for text in mails)
    packages: list[dict[str, Any]] = json.loads(_run(folder, "show", "1", "--json"))["packages"]
    found: Counter[str] = Counter()
    for package in packages:
        times = arrived[package["to"][0].casefold()]
        found[package["state"]] += 1
        found["duplicates"] += times > 1
        found["lost"] += package["state"] == "sent" and times == 0
        found["unsure that arrived"] += package["state"] == "unsure" and times == 1
    return found


if __name__ == "__main__":
    main()
