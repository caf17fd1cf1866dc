"""A ledger on a PostgreSQL server: everything works as with a file, and two machines are never one too many."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import StorageError
from gonnet.pipeline.record.copying import copy
from gonnet.pipeline.record.verify import verify
from lived import lived_through
from servers import Place
from support import SETTINGS, Dairy, wait_for

pytestmark = pytest.mark.takes_long

FARMS = 12


@pytest.fixture
def shared(dairy: Dairy, postgresql: Place) -> Dairy:
    rule = "approval: {by: 1, of: [ann, bert], above: {messages: 4}}\n"
    ledger = f"databases: {{record: {{url: '{postgresql.url}&application_name={postgresql.name}'}}}}\nledger: {{database: record}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + rule + ledger)
    return dairy


@pytest.fixture
def crowd(shared: Dairy) -> Dairy:
    """A dairy of more farms, without approval, on one connection to its mail server."""
    text = (shared.folder / "gonnet.yaml").read_text("utf-8")
    shared.write("gonnet.yaml", text.replace("approval: {by: 1, of: [ann, bert], above: {messages: 4}}\n", ""))
    keys = [f"{number:03}" for number in range(FARMS)]
    shared.write(
        "milk.csv", "farm_no,day,litres,amount,remark\n" + "".join(f"{key},2026-10-01,1,2.10,\n" for key in keys)
    )
    people = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example,\n" for key in keys)
    shared.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    shared.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=None)
    return shared


def start(dairy: Dairy, *words: str) -> subprocess.Popen[bytes]:
    program = str(Path(sys.executable).with_name("gonnet"))
    return subprocess.Popen([program, *words], cwd=dairy.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def test_everything_is_as_with_a_file(shared: Dairy, postgresql: Place, tmp_path: Path) -> None:
    lived_through(shared)
    assert not (shared.folder / ".gonnet/ledger.db").exists()
    with shared.tools() as tools:
        found = verify(tools)
        assert (found.faults, found.runs, found.packages) == ((), 2, 8)
        with pytest.raises(StorageError, match="the ledger is on a server"):
            copy(tools, tmp_path / "copy")
    assert tools.who == "postgres"  # as the server knows them
    assert [run["states"]["skipped"] for run in shared.json("runs", code=None)["runs"]] == [1, 1]
    shared.gonnet("settle", "2", "117", "--closed", "--why", "left us")
    shared.gonnet("tidy", "--recipient", "117", "--yes")
    assert "The record is whole" in shared.gonnet("verify").stdout
    assert "laka@" not in str(postgresql.rows("select * from hand_overs"))
    postgresql.run("update hand_overs set state = 'waiting' where state = 'sent'", "delete from events where id = 9")
    said = shared.gonnet("verify", code=3).stdout
    assert "! event 10 of run 1" in said
    assert "what became of zoe@members.tarnvale.example was changed: the ledger has 'waiting'" in said


def test_a_second_machine_is_told_and_goes_on_where_a_dead_one_ended(crowd: Dairy, serve: Callable[..., Any]) -> None:
    serve(crowd, "--pause", "0.6")
    first = start(crowd, "send", "1", "--yes")
    wait_for(lambda: len(crowd.mail()) > 2)
    told = crowd.gonnet("hold", "1", "011", "--why", "x", code=2).stderr
    assert "'statements' is being sent or changed by another process" in told
    # What the first has claimed is waited for; it goes on with the last four.
    assert "Others are still sending it" in crowd.gonnet("send", "1", "--yes", "--only", "007").stdout
    first.send_signal(signal.SIGKILL)
    first.wait()
    crowd.gonnet("send", "1", "--yes", code=None)
    arrived, states = Counter(crowd.mail()), crowd.json("show", "1", code=None)["states"]
    assert set(arrived.values()) == {1}
    assert len(arrived) >= states["sent"]
    assert states["sent"] + states.get("unsure", 0) == FARMS
    assert states.get("unsure", 0) <= 1
    assert "The record is whole" in crowd.gonnet("verify").stdout


@pytest.mark.parametrize("killed", [0, 1, 2, 3])
def test_several_send_one_run_at_once_and_some_are_killed(killed: int, crowd: Dairy, serve: Callable[..., Any]) -> None:
    serve(crowd, "--pause", "0.6")
    pick = random.Random(killed)
    senders = [start(crowd, "send", "1", "--yes") for _ in range(3)]
    with crowd.tools() as tools:
        wait_for(lambda: sum("begun by" in what for _, what in tools.ledger.history(1)) == len(senders))
    for one in senders[:killed]:
        time.sleep(pick.uniform(0, 0.3))
        one.send_signal(signal.SIGKILL)
    ends = [one.wait(60) for one in senders]
    assert set(ends[killed:]) <= {0, 3}
    if killed == len(senders):
        crowd.gonnet("send", "1", "--yes", code=None)
    shown = crowd.json("show", "1", code=None)
    assert set(Counter(crowd.mail()).values()) == {1}
    assert shown["states"]["sent"] + shown["states"].get("unsure", 0) == FARMS
    assert shown["states"].get("unsure", 0) <= killed
    assert "The record is whole" in crowd.gonnet("verify").stdout


def test_a_connection_that_is_lost_stops_a_send_and_nothing_leaves_twice(
    crowd: Dairy, postgresql: Place, serve: Callable[..., Any]
) -> None:
    serve(crowd, "--pause", "0.2")
    first = start(crowd, "send", "1", "--yes")
    wait_for(lambda: len(crowd.mail()) > 2)
    mine = f"select pg_terminate_backend(pid) from pg_stat_activity where application_name = '{postgresql.name}'"
    postgresql.rows(mine)
    assert first.wait(60) != 0
    crowd.gonnet("send", "1", "--yes", code=None)
    states = crowd.json("show", "1", code=None)["states"]
    assert set(Counter(crowd.mail()).values()) == {1}
    assert states["sent"] + states.get("unsure", 0) == FARMS


def test_a_prepare_that_is_killed_is_told_as_aborted_by_whoever_looks(crowd: Dairy, postgresql: Place) -> None:
    dead = start(crowd, "prepare", "statements", "--as-of", "2026-12-05")
    wait_for(lambda: len(postgresql.rows("select id from runs")) > 1)
    dead.send_signal(signal.SIGKILL)
    dead.wait()
    states = [run["state"] for run in crowd.json("runs", code=None)["runs"]]
    assert states == ["aborted", "prepared"]


def test_what_is_no_place_for_a_ledger_is_refused(shared: Dairy, postgresql: Place) -> None:
    text = (shared.folder / "gonnet.yaml").read_text("utf-8")
    postgresql.run("create table runs (id int)")
    assert "has tables of something else: runs" in shared.gonnet("runs", code=2).stderr
    shared.write("gonnet.yaml", text.replace("5432", "1"))
    assert "ledger" in shared.gonnet("runs", code=2).stderr
    shared.write("gonnet.yaml", text.replace("postgresql:", "mysql:"))
    assert "the database 'record' is not PostgreSQL" in shared.gonnet("runs", code=2).stderr
