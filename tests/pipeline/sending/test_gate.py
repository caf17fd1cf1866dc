"""What the workspace does not allow does not leave, whatever a job says; and nothing leaves twice for one period."""

from __future__ import annotations

import datetime as dt

import pytest

from gonnet.errors import JobError, RunError
from gonnet.jobs import load_workspace
from gonnet.jobs.workspace import Limits
from gonnet.ledger import State
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.send import Wish, send
from gonnet.pipeline.sending.choosing import choose
from gonnet.pipeline.sending.gate import is_within, strangers
from gonnet.pipeline.survey import Request
from scripted_smtp import Script, serving
from support import AS_OF, SETTINGS, Dairy

LIMITS = "limits: {domains: [members.tarnvale.example]}\n"


def limited(dairy: Dairy, limits: str) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + limits)


@pytest.mark.parametrize(
    ("address", "is_allowed"),
    [
        ("a@tarnvale.example", True),
        ("a@MEMBERS.Tarnvale.example", True),
        ("a@nottarnvale.example", False),
        ("a@tarnvale.example.evil.test", False),
        ("tarnvale.example@evil.test", False),
    ],
)
def test_a_domain_allows_itself_and_those_below_it(address: str, *, is_allowed: bool) -> None:
    assert (strangers([address], Limits(domains=("@tarnvale.example",))) == []) is is_allowed
    assert strangers([address], Limits()) == []


def test_a_package_with_an_address_that_is_not_allowed_is_held(dairy: Dairy) -> None:
    limited(dairy, LIMITS)
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        found = dairy.by_key(tools, run)
        assert {key: str(package.state) for key, package in found.items()}["117"] == "held"
        assert found["117"].reason == "gonnet.yaml does not allow mail to ines@tarnvale.example"
        assert dict(run.account)["withheld"] == {"rule": 1, "address that is not allowed": 4}


def test_what_was_prepared_before_the_limit_does_not_leave_either(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
    limited(dairy, LIMITS)
    with dairy.tools() as tools, serving(script, dairy.port):
        assert send(run, tools).states == {State.HELD: 2}
        assert str(dairy.by_key(tools, run)["00042"].state) == "held"
    assert script.stored == []


@pytest.mark.parametrize(
    ("limits", "what"),
    [
        ("{messages: 3}", "4 messages would leave; gonnet.yaml allows 3 for a run"),
        ("{per_address: 1}", "2 messages would go to ines@tarnvale.example; gonnet.yaml allows 1 a day"),
        ("{quiet: 11:30-13:00}", "it is 12:00, and gonnet.yaml lets nothing leave from 11:30 to 13:00"),
    ],
)
def test_beyond_a_limit_nothing_leaves(dairy: Dairy, limits: str, what: str) -> None:
    script = Script()
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
    limited(dairy, f"limits: {limits}\n")
    noon = dt.datetime(2026, 11, 5, 12, tzinfo=dt.UTC)
    with dairy.tools(at=noon) as tools, serving(script, dairy.port), pytest.raises(RunError, match=what):
        send(run, tools)
    assert script.stored == []


@pytest.mark.parametrize(
    ("now", "span", "is_quiet"),
    [
        ("22:00", ("22:00", "06:00"), True),
        ("05:59", ("22:00", "06:00"), True),
        ("06:00", ("22:00", "06:00"), False),
        ("12:00", ("22:00", "06:00"), False),
        ("12:00", ("11:00", "13:00"), True),
        ("13:00", ("11:00", "13:00"), False),
    ],
)
def test_quiet_hours_go_over_midnight(now: str, span: tuple[str, str], *, is_quiet: bool) -> None:
    begin, end = map(dt.time.fromisoformat, span)
    assert is_within(dt.time.fromisoformat(now), (begin, end)) is is_quiet


def test_hours_that_are_none_are_told(dairy: Dairy) -> None:
    limited(dairy, "limits: {quiet: at night}\n")
    with pytest.raises(JobError, match="'at night' is not a time of the day; write one such as 22:00-06:00"):
        load_workspace(dairy.folder)


def test_nobody_gets_the_same_period_twice_unless_that_is_said(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        first = dairy.prepared(tools)
        assert send(first, tools, Wish(only=("117",))).states == {State.SENT: 1}
        second = dairy.prepared(tools)
        assert [package.key for package in choose(second, tools).packages] == ["00042"]
        assert [package.key for package in choose(second, tools, again=True).packages] == ["00042", "117"]
        assert [package.key for package in choose(first, tools).packages] == ["00042"]
        later = prepare(dairy.job(), tools, Request(as_of=AS_OF + dt.timedelta(days=1), asked={}))
        assert [package.key for package in choose(later, tools).packages] == ["00042", "117"], "another period"
        assert send(second, tools, Wish(again=True)).states == {State.SENT: 2}
    assert len(script.stored) == 6
