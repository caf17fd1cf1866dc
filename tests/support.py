"""A small dairy to test with, and the installed program."""

from __future__ import annotations

import datetime as dt
import json
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from gonnet.jobs import Job, load_job, load_workspace
from gonnet.ledger import FolderStore, HandOverRecord, PackageRecord, RunRecord
from gonnet.ledger.hand_overs import Allowance, Outcome
from gonnet.ledger.states import HandOverState
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.reviewing.selecting import Selection
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import Tools, open_tools
from loaded_program import run_loaded

AS_OF = dt.date(2026, 11, 5)

SETTINGS = """\
mail_servers:
  office: {host: 127.0.0.1, port: PORT, security: none, seconds: 5}
style: {organisation: Tarnvale Dairy Cooperative, locale: en_IE, currency: EUR}
"""

JOB = """\
title: Milk statements
data:
  milk: {file: milk.csv}
  members: {file: members.csv}
split: {rows: milk, by: farm_no}
recipients: {rows: members, key: farm_no, name: farm_name, to: email, cc: adviser}
figures: {litres: sum(litres), payable: sum(amount)}
rules:
  - {name: idle, when: rows = 0, skip: no milk}
  - {name: a lot, when: litres > 5000, hold: more than the tank holds}
reports:
  statement:
    title: "Statement of {{ recipient.farm_name }}"
    blocks:
      - facts: {Farm number: "{{ key }}", Payable: "{{ figures.payable | money }}"}
      - text: "Collected in October."
      - table:
          columns:
            - {field: day, format: d MMM}
            - {field: litres, format: "#,##0", total: sum}
            - {field: amount, format: "#,##0.00", total: sum}
            - {field: remark}
package:
  documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]
  name: "{{ key }} statement"
messages:
  standard:
    subject: "Statement of {{ recipient.farm_name }}"
    body: |
      Dear {{ recipient.farm_name }},

      payable: **{{ figures.payable | money }}**
deliver:
  - email: {from: "Statements <statements@tarnvale.example>"}
checks: {identifying: [farm_name]}
"""

RULES = """\
  - {name: idle, when: rows = 0, skip: no milk}
  - {name: a lot, when: litres > 5000, hold: more than the tank holds}
"""

MILK = """\
farm_no,day,litres,amount,remark
00042,2026-10-01,1200,588.05,
00042,2026-10-02,1180,577.90,second tank
117,2026-10-01,800,392.40,=1+1
117,2026-10-02,790,388.11,
118,2026-10-01,6400,3136.00,
"""

MEMBERS = """\
farm_no,farm_name,email,adviser
00042,Zoë's Dairy,zoe@members.tarnvale.example,ines@tarnvale.example
117,Łąka Górna,laka@members.tarnvale.example,ines@tarnvale.example
118,Hallbank,hallbank@members.tarnvale.example,
119,Idle Acres,idle@members.tarnvale.example,
"""


@dataclass
class Dairy:
    """A workspace in a temporary folder.

    Attributes:
        folder: Where it is.
        port: Of its mail server.
        record: The database in which its record is, where it is not a file.
    """

    folder: Path
    port: int
    record: str = ""

    def write(self, name: str, text: str | bytes) -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if name == "gonnet.yaml" and isinstance(text, str) and self.record:
            mine = f"databases: {{record: {{url: '{self.record}'}}"
            text = text.replace("databases: {", f"{mine}, ") if "databases: {" in text else f"{text}{mine}}}\n"
            text += "ledger: {database: record}\n"
        path.write_bytes(text if isinstance(text, bytes) else text.encode("utf-8"))
        return path

    def job(self, *changes: tuple[str, str], name: str = "statements") -> Job:
        """The usual job with some of its text replaced."""
        text = JOB
        for old, new in changes:
            assert old in text, old
            text = text.replace(old, new)
        self.write(f"jobs/{name}.yaml", text)
        return load_job(load_workspace(self.folder), name)

    def tools(self, processes: int | None = 1, at: dt.datetime | None = None) -> Any:  # noqa: ANN401  a context manager of Tools
        """The tools of the workspace; `at` is the time that their clock shows."""
        clock: dict[str, Any] = {"clock": lambda: at} if at is not None else {}
        return open_tools(load_workspace(self.folder), processes, **clock)

    def prepared(self, tools: Tools, *changes: tuple[str, str], only: tuple[str, ...] = ()) -> RunRecord:
        return prepare(self.job(*changes), tools, Request(as_of=AS_OF, asked={}, only=only))

    def made(
        self, name: str, text: str, *changes: tuple[str, str]
    ) -> tuple[RunRecord, dict[str, PackageRecord], dict[str, bytes]]:
        """A run of a job of its own, with changes: it, its packages, and all files by name."""
        for old, new in changes:
            assert old in text
            text = text.replace(old, new)
        self.write(f"jobs/{name}.yaml", text)
        with self.tools() as tools:
            run = prepare(load_job(load_workspace(self.folder), name), tools, Request(as_of=AS_OF, asked={}))
            packages = self.by_key(tools, run)
            files = {one.name: tools.store.get(one.sha256) for part in packages.values() for one in part.documents}
        return run, packages, files

    def sent(self, tools: Tools, day: dt.date, *changes: tuple[str, str], only: tuple[str, ...] = ()) -> None:
        """A run of that day of which everything ready was taken by the server."""
        at = dt.datetime.combine(day, dt.time(12), dt.UTC)
        with self.tools(at=at) as then:
            run = prepare(self.job(*changes), then, Request(as_of=day, asked={}, only=only))
            for package in then.ledger.packages(run.id):
                for part in package.mailed if str(package.state) == "ready" else ():
                    taken(then, run, package, part)

    def by_key(self, tools: Tools, run: RunRecord) -> dict[str, PackageRecord]:
        return {package.key: package for package in tools.ledger.packages(run.id)}

    def gonnet(self, *words: str, code: int | None = 0, **options: Any) -> subprocess.CompletedProcess[str]:  # noqa: ANN401
        """Run the installed program here; `code` is the exit code it must end with."""
        found = run_gonnet(words, self.folder, **options)
        assert code is None or found.returncode == code, f"{found.returncode}\n{found.stdout}\n{found.stderr}"
        return found

    def json(self, *words: str, code: int | None = 0) -> Any:  # noqa: ANN401
        return json.loads(self.gonnet(*words, "--json", code=code).stdout)

    def mail(self) -> list[str]:
        """The envelope addresses of everything that arrived, in order of arrival."""
        from gonnet.demo.mailserver import kept

        folder = self.folder / "mailbox"
        return [message.delivered_to for message in kept(folder)] if folder.exists() else []


def stored(tools: Tools, digest: str) -> Path:
    """The file of the store that is under a digest."""
    return FolderStore(tools.workspace.kept / "store").path(digest)


def of(*keys: str) -> Selection:
    """The packages of some keys."""
    return Selection(keys=keys)


def begun(tools: Tools, run: RunRecord, package: PackageRecord, part: HandOverRecord) -> bool:
    """Write the intent of a hand-over, as a process does that dies then."""
    return bool(tools.ledger.hand_overs.begin(run.id, package.id, part, "2026-11-05", Allowance()))


def taken(tools: Tools, run: RunRecord, package: PackageRecord, part: HandOverRecord) -> None:
    """Hand something over that is taken."""
    assert begun(tools, run, package, part)
    tools.ledger.hand_overs.answered(run.id, package.id, part, Outcome(state=HandOverState.SENT, code=250, reply="ok"))


def run_gonnet(words: Sequence[str], folder: Path, **options: Any) -> subprocess.CompletedProcess[str]:  # noqa: ANN401
    """Run the program to its end: `text_in` is typed, `env` is its environment; with other options as a new process."""
    env = dict(options.get("env", os.environ))
    if options.keys() <= {"env", "input", "timeout"} and not _begins_otherwise(env):
        return run_loaded(words, folder, options.get("input"), env, options.get("timeout", 120))
    program = Path(sys.executable).with_name("gonnet")
    settings: dict[str, Any] = {"capture_output": True, "text": True, "timeout": 120}
    settings |= {} if "input" in options else {"stdin": subprocess.DEVNULL}
    settings |= options
    return subprocess.run([str(program), *words], cwd=folder, check=False, **settings)


def _begins_otherwise(env: dict[str, str]) -> bool:
    """Whether Python itself begins in another way than in the process of the tests."""
    return any(
        name.startswith(("PYTHON", "LC_", "LANG", "TZ")) and env.get(name) != os.environ.get(name)
        for name in env.keys() | os.environ.keys()
    )


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def listening(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def wait_for(happened: Callable[[], object], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not happened():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.02)
