"""At most once: whatever is started twice, killed, spelled otherwise, copied or restored, nobody gets the same again."""

from __future__ import annotations

import datetime as dt
import shutil
import signal
import subprocess
import sys
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from gonnet.jobs import load_job
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.send import send
from gonnet.pipeline.survey import Request
from scripted_smtp import Script, serving
from support import MEMBERS, MILK, SETTINGS, Dairy, wait_for

BOTH_RECORDS = "always"

ZOE, LAKA, INES = "zoe@members.tarnvale.example", "laka@members.tarnvale.example", "ines@tarnvale.example"
PERIOD = ("data:\n  milk", "parameters: {period: {kind: month, default: previous}}\ndata:\n  milk")


def start(dairy: Dairy, *words: str) -> subprocess.Popen[str]:
    program = str(Path(sys.executable).with_name("gonnet"))
    return subprocess.Popen(
        [program, *words], cwd=dairy.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )


def run(dairy: Dairy, day: int, **asked: str) -> None:
    """Prepare a run for a day in November, and send it."""
    with dairy.tools() as tools:
        job = load_job(tools.workspace, "statements")
        send(prepare(job, tools, Request(as_of=dt.date(2026, 11, day), asked=asked)), tools)


def killed_in_a_send(dairy: Dairy, serve: Callable[..., Any]) -> None:
    """A run of which the first message was taken by a server that never answers, and whose send was killed then."""
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    server = serve(dairy, "--pause", "30")
    process = start(dairy, "send", "1", "--yes")
    wait_for(lambda: len(dairy.mail()) == 1)
    process.send_signal(signal.SIGKILL)
    process.communicate()
    server.kill()
    server.wait()


def test_two_sends_of_a_cycle_at_once_are_one(dairy: Dairy, serve: Callable[..., Any]) -> None:
    serve(dairy, "--pause", "1.5")
    for _ in range(2):
        dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    first = start(dairy, "send", "1", "--yes")
    wait_for(dairy.mail)
    told = dairy.gonnet("send", "2", "--yes", code=2).stderr
    assert "'statements' is being sent or changed by another process, for 2026-11-05" in told
    first.communicate(timeout=60)
    assert "were already sent in run 1" in dairy.gonnet("send", "2", "--yes", code=3).stdout
    assert Counter(dairy.mail()) == {ZOE: 1, LAKA: 1, INES: 2}


def test_a_job_that_is_run_twice_at_once_reaches_everybody_once(dairy: Dairy, serve: Callable[..., Any]) -> None:
    serve(dairy, "--pause", "0.3")
    both = [start(dairy, "run", "statements", "--yes", "--as-of", "2026-11-05") for _ in range(2)]
    for process in both:
        process.communicate(timeout=90)
    assert sorted(process.returncode for process in both) in ([2, 3], [3, 3])
    assert Counter(dairy.mail()) == {ZOE: 1, LAKA: 1, INES: 2}


def test_a_doubt_is_seen_at_once_by_whoever_looks_and_can_be_settled(dairy: Dairy, serve: Callable[..., Any]) -> None:
    killed_in_a_send(dairy, serve)
    assert dairy.json("show", "1", "00042", code=3)["packages"][0]["state"] == "unsure"
    assert dairy.json("runs")["runs"][0]["states"]["unsure"] == 1
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    script = Script()
    with serving(script, dairy.port):
        dairy.gonnet("send", "2", "--yes", code=3)
    assert Counter(address for address, _ in script.stored) == {LAKA: 1, INES: 2}, "zoe perhaps has it"
    settled = dairy.json("settle", "1", "00042", "--sent")["packages"][0]
    assert [part["state"] for part in settled["messages"][0]["hand_overs"]] == ["sent", "waiting"]


def test_what_was_taken_is_taken_address_by_address(dairy: Dairy) -> None:
    script = Script(answers={f"RCPT:{INES}": ["550 no such box", "550 no such box", "250 ok"]})
    with serving(script, dairy.port):
        for _ in range(2):
            run(dairy, 5)
    assert Counter(address for address, _ in script.stored) == {ZOE: 1, LAKA: 1, INES: 2}


def test_a_message_that_was_refused_leaves_although_its_file_is_there_already(dairy: Dairy) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + "folders: {archive: {path: archive}}\n")
    email = '  - email: {from: "Statements <statements@tarnvale.example>"}\n'
    dairy.job((email, f"{email}  - folder: {{}}\n"), (", cc: adviser", ""))
    script = Script(answers={f"RCPT:{LAKA}": ["550 no such box", "250 ok"]})
    with serving(script, dairy.port):
        for _ in range(2):
            run(dairy, 5)
    assert Counter(address for address, _ in script.stored) == {ZOE: 1, LAKA: 1}
    assert len(list((dairy.folder / "archive").iterdir())) == 4, "and no file is put there twice"


@pytest.mark.parametrize(
    ("rows", "people", "job"),
    [
        (("00042,", "00042,"), ("00042,", "00042,"), (PERIOD[1], PERIOD[1].replace("period:", "month:"))),
        (("Farm-A,", "FARM-A,"), ("Farm-A,", "FARM-A,"), ("x", "x")),
        (("Müller,", "Mu\u0308ller,"), ("Müller,", "Mu\u0308ller,"), ("x", "x")),
    ],
)
def test_another_spelling_of_a_key_or_name_of_a_parameter_is_no_other_send(
    dairy: Dairy, rows: tuple[str, str], people: tuple[str, str], job: tuple[str, str]
) -> None:
    def lay(at: int) -> None:
        dairy.write("milk.csv", MILK.replace("00042,", rows[at]))
        dairy.write("members.csv", MEMBERS.replace("00042,", people[at]))

    script = Script()
    with serving(script, dairy.port):
        for at in (0, 1):
            lay(at)
            changes = [PERIOD] if at == 0 or job[0] == "x" else [(PERIOD[0], job[1])]
            dairy.job(*changes)
            run(dairy, 5 + at)
    assert Counter(address for address, _ in script.stored)[ZOE] == 1


def test_without_a_period_another_selection_is_another_send_and_another_day_is_not(dairy: Dairy) -> None:
    choice = "parameters: {tank: {kind: choice, of: [north, south]}}\ndata:\n  milk"
    dairy.job(("data:\n  milk", choice))
    counts = []
    script = Script()
    with serving(script, dairy.port):
        for tank, day in (("north", 5), ("south", 5), ("north", 6)):
            run(dairy, day, tank=tank)
            counts.append(len(script.stored))
    assert counts == [4, 8, 8]


@pytest.mark.parametrize("how", ["copied", "restored"])
@pytest.mark.of_a_file
def test_a_workspace_that_may_not_know_what_was_sent_says_so_before_it_sends(dairy: Dairy, how: str) -> None:
    script = Script()
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    with serving(script, dairy.port):
        dairy.gonnet("send", "1", "--only", "117", "--yes")
        aside = dairy.folder.with_name("aside")
        shutil.copytree(dairy.folder, aside)
        dairy.gonnet("send", "1", "--yes", code=3)
        other = dairy
        if how == "copied":
            other = Dairy(folder=aside, port=dairy.port)
        else:
            shutil.rmtree(dairy.folder)
            shutil.copytree(aside, dairy.folder)
        before = len(script.stored)
        told = other.gonnet("send", "1", "--yes", code=2).stderr
        assert "it does not know the last 1 send" in told or "is a copy of that in" in told
        assert len(script.stored) == before
        assert other.json("show", "1", code=3)["packages"], "looking is allowed"
        other.gonnet("send", "1", "--yes", "--from-copy", code=3)
        other.gonnet("send", "1", "--yes", code=3)
    assert len(script.stored) == before + 2


def test_a_workspace_that_was_moved_goes_on(dairy: Dairy) -> None:
    script = Script()
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    with serving(script, dairy.port):
        dairy.gonnet("send", "1", "--only", "117", "--yes")
        moved = Dairy(folder=dairy.folder.with_name("elsewhere"), port=dairy.port)
        dairy.folder.rename(moved.folder)
        moved.gonnet("send", "1", "--yes", code=3)
    assert len(script.stored) == 4


def test_only_messages_prints_and_files_count_as_the_past_and_drafts_once_they_were_sent(dairy: Dairy) -> None:
    printer = f'printers: {{office: {{command: ["{sys.executable}", -c, pass]}}}}\n'
    folders = "folders: {archive: {path: archive}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + printer + folders)
    email = '  - email: {from: "Statements <statements@tarnvale.example>"}\n'
    rule = ("rules:\n", "rules:\n  - {name: again, when: past.times >= 0, hold: 'so many times'}\n")
    ways = ["  - print: {}\n", "  - folder: {}\n", "  - drafts: {from: s@tarnvale.example}\n", email]
    script = Script()
    with serving(script, dairy.port):
        for day, way in enumerate(ways, 1):
            dairy.job((email, way))
            dairy.gonnet("run", "statements", "--as-of", f"2026-11-0{day}", "--only", "117", "--yes")
    assert (times(dairy, rule), dairy.json("show", "3")["handed_over"]) == (3, {"drafted": 1})
    assert [list(dairy.json("show", run)["handed_over"]) for run in "124"] == [["printed"], ["filed"], ["sent"]]
    dairy.gonnet("settle", "3", "117", "--sent", "--why", "from my mail program")
    assert times(dairy, rule) == 4


def times(dairy: Dairy, rule: tuple[str, str]) -> int:
    dairy.job(rule)
    steps = dairy.json("explain", "statements", "117")["rules"]
    return int(next(step for step in steps if step["rule"] == "again")["values"]["past.times"])
