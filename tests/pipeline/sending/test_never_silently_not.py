"""Never silently not: what was refused, cut off or not due is told, and every package can be brought to an end."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from scripted_smtp import HANG_UP, Script, serving
from support import MEMBERS, MILK, Dairy, wait_for

ZOE, LAKA, INES = "zoe@members.tarnvale.example", "laka@members.tarnvale.example", "ines@tarnvale.example"
NOBODY_DUE = ("when: rows = 0, skip: no milk", "when: rows >= 0, skip: nothing is due")


def refused(dairy: Dairy, script: Script) -> str:
    """A run of which a server refused one recipient for good; what was told."""
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    with serving(script, dairy.port):
        return dairy.gonnet("send", "1", "--yes", code=3).stdout


def state(dairy: Dairy, key: str = "117") -> Any:  # noqa: ANN401
    return dairy.json("show", "1", key, code=None)["packages"][0]


@pytest.mark.parametrize(
    ("words", "came", "got"),
    [
        (["settle", "1", "117", "--not-sent"], "sent", [LAKA]),
        (["amend", "1", "117", "--to", "new@members.tarnvale.example"], "sent", ["new@members.tarnvale.example"]),
        (["settle", "1", "117", "--closed", "--why", "gave up the farm"], "sent", []),
    ],
)
def test_what_is_refused_for_good_is_no_dead_end(dairy: Dairy, words: list[str], came: str, got: list[str]) -> None:
    script = Script(answers={f"RCPT:{LAKA}": ["550 5.1.1 no such box", "250 ok"]})
    told = refused(dairy, script)
    assert f"{LAKA}: recipient refused: 550 5.1.1 no such box" in told
    for way in ("settle 1 117 --not-sent", "amend 1 117 --to ADDRESS", "settle 1 117 --closed"):
        assert f"gonnet {way}" in told
    script.stored.clear()
    dairy.gonnet(*words)
    with serving(script, dairy.port):
        dairy.gonnet("send", "1", "--yes", code=3)
        dairy.gonnet("send", "1", "--yes", code=3)
    assert [address for address, _ in script.stored] == got, "the copy to the adviser was taken, and is not sent again"
    found = state(dairy)
    assert found["state"] == came
    assert ("gave up the farm" in str(found)) == ("--closed" in words)


def test_a_package_that_is_closed_as_a_whole_is_skipped(dairy: Dairy) -> None:
    dairy.job((", cc: adviser", ""))
    refused(dairy, Script(answers={f"RCPT:{LAKA}": ["550 no such box"]}))
    dairy.gonnet("settle", "1", "117", "--closed", "--why", "gave up the farm")
    assert state(dairy)["state"] == "skipped"
    assert "say why it is closed" in dairy.gonnet("settle", "1", "117", "--closed", code=2).stderr


def test_a_server_that_hangs_up_at_one_recipient_does_not_stop_the_others(dairy: Dairy) -> None:
    script = Script(answers={f"RCPT:{ZOE}": [HANG_UP]})
    told = refused(dairy, script)
    assert f"{ZOE}: recipient refused for now: the server ended the conversation" in told
    assert Counter(address for address, _ in script.stored) == {LAKA: 1, INES: 2}


def test_where_nobody_is_due_there_is_nothing_to_send_and_all_is_well(dairy: Dairy) -> None:
    dairy.job(NOBODY_DUE, ("hold: more than the tank holds", "important: true"))
    told = dairy.gonnet("run", "statements", "--as-of", "2026-11-05", "--yes").stdout
    assert "Nothing to send: run 1 has 4 skipped." in told
    assert "4 packages: nothing is due" in told


def test_a_key_that_needs_quotes_is_proposed_so_that_it_can_be_pasted(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK.replace("117,", "Anvil & Co,"))
    dairy.write("members.csv", MEMBERS.replace("117,", "Anvil & Co,"))
    assert "gonnet settle 1 'Anvil & Co' --not-sent" in refused(dairy, Script(answers={f"RCPT:{LAKA}": ["550 no"]}))


def start(dairy: Dairy, words: list[str]) -> subprocess.Popen[str]:
    """The program, which heeds a hangup although whoever runs the tests may ignore it (nohup)."""
    before = signal.signal(signal.SIGHUP, signal.SIG_DFL)
    try:
        return subprocess.Popen(words, cwd=dairy.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    finally:
        signal.signal(signal.SIGHUP, before)


def many(dairy: Dairy) -> None:
    rows = "".join(f"F{n:04d},2026-10-01,{n},1.00,\n" for n in range(1200))
    people = "".join(f"F{n:04d},Farm {n},f{n}@x.example,\n" for n in range(1200))
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + rows)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGKILL])
def test_a_prepare_that_is_ended_is_told_as_aborted_and_leaves_no_addresses_behind(
    dairy: Dairy, number: signal.Signals
) -> None:
    many(dairy)
    words = [str(Path(sys.executable).with_name("gonnet")), "prepare", "statements"]
    process = start(dairy, words)
    making = dairy.folder / ".gonnet" / "making"
    wait_for(lambda: list(making.glob("*/kit")))
    process.send_signal(number)
    _, said = process.communicate(timeout=60)
    if number is not signal.SIGKILL:
        assert process.returncode == 2
        assert "Stopped" in said
        assert "Traceback" not in said
        assert not list(making.glob("*/*"))
    assert "aborted" in dairy.gonnet("runs").stdout
    assert not list(making.iterdir())
    assert "was aborted before its end" in dairy.gonnet("send", "1", "--yes", code=2).stderr


def test_a_hangup_ends_a_send_in_order(dairy: Dairy, serve: Any) -> None:  # noqa: ANN401
    serve(dairy, "--pause", "0.5")
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    words = [str(Path(sys.executable).with_name("gonnet")), "send", "1", "--yes"]
    process = start(dairy, words)
    wait_for(dairy.mail)
    process.send_signal(signal.SIGHUP)
    told, _ = process.communicate(timeout=60)
    assert process.returncode == 3
    assert "Stopped: " in told
    assert "unsure" not in dairy.json("show", "1", code=None)["states"]


@pytest.mark.parametrize("how", ["gone", "closed", "ascii"])
def test_output_that_nobody_reads_does_not_stop_a_send(dairy: Dairy, serve: Any, how: str) -> None:  # noqa: ANN401
    serve(dairy)
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    program = str(Path(sys.executable).with_name("gonnet"))
    line = {"gone": "send 1 --yes | head -0", "closed": "send 1 --yes >&-", "ascii": "send 1 --yes"}[how]
    environment = os.environ | ({"PYTHONIOENCODING": "ascii"} if how == "ascii" else {})
    found = subprocess.run(
        f"'{program}' {line}",
        shell=True,
        cwd=dairy.folder,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert "Traceback" not in found.stderr + found.stdout
    assert len(dairy.mail()) == 4
