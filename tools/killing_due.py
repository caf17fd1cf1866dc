"""Kill `gonnet due --run` and `--stay` at random moments: `python tools/killing_due.py [KILLS]`, else 100.

A job is run each minute, and whenever its data are new; each occurrence sends a message to each of ten farms, with the
load of the data in its subject. After each kill it is begun again. At the end every occurrence must be over and have
one run, and no message may have come twice or be lost, but for those that are called unsure.
"""

from __future__ import annotations

import json
import random
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

_GONNET = [sys.executable, "-m", "gonnet"]
_FARMS = 10
_PAUSE = 0.02  # seconds that the server takes for an answer
_JOB = """\
title: Milk statements
data: {milk: {file: milk.csv}, farms: {file: farms.csv}}
split: {rows: milk, by: farm_no}
recipients: {rows: farms, key: farm_no, to: email}
figures: {load: max(load)}
once_per: [load]
reports:
  statement:
    title: "Statement of {{ key }}"
    blocks: [{table: {columns: [{field: litres, total: sum}]}}]
package: {documents: [{report: statement, as: csv}], name: "{{ key }}"}
messages: {standard: {subject: "Load {{ figures.load }}", body: Attached.}}
deliver: [email: {from: statements@tarnvale.example}]
calendar:
  - {name: each minute, rule: FREQ=MINUTELY, pause: 1 second}
  - {name: new data, waits_for: {file: milk.csv, settled: 0 seconds}, pause: 1 second}
"""


def main() -> None:
    """Kill, begin again, and hold the ledger against what arrived."""
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    chance = random.Random(20_261_129)
    with tempfile.TemporaryDirectory() as place, socket.create_server(("127.0.0.1", 0)) as probe:
        folder, port = Path(place), int(probe.getsockname()[1])
        probe.close()
        _write(folder, port)
        words = [*_GONNET, "mailbox", "serve", "--port", str(port), "--pause", str(_PAUSE)]
        server = subprocess.Popen(words, cwd=folder, stdout=subprocess.DEVNULL)
        time.sleep(2)
        try:
            _kill(folder, kills, chance)
            while "Nothing is due" not in _run(folder, "due", "--run"):
                pass
            found = _judged(folder)
        finally:
            server.terminate()
            server.wait()
    print(f"{kills} kills: {dict(found)}")
    if found["duplicates"] or found["lost"] or found["open"] or found["run twice"]:
        raise SystemExit("a promise is broken")


def _kill(folder: Path, kills: int, chance: random.Random) -> None:
    _run(folder, "due", "--run")
    for number in range(kills):
        if number % 4 == 0:
            _load(folder, number)
        how = "--stay" if number % 2 else "--run"
        process = subprocess.Popen([*_GONNET, "due", how, "--quiet"], cwd=folder, stdout=subprocess.DEVNULL)
        time.sleep(chance.uniform(1.5, 6.0))
        process.send_signal(signal.SIGKILL)
        process.wait()


def _write(folder: Path, port: int) -> None:
    farms = [f"F{number:03d}" for number in range(_FARMS)]
    texts = {
        "gonnet.yaml": f"mail_servers: {{relay: {{host: 127.0.0.1, port: {port}, security: none}}}}\n",
        "jobs/statements.yaml": _JOB,
        "farms.csv": "farm_no,email\n" + "".join(f"{farm},{farm}@members.tarnvale.example\n" for farm in farms),
    }
    for name, text in texts.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text, "utf-8")
    _load(folder, -1)


def _load(folder: Path, number: int) -> None:
    rows = "".join(f"F{farm:03d},{farm},{number}\n" for farm in range(_FARMS))
    (folder / "new.csv").write_text(f"farm_no,litres,load\n{rows}", "utf-8")
    (folder / "new.csv").replace(folder / "milk.csv")


def _run(folder: Path, *words: str) -> str:
    return subprocess.run([*_GONNET, *words], cwd=folder, capture_output=True, text=True, check=False).stdout


def _judged(folder: Path) -> Counter[str]:
    entries = json.loads(_run(folder, "due", "--json"))["entries"]  # at once: another minute is due soon
    mails = [path.read_text("utf-8") for path in (folder / "mailbox").glob("new/*")]
    arrived = Counter(
        (
            text.partition("Delivered-To: ")[2].partition("\n")[0].casefold(),
            re.findall(r"^Subject: (.*)$", text, re.M)[0],
        )
        for text in mails
    )
    found: Counter[str] = Counter(messages=len(mails), duplicates=sum(many > 1 for many in arrived.values()))
    occurrences = Counter[int]()
    for run in json.loads(_run(folder, "runs", "--json"))["runs"]:
        if run["state"] != "prepared":
            continue
        found["runs"] += 1
        whole = json.loads(_run(folder, "show", str(run["run"]), "--json"))
        occurrences[whole["occurrence"]] += 1
        for package in whole["packages"]:
            found[package["state"]] += 1
            (message,) = package["messages"]
            came = arrived[(package["to"][0].casefold(), message["subject"])]
            found["lost"] += package["state"] == "sent" and not came
    found["run twice"] = sum(many > 1 for many in occurrences.values())
    found["open"] = sum(entry["stands"] == "due now" for entry in entries)
    return found


if __name__ == "__main__":
    main()
