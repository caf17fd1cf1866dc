"""Rules that see the past, the run and the whole; and conditions that cannot be evaluated for somebody."""

from __future__ import annotations

import datetime as dt
from contextlib import closing
from typing import Any

import pytest

from gonnet.calendar.workdays import working_days
from gonnet.errors import JobError
from gonnet.ledger import past
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.surveying import pasts, portions
from gonnet.pipeline.tools import Tools
from support import AS_OF, RULES, Dairy

OTHER = ("deliver:\n", "  other: {subject: 'Since {{ past.sent_on }}', body: Other}\ndeliver:\n")


def outcomes(dairy: Dairy, tools: Tools, rules: str, day: dt.date = AS_OF) -> dict[str, tuple[str, str]]:
    """State and message of each package of a run of that day."""
    run = prepare(dairy.job((RULES, rules), OTHER), tools, Request(as_of=day, asked={}))
    return {
        key: (str(p.state), p.messages[0].called if p.messages else "") for key, p in dairy.by_key(tools, run).items()
    }


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ("when: past.times = 0, hold: x", {"00042": "ready", "117": "ready", "118": "held"}),
        ("when: past.times >= 2, hold: x", {"00042": "ready", "117": "held", "118": "ready"}),
        ("when: past.days < 14, hold: x", {"00042": "ready", "117": "held", "118": "ready"}),
        ("when: past.sent_on = date '2026-10-05', hold: x", {"00042": "held", "117": "ready"}),
        ("when: past.message = 'other', hold: x", {"00042": "ready", "117": "held"}),
        ("when: payable > earlier.payable, hold: x", {"00042": "ready", "117": "held", "118": "ready"}),
        ("when: not past.changed, skip: x", {"00042": "skipped", "117": "ready", "118": "ready"}),
        ("when: not past.changed, hold: x", {"00042": "held", "117": "ready", "118": "ready"}),
        ("when: run.weekday = 4 and run.date = date '2026-11-05', hold: x", {"00042": "held"}),
        ("when: run.working_day and run.working_day_of_month = 4, hold: x", {"00042": "held"}),
        ("when: run.recipients = 3 and run.rows = 5, hold: x", {"00042": "held"}),
        ("when: litres > 0.5 * whole.litres, hold: x", {"00042": "ready", "118": "held"}),
    ],
)
def test_rules_see_the_past_and_the_run(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, rule: str, expected: dict[str, str]
) -> None:
    for place in (past, pasts):  # one key after the other, as of a run of many
        monkeypatch.setattr(place, "_AT_ONCE", 1)
    monkeypatch.setattr(portions, "_WHOLE", 1)
    monkeypatch.setattr(portions, "_MANY", 1)
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2026, 10, 5), (RULES, "  []\n"), OTHER, only=("00042", "117"))
        milk = (dairy.folder / "milk.csv").read_text("utf-8")
        dairy.write("milk.csv", milk.replace("117,2026-10-01,800,392.40", "117,2026-10-01,700,300.00"))
        other = (RULES, "  - {name: r, when: rows > 0, message: other}\n")
        dairy.sent(tools, dt.date(2026, 10, 26), other, OTHER, only=("117",))
        dairy.write("milk.csv", milk)
        found = outcomes(dairy, tools, f"  - {{name: r, {rule}}}\nbeyond: few farms know each other\n")
    assert {key: found[key][0] for key in expected} == expected


def test_three_stages_of_a_reminder_follow_each_other(dairy: Dairy) -> None:
    rules = """\
  - {name: idle, when: rows = 0, skip: no milk}
  - {name: too soon, when: past.days < 14, skip: written to less than two weeks ago}
  - {name: second, when: past.times = 1, message: other}
  - {name: last, when: past.times >= 2, hold: the adviser calls}
"""
    days = [dt.date(2026, 9, 1) + dt.timedelta(days=n) for n in (0, 7, 14, 28)]
    with dairy.tools() as tools:
        seen = []
        for day in days:
            seen.append(outcomes(dairy, tools, rules, day)["117"])
            if seen[-1][0] == "ready":
                dairy.sent(tools, day, (RULES, rules), OTHER, only=("117",))
    assert seen == [("ready", "standard"), ("skipped", ""), ("ready", "other"), ("held", "standard")]


def test_a_text_may_say_when_it_was_last_written(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2026, 10, 5), (RULES, "  []\n"), OTHER, only=("117",))
        rule = "  - {name: r, when: past.times > 0, message: other}\n"
        run = prepare(dairy.job((RULES, rule), OTHER), tools, Request(as_of=AS_OF, asked={}))
        package = dairy.by_key(tools, run)["117"]
    assert package.messages[0].subject == "Since 5 Oct 2026"
    assert package.steps == (("r", True, ("message: other",), ()),)


@pytest.mark.parametrize(
    ("when", "says"),
    [
        ("100 / (litres - 1590) > 1", "the condition of rule 'r' fails: Division by zero in expression"),
        ("litres // (litres - 1590) > 1", "(litres = 1590)"),
        ("cast(recipient.adviser as integer) > 1 and rows = 2", "Could not convert string 'ines@tarnvale.example' to INT32"),
    ],
)  # fmt: skip
def test_a_condition_that_fails_for_somebody_holds_them_alone(dairy: Dairy, when: str, says: str) -> None:
    job = dairy.job((RULES, f'  - {{name: r, when: "{when}", skip: x}}\n'))
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
    with closing(found.engine):
        decisions: dict[str, Any] = {plan.key: plan.decision for plan in found.plans}
    assert str(decisions["117"].outcome) == "held"
    assert says in decisions["117"].reason
    assert str(decisions["118"].outcome) in ("ready", "skipped")


def test_a_figure_that_divides_by_nothing_is_empty(dairy: Dairy) -> None:
    job = dairy.job(("payable: sum(amount)", "payable: sum(amount), each: sum(amount) / (sum(litres) - 1590)"))
    with dairy.tools() as tools:
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
    with closing(found.engine):
        figures = {plan.key: plan.evaluated.figures["each"] for plan in found.plans}
    assert (figures["117"], figures["118"] is None) == (None, False)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ((RULES, "  - {name: r, when: past.changed, message: other}\n"), "such a rule skips or holds"),
        (("figures: {litres", "figures: {past: count(*), litres"), "a figure cannot be called 'past'"),
        ((RULES, "  - {name: r, when: past.tims > 1, hold: x}\n"), "the condition of rule 'r' does not run"),
    ],
)
def test_what_conditions_cannot_see_is_told(dairy: Dairy, change: tuple[str, str], says: str) -> None:
    with dairy.tools() as tools, pytest.raises(JobError) as caught:
        survey(dairy.job(change, OTHER), tools, Request(as_of=AS_OF, asked={}))
    assert any(says in str(mistake) for mistake in caught.value.mistakes)


def test_public_holidays_are_no_working_days() -> None:
    irish, plain = working_days("IE"), working_days(None)
    monday = dt.date(2026, 10, 26)  # the October bank holiday of Ireland
    assert (irish(monday), plain(monday), irish(dt.date(2026, 10, 27)), irish(dt.date(2026, 10, 25))) == (
        False,
        True,
        True,
        False,
    )
    with pytest.raises(JobError, match="the public holidays of 'XX' are not known"):
        working_days("XX")
