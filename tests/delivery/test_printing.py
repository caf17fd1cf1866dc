"""PDFs go to a program that prints: each once, and what is in doubt is called so."""

from __future__ import annotations

import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import JobError, UnreachableError
from gonnet.ledger import State
from gonnet.pipeline.reviewing.by_hand import Verdict, settle
from gonnet.pipeline.reviewing.sending_again import again
from gonnet.pipeline.send import Wish, send
from scripted_smtp import Script, serving
from support import SETTINGS, Dairy, of, wait_for

EMAIL = '  - email: {from: "Statements <statements@tarnvale.example>"}\n'
PRINT = "  - print: {printer: office}\n"
PROGRAM = """\
import pathlib, sys, time
data = open(sys.argv[2], "rb").read() if len(sys.argv) > 2 else sys.stdin.buffer.read()
tray = pathlib.Path("tray")
tray.mkdir(exist_ok=True)
(tray / f"{len(list(tray.iterdir()))} {sys.argv[1]}").write_bytes(data)
WHAT
"""


def with_printer(dairy: Dairy, what: str = "", words: str = '"{title}"', seconds: int = 20) -> None:
    dairy.write("lay.py", PROGRAM.replace("WHAT", what))
    command = f"printers: {{office: {{command: [{sys.executable}, lay.py, {words}], seconds: {seconds}}}}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + command)


def tray(dairy: Dairy) -> dict[str, bytes]:
    folder = dairy.folder / "tray"
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())} if folder.exists() else {}


@pytest.mark.parametrize("words", ['"{title}"', '"{title}", "{file}"'])
def test_the_pdfs_of_packages_are_printed_in_order_and_the_mail_follows(dairy: Dairy, words: str) -> None:
    with_printer(dairy, words=words)
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools, (EMAIL, EMAIL + PRINT))
        assert tray(dairy) == {}
        assert send(run, tools).states == {State.SENT: 2}
        packages = [dairy.by_key(tools, run)[key] for key in ("00042", "117")]
        pages = [tools.store.get(d.sha256) for p in packages for d in p.documents if d.format == "pdf"]
        assert send(run, tools).states == {}
        again(run, tools, of("117"), "lost", "maren")
        assert send(run, tools, Wish(again=True)).states == {State.SENT: 1}
    assert list(tray(dairy)) == ["0 00042 statement.pdf", "1 117 statement.pdf"]
    assert list(tray(dairy).values()) == pages
    assert len(script.stored) == 6, "three messages, each with a copy to the adviser"


def test_a_name_is_no_option_of_the_program(dairy: Dairy) -> None:
    with_printer(dairy)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, PRINT), ('name: "{{ key }} statement"', 'name: "--raw {{ key }}"'))
        assert send(run, tools).states == {State.SENT: 2}
    assert list(tray(dairy)) == ["0 raw 00042.pdf", "1 raw 117.pdf"]


def test_what_is_only_printed_is_printed_again_where_it_is_to_be_sent_again(dairy: Dairy) -> None:
    with_printer(dairy)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, PRINT))
        assert send(run, tools).states == {State.SENT: 2}
        again(run, tools, of("117"), "the tray was empty", "maren")
        assert send(run, tools, Wish(again=True)).states == {State.SENT: 1}
    first, second = (data for name, data in tray(dairy).items() if "117" in name)
    assert first == second


@pytest.mark.parametrize(
    ("what", "state", "why", "after"),
    [
        ("sys.exit('no such printer')", "failed", "ended with 1: no such printer", 2),
        ("time.sleep(30)", "unsure", "did not end within 1 seconds", 1),
        ("import os; os.kill(os.getpid(), 9)", "unsure", "stopped by signal 9", 1),
    ],
)
def test_what_the_program_refuses_is_tried_again_and_what_it_does_not_end_is_not(
    dairy: Dairy, what: str, state: str, why: str, after: int
) -> None:
    with_printer(dairy, what, seconds=1)
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools, (EMAIL, PRINT + EMAIL), only=("117",))
        send(run, tools)
        package = dairy.by_key(tools, run)["117"]
        assert (str(package.state), why in package.reason) == (state, True), package.reason
        with_printer(dairy)
        send(run, tools)
        assert len(tray(dairy)) == after
        if state == "unsure":
            assert script.stored == [], "nothing more leaves while a part of it is in doubt"
            settle(run, tools, of("117"), Verdict.SENT, "it lies there", "maren")
            send(run, tools)
        assert str(dairy.by_key(tools, run)["117"].state) == "sent"
        assert (len(tray(dairy)), len(script.stored)) == (after, 2)


def test_a_send_that_is_killed_while_it_prints_leaves_a_doubt_and_prints_nothing_twice(dairy: Dairy) -> None:
    with_printer(dairy, "time.sleep(3)")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, PRINT))
    words = [str(Path(sys.executable).with_name("gonnet")), "send", str(run.id), "--yes", "--quiet"]
    process = subprocess.Popen(words, cwd=dairy.folder, stdout=subprocess.DEVNULL)
    wait_for(lambda: tray(dairy))
    process.send_signal(signal.SIGKILL)
    process.wait()
    with_printer(dairy)
    said: Any = dairy.json("send", str(run.id), "--yes", code=3)
    states = {package["key"]: package["state"] for package in said["packages"]}
    assert (states["00042"], states["117"]) == ("unsure", "sent")
    assert [name[2:7] for name in tray(dairy)] == ["00042", "117 s"]
    told = dairy.gonnet("show", str(run.id), "00042", code=3).stdout
    assert "→ printer office: 00042 statement.pdf: unsure cut off" in told
    dairy.gonnet("settle", str(run.id), "00042", "--not-sent")
    dairy.gonnet("send", str(run.id), "--yes", code=None)
    assert [name[2:7] for name in tray(dairy)] == ["00042", "117 s", "00042"]


def test_a_printer_that_is_not_there_stops_everything_before_the_first_page(dairy: Dairy) -> None:
    with_printer(dairy)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, PRINT))
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "1") + "printers: {office: {command: [./no-such-program]}}\n")
    with dairy.tools() as tools:
        with pytest.raises(UnreachableError, match="no-such-program"):
            send(run, tools)
        assert tools.ledger.run(str(run.id)).counts[State.READY] == 2


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("documents: [{report: statement, as: pdf}, ", "documents: ["), "nothing of a package is a PDF"),
        (("as: pdf}", "as: pdf, password: {open: '${SECRET}'}}"), "a PDF that opens with a password cannot be printed"),
        (("printer: office", "printer: attic"), "there is no printer 'attic' in gonnet.yaml"),
    ],
)
def test_what_cannot_be_printed_is_told_before(dairy: Dairy, change: tuple[str, str], says: str) -> None:
    with_printer(dairy)
    with dairy.tools() as tools, pytest.raises(JobError) as caught:
        dairy.prepared(tools, (EMAIL, PRINT), change)
    assert any(says in str(mistake) for mistake in caught.value.mistakes), caught.value.mistakes
