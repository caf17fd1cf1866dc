"""The calendar by the commands of the installed program: called, staying, killed, printed for cron and systemd."""

from __future__ import annotations

import os
import random
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from loaded_program import begin_loaded
from support import MEMBERS, Dairy, wait_for

PROGRAM = str(Path(sys.executable).with_name("gonnet"))
FARMS = 12
CALENDAR = """\
figures: {load: max(load)}
once_per: load
calendar:
  - {name: new milk, waits_for: {file: milk.csv, settled: 0 seconds}, pause: 1 second}
"""


def calls_itself(dairy: Dairy) -> None:
    """A dairy whose job is run when its data are new."""
    dairy.write("members.csv", MEMBERS.splitlines()[0] + "\n" + "".join(
        f"F{n:03d},Farm {n:03d} of Tarnvale,f{n:03d}@members.tarnvale.example,\n" for n in range(FARMS)
    ))  # fmt: skip
    dairy.job(
        ("figures: {litres: sum(litres), payable: sum(amount)}\n", CALENDAR),
        ("  - {name: a lot, when: litres > 5000, hold: more than the tank holds}\n", ""),
        ('Payable: "{{ figures.payable | money }}"', 'Load: "{{ figures.load }}"'),
        ("payable: **{{ figures.payable | money }}**", "load {{ figures.load }}"),
        ("documents: [{report: statement, as: pdf}, ", "documents: ["),
        ("            - {field: remark}\n", ""),
        ('subject: "Statement of {{ recipient.farm_name }}"', 'subject: "Load {{ figures.load }}"'),
    )
    load(dairy, 0)


def load(dairy: Dairy, number: int) -> None:
    rows = "".join(f"F{n:03d},2026-10-01,{n},1.00,{number}\n" for n in range(FARMS))
    dairy.write("new.csv", "farm_no,day,litres,amount,load\n" + rows)
    (dairy.folder / "new.csv").replace(dairy.folder / "milk.csv")


def subjects(dairy: Dairy) -> Counter[tuple[str, str]]:
    """Address and subject of everything that arrived → how often."""
    from gonnet.demo.mailserver import kept

    found = kept(dairy.folder / "mailbox") if (dairy.folder / "mailbox").exists() else []
    return Counter((one.delivered_to, str(one.message["subject"])) for one in found)


@pytest.mark.parametrize("way", ["--run", "--stay"])
def test_killed_at_any_moment_nothing_is_run_twice_and_nothing_is_lost(
    dairy: Dairy, serve: Callable[..., Any], way: str
) -> None:
    calls_itself(dairy)
    serve(dairy, "--pause", "0.02")
    dairy.gonnet("due", "--run")  # the file of now is not new
    chance, loads = random.Random(11), 2
    for number in range(1, loads + 1):
        load(dairy, number)
        for _ in range(3):
            process = begin_loaded(("due", way, "--quiet"), dairy.folder)
            time.sleep(chance.uniform(0.1, 2.5))
            process.send_signal(signal.SIGKILL)
            process.wait()
        callers = [begin_loaded(("due", "--run", "--quiet"), dairy.folder) for _ in range(2)]
        assert {caller.wait(60) for caller in callers} <= {0, 3}
        wait_for(lambda: "Nothing is due" in dairy.gonnet("due", "--run", code=None).stdout)
    arrived = subjects(dairy)
    assert max(arrived.values()) == 1, "a message came twice"
    unsure = sum(run["states"].get("unsure", 0) for run in dairy.json("runs")["runs"])
    assert len(arrived) >= FARMS * loads - unsure
    assert unsure <= 3 * loads, "at most one doubt a kill"
    runs = [run for run in dairy.json("runs")["runs"] if run["state"] == "prepared"]  # not cut off while it was made
    assert len(runs) == loads


def test_a_service_says_that_it_is_ready_and_alive_and_ends_between_two_hand_overs(
    dairy: Dairy, serve: Callable[..., Any], tmp_path: Path
) -> None:
    calls_itself(dairy)
    serve(dairy, "--pause", "0.2")
    place = str(tmp_path / "notify")
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.bind(place)
        manager.settimeout(30)
        env = os.environ | {"NOTIFY_SOCKET": place, "WATCHDOG_USEC": "500000"}
        process = subprocess.Popen([PROGRAM, "due", "--stay"], cwd=dairy.folder, env=env, stderr=subprocess.DEVNULL)
        heard = {manager.recv(200) for _ in range(6)}
        assert {b"READY=1", b"WATCHDOG=1"} <= heard
        wait_for(lambda: dairy.json("due")["entries"][0]["stands"] == "waits")
        load(dairy, 1)
        wait_for(lambda: len(dairy.mail()) >= 2, 90)
        process.terminate()
        assert process.wait(timeout=30) == 0
    states = dairy.json("show", "statements", code=None)["states"]
    assert states["ready"] > 0
    assert states["sent"] == len(dairy.mail())
    assert "unsure" not in states
    dairy.gonnet("due", "--run")
    assert dairy.json("show", "statements")["states"] == {"sent": FARMS}
    assert max(subjects(dairy).values()) == 1


def test_what_is_printed_for_cron_runs_as_it_is_printed(dairy: Dairy, tmp_path: Path) -> None:
    place = tmp_path / "a place with blanks & 100 % of it" / "tarnvale"
    place.parent.mkdir()
    shutil.copytree(dairy.folder, place)
    text = subprocess.run([PROGRAM, "due", "--timer"], cwd=place, capture_output=True, text=True, check=True).stdout
    (line,) = [line for line in text.splitlines() if line.startswith("*/5")]
    assert not re.search(r"(?<!\\)%", line)  # cron ends a command there
    command = line.removeprefix("*/5 * * * * ").replace("\\%", "%")  # as cron hands it to the shell (crontab(5))
    ran = subprocess.run(["/bin/sh", "-c", command], cwd="/", capture_output=True, text=True, check=False)
    assert (ran.returncode, ran.stdout, ran.stderr) == (0, "", "")
    units = re.findall(r"^# (gonnet-\S+)\n(.*?)(?=^# gonnet-|\Z)", text, re.MULTILINE | re.DOTALL)
    assert [name.rpartition(".")[2] for name, _ in units] == ["service", "timer", "service"]
    for name, unit in units:
        (tmp_path / name).write_text(unit, "utf-8")
    if shutil.which("systemd-analyze") is None:
        pytest.skip("systemd-analyze is not installed")
    for name, _ in units:
        verified = subprocess.run(
            ["systemd-analyze", "verify", str(tmp_path / name)], capture_output=True, text=True, check=False
        )
        assert (verified.returncode, verified.stderr) == (0, ""), name


def test_what_is_due_is_listed_with_why_it_is_not(dairy: Dairy) -> None:
    dairy.write("gonnet.yaml", (dairy.folder / "gonnet.yaml").read_text("utf-8") + "holidays: IE\n")
    text = (dairy.folder / "jobs/statements.yaml").read_text("utf-8")
    dairy.write(
        "jobs/statements.yaml", text + "tags: [month-end]\ncalendar: {every: day, at: '23:59', from: 2090-01-01}\n"
    )
    dairy.write("jobs/other.yaml", text + "calendar: {every: 29 february, at: '08:00', short_month: leave out}\n")
    assert "it counts from the next `gonnet due --run` on" in dairy.gonnet("due").stdout
    assert "Nothing is due." in dairy.gonnet("due", "--run").stdout
    dairy.gonnet("pause", "other", "--why", "prices are not in yet")
    found = {entry["job"]: entry for entry in dairy.json("due")["entries"]}
    assert (found["statements"]["stands"], found["statements"]["why"]) == ("next", "from 2090-01-01")
    assert found["other"]["stands"] == "paused"
    assert found["other"]["why"].startswith("prices are not in yet")
    assert [job["job"] for job in dairy.json("jobs", "--tag", "month-end")["jobs"]] == ["statements"]
    dairy.gonnet("prepare", "other", code=3)
    listed = dairy.json("jobs", "--find", "łąka")["jobs"]
    assert [(job["job"], job["paused"], job["last_run"]) for job in listed] == [("other", True, 1)]
    assert dairy.json("show", "other", code=3)["run"] == 1
    dairy.write("jobs/broken.yaml", "calendar: {every: munday, at: '08:00'}\n")
    assert "'munday' does not say which days" in dairy.gonnet("due", code=3).stderr


def test_the_coming_dates_are_a_calendar_file(dairy: Dairy) -> None:
    with (dairy.folder / "jobs/statements.yaml").open("a", encoding="utf-8") as file:
        file.write("calendar: {every: day, at: '08:00'}\n")
    dairy.gonnet("due", "--days", "30", "--ics", "dates.ics")
    data = (dairy.folder / "dates.ics").read_bytes()
    assert data.count(b"BEGIN:VEVENT\r\n") == 30
    assert data.count(b"\n") == data.count(b"\r\n")
    assert max(len(line) for line in data.split(b"\r\n")) <= 75
    assert len(set(re.findall(rb"UID:(.*)\r", data))) == 30
    assert dairy.gonnet("due", "--days", "30").stdout.count("statements") == 30


def test_where_nobody_is_named_whoever_calls_it_is_told_once(dairy: Dairy) -> None:
    calls_itself(dairy)
    dairy.gonnet("due", "--run")
    load(dairy, 1)
    dairy.write("jobs/statements.yaml", "titel: Milk statements\n")
    found = dairy.json("due", "--run", code=3)
    assert [one["state"] for one in found["occurrences"]] == ["failed"]
    (notice,) = found["notices"]
    assert "Did you mean" in notice["text"]
    assert dairy.json("due", "--run")["notices"] == []
