"""At a terminal `send` lists what it is about to do and asks; only a yes sends."""

from __future__ import annotations

import os
import pty
from collections.abc import Callable
from contextlib import suppress
from typing import Any

import pytest

from loaded_program import Begun
from support import Dairy
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
            if b"[y/N]" in data or b"with / between): " in data:
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
