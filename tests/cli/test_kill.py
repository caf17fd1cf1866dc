"""A send that is killed and run again: no duplicate, nothing lost, and what is in doubt is called so."""

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

from loaded_program import Begun, begin_loaded
from support import Dairy, wait_for

FARMS = 40


def crowd(dairy: Dairy) -> None:
    """A dairy with many farms, each with one address."""
    rows = "".join(f"F{n:03d},2026-10-01,{n},1.00,\n" for n in range(FARMS))
    people = "".join(f"F{n:03d},Farm {n:03d} of Tarnvale,f{n:03d}@members.tarnvale.example,\n" for n in range(FARMS))
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + rows)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    dairy.job(("documents: [{report: statement, as: pdf}, ", "documents: ["))
    assert dairy.json("prepare", "statements")["states"] == {"ready": FARMS}


def connect(dairy: Dairy, connections: int) -> None:
    settings = dairy.folder / "gonnet.yaml"
    text = settings.read_text("utf-8").replace("security: none", f"security: none, connections: {connections}")
    settings.write_text(text, "utf-8")


def start_send(dairy: Dairy) -> Begun:
    return begin_loaded(("send", "1", "--yes"), dairy.folder)


def start_heard(dairy: Dairy) -> subprocess.Popen[str]:
    """The same as a new process, whose output is read."""
    words = [str(Path(sys.executable).with_name("gonnet")), "send", "1", "--yes"]
    return subprocess.Popen(words, cwd=dairy.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


@pytest.mark.parametrize("connections", [1, 4])
def test_killed_at_several_moments_and_run_again(dairy: Dairy, serve: Callable[..., Any], connections: int) -> None:
    connect(dairy, connections)
    crowd(dairy)
    serve(dairy, "--pause", "0.04")
    chance = random.Random(7)
    for _ in range(6 if connections == 1 else 3):
        arrived = len(dairy.mail())
        process = start_send(dairy)
        wait_for(lambda: process.poll() is not None or len(dairy.mail()) > arrived)  # noqa: B023
        time.sleep(chance.uniform(0, 0.12))
        process.send_signal(signal.SIGKILL)
        process.wait()
    last = start_send(dairy)
    assert last.wait(timeout=60) in (0, 3)
    found = dairy.json("show", "1", code=None)
    arrived_at = Counter(dairy.mail())
    assert max(arrived_at.values()) == 1, "a duplicate"
    unsure = 0
    for package in found["packages"]:
        (address,) = package["to"]
        if package["state"] == "unsure":
            unsure += 1
        else:
            assert package["state"] == "sent"
            assert arrived_at[address] == 1, f"{address} was lost"
    assert unsure <= 6 * connections, "at most one doubt a kill and connection"


def test_cut_off_between_hand_over_and_answer_is_unsure_and_stays_so(dairy: Dairy, serve: Callable[..., Any]) -> None:
    crowd(dairy)
    server = serve(dairy, "--pause", "30")
    process = start_send(dairy)
    wait_for(lambda: len(dairy.mail()) == 1)
    process.send_signal(signal.SIGKILL)
    process.wait()
    server.kill()
    server.wait()
    serve(dairy)
    found = dairy.gonnet("send", "1", "--yes", code=3)
    assert "f000@members.tarnvale.example: cut off before the answer" in found.stdout
    assert "it did not arrive: the next send tries it again" in found.stdout
    assert dairy.json("show", "1", code=3)["states"] == {"sent": FARMS - 1, "unsure": 1}
    dairy.gonnet("send", "1", "--yes", code=3)
    assert Counter(dairy.mail())["f000@members.tarnvale.example"] == 1
    assert len(dairy.mail()) == FARMS


@pytest.mark.parametrize(("number", "connections"), [(signal.SIGINT, 4), (signal.SIGTERM, 1)])
def test_stopped_by_hand_it_leaves_nothing_in_doubt_and_goes_on_later(
    dairy: Dairy, serve: Callable[..., Any], number: int, connections: int
) -> None:
    connect(dairy, connections)
    crowd(dairy)
    serve(dairy, "--pause", "0.15")
    process = start_heard(dairy)
    wait_for(lambda: len(dairy.mail()) > 1)
    process.send_signal(number)
    told, warned = process.communicate(timeout=60)
    assert process.returncode == 3
    assert "Stopping once what is under way is answered" in warned
    arrived = len(dairy.mail())
    assert f"Stopped: {arrived} sent." in told
    assert "go on with what is ready" in told
    assert dairy.json("show", "1")["states"] == {"ready": FARMS - arrived, "sent": arrived}
    dairy.gonnet("send", "1", "--yes")
    assert Counter(dairy.mail()) == {f"f{n:03d}@members.tarnvale.example": 1 for n in range(FARMS)}


def test_stopped_twice_it_stops_at_once_and_says_what_is_in_doubt(dairy: Dairy, serve: Callable[..., Any]) -> None:
    crowd(dairy)
    serve(dairy, "--pause", "30")
    process = start_heard(dairy)
    wait_for(lambda: len(dairy.mail()) == 1)
    process.send_signal(signal.SIGINT)
    warned = process.stderr
    assert warned is not None
    wait_for(lambda: "Stopping" in warned.readline())
    process.send_signal(signal.SIGINT)
    told, _ = process.communicate(timeout=30)
    assert process.returncode == 3
    assert f"Stopped: nothing. Run 1 now: {FARMS - 1} ready, 1 unsure" in told
    assert "f000@members.tarnvale.example: cut off before the answer" in told
