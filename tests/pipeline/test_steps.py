"""Programs at the moments of a run: told what happened, decided by what happened, stopping only where that is said."""

from __future__ import annotations

import json
import sys
from typing import Any

import pytest

from gonnet.errors import DataError
from gonnet.pipeline.send import send
from gonnet.pipeline.stepping.steps import StepFailedError
from scripted_smtp import Script, serving
from support import SETTINGS, Dairy

BEGIN = "title: Milk statements\n"
WRITE = "import os,sys; print(os.environ['GONNET_STATE'], sys.stdin.read(), file=open('happened.txt', 'a'))"


@pytest.fixture
def programs(dairy: Dairy) -> Dairy:
    """A dairy whose workspace names a program that writes what it is told, and one that fails."""
    fails = "import sys; print('the portal is closed'); sys.exit(3)"
    said = json.dumps({"note": {"run": [sys.executable, "-c", WRITE]}, "fail": {"run": [sys.executable, "-c", fails]}})
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + f"programs: {said}\n")
    return dairy


def happened(dairy: Dairy) -> list[tuple[str, Any]]:
    place = dairy.folder / "happened.txt"
    lines = place.read_text("utf-8").splitlines() if place.exists() else []
    return [(line.partition(" ")[0], json.loads(line.partition(" ")[2])) for line in lines]


def with_steps(*steps: str) -> tuple[str, str]:
    return BEGIN, f"{BEGIN}steps: [{', '.join(steps)}]\n"


def test_each_is_told_what_happened_and_runs_where_its_condition_holds(programs: Dairy) -> None:
    moments = [f"{{program: note, at: {at}}}" for at in ("start", "prepared", "sent")]
    steps = with_steps(
        *moments,
        "{program: note, at: package, when: \"state = 'sent' and key = '117'\"}",
        "{program: note, at: prepared, when: held = 0}",
    )
    with serving(Script(), programs.port), programs.tools() as tools:
        sent = send(programs.prepared(tools, steps), tools)
    assert sent.troubles == ()
    found = happened(programs)
    assert [state for state, _ in found] == ["start", "prepared", "sent", "sent"]
    start, prepared, package, end = (told for _, told in found)
    assert (start["job"], start["run"]) == ("statements", None)
    assert (prepared["run"], prepared["rows"]) == (1, 5)
    assert prepared["packages"] == {"ready": 2, "held": 1, "skipped": 1}
    assert package["package"] == {"key": "117", "name": "Łąka Górna", "state": "sent", "reason": ""}
    assert end["packages"] == {"held": 1, "skipped": 1, "sent": 2}


def test_one_that_fails_is_told_and_stops_nothing(programs: Dairy) -> None:
    steps = with_steps(*(f"{{program: fail, at: {at}}}" for at in ("start", "prepared", "package", "sent")))
    with serving(Script(), programs.port) as _, programs.tools() as tools:
        run = programs.prepared(tools, steps)
        sent = send(run, tools)
    assert [text.endswith("ended with 3: the portal is closed") for _, text in run.findings[-2:]] == [True, True]
    assert [trouble.endswith("the portal is closed") for trouble in sent.troubles] == [True]
    assert sent.wants_attention
    assert sum(sent.states.values()) == 2


@pytest.mark.parametrize("moment", ["start", "prepared"])
def test_before_anything_leaves_it_stops_the_run_where_that_is_said(programs: Dairy, moment: str) -> None:
    with programs.tools() as tools:
        with pytest.raises(StepFailedError, match="the portal is closed"):
            programs.prepared(tools, with_steps(f"{{program: fail, at: {moment}, stops: true}}"))
        runs = tools.ledger.all_runs()
        assert [str(run.state) for run in runs] == (["aborted"] if moment == "prepared" else [])
        assert all("the portal is closed" in run.reason for run in runs)


def test_after_a_package_it_ends_the_send_where_that_is_said(programs: Dairy) -> None:
    script = Script()
    steps = with_steps("{program: fail, at: package, stops: true}")
    with serving(script, programs.port), programs.tools() as tools:
        sent = send(programs.prepared(tools, steps), tools)
        assert sent.report is not None
        assert "the portal is closed" in sent.report.ended
        assert {str(state): count for state, count in sent.run.counts.items()} == {
            "ready": 1, "held": 1, "skipped": 1, "sent": 1,
        }  # fmt: skip


def test_a_condition_that_cannot_be_asked_is_told_before_anything_is_made(programs: Dairy) -> None:
    with programs.tools() as tools, pytest.raises(DataError, match="hald"):
        programs.prepared(tools, with_steps("{program: note, at: sent, when: hald > 0}"))
    assert happened(programs) == []
