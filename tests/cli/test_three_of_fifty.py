"""Every command for several packages does what it says to three of fifty, however they are meant, and to no other."""

from __future__ import annotations

import pytest

from gonnet.ledger import PackageRecord
from scripted_smtp import Script, serving
from support import Dairy

THREE = ("F-07", "F-08", "F-09")
HOW = [("F-0[789]",), ("@three.txt",), ("--where", "litres between 700 and 900")]
Step = tuple[tuple[str, ...], str, str]
BEFORE: tuple[Step, ...] = (
    (("hold", "--why", "look"), "held", "held by"),
    (("release", "--why", "called"), "ready", "released by"),
    (("amend", "--subject", "Corrected", "--why", "typo"), "ready", "subject changed to 'Corrected' by"),
    (("skip", "--why", "left"), "skipped", "skipped by"),
)
AFTER: tuple[Step, ...] = (
    (("settle", "--not-sent", "--why", "box was full"), "ready", "not sent"),
    (("resend", "--why", "lost"), "sent", "to be sent again"),
)


@pytest.fixture
def fifty(dairy: Dairy) -> Dairy:
    """A run of fifty messages."""
    keys = [f"F-{number:02d}" for number in range(1, 51)]
    lines = (f"{key},2026-10-01,{100 * at},{at}.50,\n" for at, key in enumerate(keys, 1))
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + "".join(lines))
    people = (f"{key},Farm {key[2:]} of Tarnvale,f{key[2:]}@members.tarnvale.example,\n" for key in keys)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + "".join(people))
    dairy.write("three.txt", "\n".join(THREE))
    documents = "[{report: statement, as: pdf}, {report: statement, as: xlsx}]"
    dairy.job(("litres > 5000", "litres > 50000"), (documents, "[]"))
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05")
    return dairy


def packages(dairy: Dairy) -> tuple[dict[str, PackageRecord], dict[str, int]]:
    """Key → the package, and how many events its history has."""
    with dairy.tools() as tools:
        found = {one.key: one for one in tools.ledger.packages(1)}
        return found, {key: len(tools.ledger.history(1, one.id)) for key, one in found.items()}


def require_three(dairy: Dairy, step: Step, how: tuple[str, ...]) -> None:
    (verb, *rest), state, said = step
    before, events = packages(dairy)
    dairy.gonnet(verb, "1", *how, *rest, "--yes", code=None)
    after, now = packages(dairy)
    assert {key for key in after if after[key] != before[key]} == set(THREE)
    assert {key for key in now if now[key] != events[key]} == set(THREE)
    assert [str(after[key].state) for key in THREE] == [state] * 3
    with dairy.tools() as tools:
        for key in THREE:
            assert any(said in what for _, what in tools.ledger.history(1, after[key].id)[events[key] :])


@pytest.mark.parametrize("how", HOW, ids=lambda how: how[0])
def test_before_anything_leaves(fifty: Dairy, how: tuple[str, ...]) -> None:
    for step in BEFORE:
        require_three(fifty, step, how)


@pytest.mark.parametrize("how", HOW, ids=lambda how: how[0])
def test_afterwards(fifty: Dairy, how: tuple[str, ...]) -> None:
    answers = {f"RCPT:f{key[2:]}@members.tarnvale.example": ["550 box is full", "250 ok"] for key in THREE}
    script = Script(answers=answers)
    with serving(script, fifty.port):
        fifty.gonnet("send", "1", "--yes", code=3)
        require_three(fifty, AFTER[0], how)
        fifty.gonnet("send", "1", "--yes")
        require_three(fifty, AFTER[1], how)
    assert len(script.stored) == 50 + 3
