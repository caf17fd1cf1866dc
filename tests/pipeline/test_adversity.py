"""A disk that is full, a ledger that is locked, a clock that is set back: nothing lost, nothing twice."""

from __future__ import annotations

import datetime as dt
import resource
import sqlite3
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import StorageError
from gonnet.ledger import State
from gonnet.pipeline.send import send
from scripted_smtp import Script, serving
from support import Dairy

GONNET = str(Path(sys.executable).with_name("gonnet"))


def many_farms(dairy: Dairy, count: int) -> None:
    rows = "".join(f"F{n:03d},2026-10-01,{n},1.00,\n" for n in range(count))
    people = "".join(f"F{n:03d},Farm {n:03d} of Tarnvale,f{n:03d}@members.tarnvale.example,\n" for n in range(count))
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + rows)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    dairy.job(("documents: [{report: statement, as: pdf}, ", "documents: ["))


def with_files_up_to(size: int, dairy: Dairy, *words: str) -> subprocess.CompletedProcess[str]:
    """Run the program on a disk on which no file can grow beyond a size, as when there is no more room."""

    def limited() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (size, size))

    command = [sys.executable, "-c", "import signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "from gonnet.cli import main; main()", *words]  # fmt: skip
    return subprocess.run(command, cwd=dairy.folder, capture_output=True, text=True, preexec_fn=limited, check=False)


def test_a_disk_that_is_full_while_preparing_leaves_nothing_that_could_be_sent(dairy: Dairy) -> None:
    many_farms(dairy, 30)
    found = with_files_up_to(60_000, dairy, "prepare", "statements")
    assert found.returncode not in (0, 3)
    assert "Traceback" not in found.stderr
    assert "Make room" in found.stderr or "Check the disk" in found.stderr
    dairy.gonnet("prepare", "statements")
    assert dairy.json("show", "last")["states"] == {"ready": 30}


def test_a_disk_that_is_full_while_sending_stops_it_and_the_next_goes_on(
    dairy: Dairy, serve: Callable[..., Any]
) -> None:
    many_farms(dairy, 30)
    dairy.gonnet("prepare", "statements")
    serve(dairy)
    ledger = dairy.folder / ".gonnet" / "ledger.db"
    size = max(path.stat().st_size for path in ledger.parent.glob("ledger.db*"))
    found = with_files_up_to(size + 30_000, dairy, "send", "last", "--yes")
    assert found.returncode not in (0, 3)
    assert "Traceback" not in found.stderr
    assert "the ledger cannot be" in found.stderr
    assert 0 < len(dairy.mail()) < 30
    dairy.gonnet("send", "last", "--yes", code=None)
    arrived = Counter(dairy.mail())
    assert max(arrived.values()) == 1, "a duplicate"
    for package in dairy.json("show", "last", code=None)["packages"]:
        assert package["state"] in ("sent", "unsure")
        if package["state"] == "sent":
            assert arrived[package["to"][0]] == 1


def locked(dairy: Dairy, seconds: float) -> threading.Thread:
    """Lock the ledger for some seconds, from now on."""
    begun = threading.Event()

    def hold() -> None:
        with sqlite3.connect(dairy.folder / ".gonnet" / "ledger.db", isolation_level=None) as other:
            other.execute("begin immediate")
            begun.set()
            time.sleep(seconds)
            other.execute("rollback")

    thread = threading.Thread(target=hold)
    thread.start()
    begun.wait(5)
    return thread


def test_a_ledger_that_is_locked_for_a_while_is_waited_for(dairy: Dairy) -> None:
    with dairy.tools() as tools, serving(Script(), dairy.port):
        run = dairy.prepared(tools)
        thread = locked(dairy, 1.5)
        assert send(run, tools).states == {State.SENT: 2}
        thread.join()


def test_a_ledger_that_stays_locked_stops_the_send_before_a_body_leaves(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("gonnet.ledger.opening._PATIENCE", 0.3)
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        thread = locked(dairy, 2)
        with pytest.raises(StorageError, match="database is locked"):
            send(run, tools)
        thread.join()
        assert script.stored == []
        assert send(run, tools).states == {State.SENT: 2}
    assert len(script.stored) == 4


def test_a_clock_that_is_set_back_changes_nothing_of_what_is_sent(dairy: Dairy) -> None:
    script = Script(answers={"RCPT:zoe@members.tarnvale.example": ["451 not now", "250 ok"]})
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        send(run, tools)
        past = dt.datetime(2020, 2, 29, 12, tzinfo=dt.UTC)
        tools.ledger._clock = lambda: past
        object.__setattr__(tools, "clock", lambda: past)
        assert send(run, tools).states == {State.SENT: 1}
        assert send(run, tools).states == {}
        again = dairy.prepared(tools)
        assert send(again, tools).states == {}, "the same period is not sent twice, whatever the clock says"
    assert Counter(address.partition("@")[0] for address, _ in script.stored) == {"zoe": 1, "laka": 1, "ines": 2}
