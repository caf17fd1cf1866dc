"""Recipients × rules: what happens to each package, and why."""

from __future__ import annotations

from contextlib import closing
from typing import TYPE_CHECKING

import pytest

from gonnet.data import Periods, resolve
from gonnet.pipeline.survey import Request, survey
from support import AS_OF, RULES, Dairy

if TYPE_CHECKING:
    from gonnet.pipeline.survey import Survey


def surveyed(dairy: Dairy, rules: str) -> Survey:
    job = dairy.job((RULES, rules))
    with dairy.tools() as tools:
        return survey(job, tools, Request(as_of=AS_OF, asked={}))


def decided(dairy: Dairy, rules: str) -> dict[str, tuple[str, str]]:
    found = surveyed(dairy, rules)
    with closing(found.engine):
        return {plan.key: (str(plan.decision.outcome), plan.decision.reason) for plan in found.plans}


@pytest.mark.parametrize(
    ("rules", "expected"),
    [
        ("  []\n", {"00042": "ready", "117": "ready", "118": "ready", "119": "skipped"}),
        (RULES, {"00042": "ready", "117": "ready", "118": "held", "119": "skipped"}),
        ("  - {name: r, when: recipient.farm_name = 'Hallbank', skip: x}\n", {"00042": "ready", "118": "skipped"}),
        (
            "  - {name: r, when: payable > 1000 and rows = 2, hold: x}\n",
            {"00042": "held", "117": "ready", "118": "ready"},
        ),
        ("  - {name: r, when: litres / 0 > 1, hold: x}\n", {"00042": "held", "119": "skipped"}),
        ("  - {name: r, when: recipient.adviser is null, skip: x}\n", {"00042": "ready", "118": "skipped"}),
        ("  - {name: h, when: rows > 0, hold: x}\n  - {name: s, when: rows > 0, skip: y}\n", {"00042": "skipped"}),
        ("  - {name: r, when: $as_of > date '2026-01-01' and rows > 1 -- a comment, hold: x}\n", {}),
    ],
)
def test_rules_decide(dairy: Dairy, rules: str, expected: dict[str, str]) -> None:
    if "--" in rules:
        rules = rules.replace("when: $as_of", 'when: "$as_of').replace("a comment", 'a comment"')
        expected = {"00042": "held", "118": "ready"}
    found = decided(dairy, rules)
    assert {key: found[key][0] for key in expected} == expected


def test_the_first_rule_that_holds_gives_the_reason(dairy: Dairy) -> None:
    found = decided(dairy, "  - {name: a, when: rows > 5, hold: one}\n  - {name: b, when: rows > 1, hold: two}\n")
    assert found["00042"] == ("held", "two")


def test_a_condition_that_comes_out_unknown_does_not_hold_and_is_told(dairy: Dairy) -> None:
    found = surveyed(dairy, "  - {name: tail, when: recipient.adviser = 'nobody', hold: x}\n")
    with closing(found.engine):
        states = {plan.key: plan for plan in found.plans}
        assert str(states["118"].decision.outcome) == "ready"
        assert states["118"].decision.unknown == ("tail",)
        assert any("rule 'tail' is unknown for 1 key (118)" in finding.text for finding in found.findings)


def test_a_figure_over_no_rows_is_what_sql_says_of_no_rows(dairy: Dairy) -> None:
    job = dairy.job(("payable: sum(amount)", "payable: sum(amount), days: count(*), most: max(litres)"))
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
    with closing(found.engine):
        figures = next(plan.evaluated.figures for plan in found.plans if plan.key == "119")
    assert figures == {"rows": 0, "litres": None, "payable": None, "days": 0, "most": None}


def test_a_value_is_bound_and_never_becomes_sql(dairy: Dairy) -> None:
    dairy.write("members.csv", 'farm_no,farm_name,email,adviser\n117,"x\'); drop table milk; --",a@x.example,\n')
    job = dairy.job(
        ("title: Milk statements", "title: Milk statements\nparameters: {who: {kind: text}}"),
        ("when: litres > 5000", "when: recipient.farm_name = $who"),
    )
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={"who": "x'); drop table milk; --"}))
    with closing(found.engine):
        assert found.engine.count("milk") == 5
        assert {plan.key: str(plan.decision.outcome) for plan in found.plans}["117"] == "held"
    assert resolve(job.file.parameters, {"who": "a"}, AS_OF, Periods()).bound()["who"] == "a"
