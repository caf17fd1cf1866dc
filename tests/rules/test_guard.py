"""The guard of a run: what moved too far from the last one that was sent waits for a person's word."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest

from gonnet.errors import JobError
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from support import AS_OF, RULES, Dairy

FEW = "farm_no,day,litres,amount,remark\n00042,2026-10-01,1200,588.05,\n117,2026-10-01,800,392.40,\n"


@pytest.mark.parametrize(
    ("guard", "why"),
    [
        ("{recipients: 40%}", ""),
        ("{recipients: 20%}", "recipients: 2, and 3 in run 1 (33 % less)"),
        ("{totals: {payable: 90%}}", ""),
        ("{totals: {payable: 50%, rows: 10%}}", "payable: 980.45, and 5,082.46 in run 1 (81 % less); rows: 2, and 5 in run 1"),
        ("{held: 50%}", ""),
        ("{held: 49%}", "1 of 2 packages are held, more than 49 %"),
    ],
)  # fmt: skip
def test_a_run_that_moved_too_far_is_held_as_a_whole(dairy: Dairy, guard: str, why: str) -> None:
    rules = "  - {name: r, when: litres < 1000, hold: little}\n"
    change = ("messages:\n", f"guard: {guard}\nmessages:\n")
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2026, 10, 5), (RULES, "  []\n"))
        dairy.write("milk.csv", FEW)
        for guarded in (True, False):
            request = Request(as_of=AS_OF, asked={}, guarded=guarded)
            run = prepare(dairy.job((RULES, rules), change), tools, request)
            found = {key: (str(p.state), p.reason) for key, p in dairy.by_key(tools, run).items()}
            expected = ("held", f"the whole run is held: {why}") if why and guarded else ("ready", "")
            assert (found["00042"][0], found["00042"][1][: len(expected[1])]) == expected
            assert found["117"] == ("held", "little")
            withheld: Any = run.account["withheld"]
            assert withheld.get("guard of the run", 0) == (1 if why and guarded else 0)


def test_the_first_run_has_nothing_to_be_compared_with(dairy: Dairy) -> None:
    dairy.job(("messages:\n", "guard: {recipients: 0%, totals: {payable: 0%}}\nmessages:\n"))
    assert "the whole run" not in dairy.gonnet("check", "statements", code=3).stdout
    dairy.gonnet("prepare", "statements", "--unguarded", code=3)


@pytest.mark.parametrize(
    ("guard", "says"),
    [
        ("{recipients: 10}", "'10' is not a share; write one such as 10%"),
        ("{totals: {paid: 5%}}", "there is no figure 'paid'"),
    ],
)
def test_a_guard_that_cannot_be_is_told(dairy: Dairy, guard: str, says: str) -> None:
    change = ("messages:\n", f"guard: {guard}\nmessages:\n")
    with dairy.tools() as tools, pytest.raises(JobError) as caught:
        prepare(dairy.job(change), tools, Request(as_of=AS_OF, asked={}))
    assert any(says in str(mistake) for mistake in caught.value.mistakes)
