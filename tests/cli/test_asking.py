"""At a terminal `send` lists what it is about to do and asks; only a yes sends."""

from __future__ import annotations

import datetime as dt
import os
import pty
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import pytest

from loaded_program import Begun
from support import MEMBERS, MILK, Dairy
from terminal import typed_at


def typed(dairy: Dairy, answer: str, *words: str) -> tuple[int, str]:
    """Run the program in a terminal, type `answer` at its question; the exit code and what was on the screen."""
    inside, outside = pty.openpty()
    process = Begun(words, dairy.folder, dict(os.environ), [outside] * 3)
    os.close(outside)
    screen = b""
    with suppress(OSError):  # the terminal goes away with the process
        while data := os.read(inside, 4096):
            screen += data
            if any(sign in data for sign in (b"[y/N]", b"with / between): ", b"number of messages")):
                os.write(inside, answer.encode() + b"\n")
    os.close(inside)
    return process.wait(), screen.decode()


@pytest.mark.parametrize(("answer", "code", "count"), [("n", 2, 0), ("", 2, 0), ("y", 3, 4)])
def test_only_a_yes_sends(dairy: Dairy, serve: Callable[..., Any], answer: str, code: int, count: int) -> None:
    serve(dairy)
    dairy.gonnet("prepare", "statements", code=3)
    ended, screen = typed(dairy, answer, "send", "last")
    assert "About to send 2 packages: 4 messages to 3 addresses, through 127.0.0.1" in screen
    assert "Left out: 1 held, 1 skipped." in screen
    assert "run 1 was not reviewed yet" in screen
    assert (ended, len(dairy.mail())) == (code, count)
    assert ("Nothing was sent." in screen) == (count == 0)


@pytest.mark.parametrize(("answer", "count"), [("y", 0), ("3", 0), ("", 0), ("4", 4)])
def test_above_the_limit_of_the_workspace_the_number_is_typed(
    dairy: Dairy, serve: Callable[..., Any], answer: str, count: int
) -> None:
    serve(dairy)
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + "limits: {ask_number_above: 3}\n", "utf-8")
    dairy.gonnet("prepare", "statements", code=3)
    _, screen = typed(dairy, answer, "send", "last")
    assert "Send 4 messages now? Type the number of messages" in screen
    assert len(dairy.mail()) == count


def test_so_it_is_when_packages_are_sent_again(dairy: Dairy, serve: Callable[..., Any]) -> None:
    serve(dairy)
    dairy.gonnet("prepare", "statements", code=3)
    dairy.gonnet("send", "last", "--yes", code=3)
    settings = dairy.folder / "gonnet.yaml"
    settings.write_text(settings.read_text("utf-8") + "limits: {ask_number_above: 1}\n", "utf-8")
    _, screen = typed(dairy, "y", "resend", "last", "117")
    assert "Type the number of messages" in screen
    assert len(dairy.mail()) == 4
    typed(dairy, "2", "resend", "last", "117")
    assert len(dairy.mail()) == 6


def test_the_question_says_what_matters(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2026, 10, 5), only=("00042", "119"))
        dairy.sent(tools, dt.date(2026, 10, 6))
    dairy.write(
        "milk.csv", MILK + "119,2026-10-03,5000,99.00,\n" + "".join(f"20{n},2026-10-03,{n},1.00,\n" for n in range(5))
    )
    people = "".join(f"20{n},Farm {n} End,f{n}@other.example,\n" for n in range(5))
    dairy.write("members.csv", MEMBERS.replace("laka@", "new@") + people)
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    _, screen = typed(dairy, "n", "send", "last")
    said = " ".join(screen.split())
    for text in (
        "About to send 8 packages: 10 messages to 9 addresses",
        "Domains other.example 5, members.tarnvale.example 3, tarnvale.example 2",
        "Copies 2 cc among these messages",
        "Largest by litres: 119 Idle Acres 5,000, 00042 Zoë's Dairy 2,380, 117 Łąka Górna 1,590",
        "Smallest by litres: 200 Farm 0 End 0, 201 Farm 1 End 1, 202 Farm 2 End 2",
        "New not in run 2: 119 Idle Acres, 200 Farm 0 End, 201 Farm 1 End and 3 more",
        "Moved other addresses than in run 2: 117 now new@members.tarnvale.example, was laka@members.tarnvale.example",
    ):
        assert text in said, said


def test_a_reviewed_run_is_not_called_unreviewed(dairy: Dairy, serve: Callable[..., Any]) -> None:
    serve(dairy)
    dairy.gonnet("prepare", "statements", code=3)
    dairy.gonnet("review", code=3)
    _, screen = typed(dairy, "n", "send", "last")
    assert "not reviewed" not in screen


def test_a_look_at_one_package_is_no_review_of_the_run(dairy: Dairy) -> None:
    dairy.gonnet("prepare", "statements", code=3)
    dairy.gonnet("review", "--only", "117", code=3)
    assert dairy.gonnet("runs").stdout.rstrip().endswith("no")
    dairy.gonnet("review", code=3)
    assert dairy.gonnet("runs").stdout.rstrip().endswith("yes")


def test_a_missing_parameter_is_asked_for(dairy: Dairy) -> None:
    asking = "parameters: {period: {kind: month, label: Which month}}\ndata:\n"
    dairy.job(("data:\n", asking))
    ended, screen = typed(dairy, "2026-10", "prepare", "statements")
    assert "Which month (a month such as 2026-10" in screen
    assert "Milk statements, period 2026-10" in screen
    assert ended == 3
    assert "parameter 'period' has no value" in dairy.gonnet("prepare", "statements", code=2).stderr


def test_a_choice_is_shown_and_asked_for_again(dairy: Dairy) -> None:
    dairy.job(("data:\n", "parameters: {farm: {kind: choice, of: {rows: members, column: farm_name}}}\ndata:\n"))
    shown = typed_at(["keys", "statements"], dairy.folder, ["Halbank", "Hallbank"])
    assert "farm (one of farm_name in members: Hallbank, Idle Acres, Zoë's Dairy, Łąka Górna):" in shown
    assert "! 'Halbank' is not a choice of parameter 'farm'" in shown


def test_progress_and_summary_at_a_terminal(dairy: Dairy) -> None:
    _, screen = typed(dairy, "", "prepare", "statements")
    assert "Preparing" in screen
    assert "2 ready, 1 held, 1 skipped" in screen
