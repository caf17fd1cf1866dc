"""Whatever leaves passes the gate, right before each attempt: trials, new tries, second copies and summaries too."""

from __future__ import annotations

import datetime as dt

import pytest

from gonnet.errors import RunError
from gonnet.ledger import State
from gonnet.pipeline.run import resend
from gonnet.pipeline.send import Wish, send
from gonnet.pipeline.sending.summary import send_summary
from gonnet.pipeline.sending.trial import trial
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from scripted_smtp import Script, serving
from support import SETTINGS, Dairy, of

ME = [Address(mailbox="me@tarnvale.example")]
QUIET = "limits: {quiet: 22:00-06:00}\n"
EVENING = dt.datetime(2026, 11, 5, 21, 59, 30, tzinfo=dt.UTC)


def limit(dairy: Dairy, text: str, server: str = "") -> None:
    dairy.write(
        "gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)).replace("seconds: 5", f"seconds: 5{server}") + text
    )


def wake(tools: Tools, seconds: float) -> None:
    """Let the clock go on by so many seconds whenever somebody waits."""
    now = [EVENING]

    def sleep(wanted: float) -> None:
        now[0] += dt.timedelta(seconds=max(wanted, seconds))

    object.__setattr__(tools.stop, "sleep", sleep)
    object.__setattr__(tools, "clock", lambda: now[0])


@pytest.mark.parametrize(
    ("limits", "at", "what"),
    [
        ("{domains: [members.tarnvale.example]}", 12, "does not allow mail to me@tarnvale.example"),
        ("{quiet: 11:30-13:00}", 12, "it is 12:00, and gonnet.yaml lets nothing leave"),
        ("{messages: 1}", 12, "2 messages would leave; gonnet.yaml allows 1 for a run"),
        ("{per_day: 1}", 12, "2 messages would leave; gonnet.yaml allows 1 a day"),
        ("{per_address: 1}", 12, "2 messages would go to me@tarnvale.example; gonnet.yaml allows 1 a day"),
    ],
)
def test_a_trial_passes_it(dairy: Dairy, limits: str, at: int, what: str) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
    limit(dairy, f"limits: {limits}\n")
    script = Script()
    noon = dt.datetime(2026, 11, 5, at, tzinfo=dt.UTC)
    with dairy.tools(at=noon) as tools, serving(script, dairy.port), pytest.raises(RunError, match=what):
        trial(run, tools, ME, only=("00042", "117"))
    assert script.stored == []


@pytest.mark.parametrize("limits", ["{messages: 4}", "{per_day: 4}"])
def test_what_left_before_counts_trials_and_other_sends_too(dairy: Dairy, limits: str) -> None:
    limit(dairy, f"limits: {limits}\n")
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        trial(run, tools, ME, only=("117",))
        send(run, tools, Wish(only=("117",)))
        with pytest.raises(RunError, match=r"2 messages would leave and 3 left already; gonnet.yaml allows 4"):
            send(run, tools, Wish(only=("00042",)))
    assert len(script.stored) == 3


def test_a_paced_send_ends_when_quiet_hours_begin(dairy: Dairy) -> None:
    limit(dairy, QUIET, ", per_minute: 60")
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        wake(tools, 20)
        sent = send(run, tools)
        assert sent.report is not None
        assert "it is 22:00, and gonnet.yaml lets nothing leave from 22:00 to 06:00" in sent.report.ended
        assert sent.wants_attention
        assert tools.ledger.run("1").counts[State.READY] >= 1
        with pytest.raises(RunError, match="it is 22:0"):
            send(run, tools)
    assert 0 < len(script.stored) < 4


def test_a_new_try_does_not_go_into_quiet_hours(dairy: Dairy) -> None:
    limit(dairy, QUIET, ", retries: 3, pause: 60")
    script = Script(answers={"RCPT:laka@members.tarnvale.example": ["451 greylisted", "250 ok"]})
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        wake(tools, 0)
        send(run, tools)
        assert str(dairy.by_key(tools, run)["117"].state) == "failed"
    assert [address for address, _ in script.stored].count("laka@members.tarnvale.example") == 0


def test_quiet_hours_are_those_of_the_workspace(dairy: Dairy) -> None:
    limit(dairy, "limits: {quiet: 22:00-06:00}\ntime_zone: Pacific/Auckland\n")  # 13 hours ahead in November
    with (
        dairy.tools(at=dt.datetime(2026, 11, 5, 10, tzinfo=dt.UTC)) as tools,
        pytest.raises(RunError, match="it is 23:00"),
    ):
        send(dairy.prepared(tools), tools)


def test_a_summary_passes_it(dairy: Dairy) -> None:
    summary = "summary: {to: maren@office.example, from: reports@tarnvale.example}\n"
    limit(dairy, summary + "limits: {domains: [tarnvale.example]}\n")
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        said = send_summary(tools.ledger.run(str(run.id)), tools)
    assert said is not None
    assert "does not allow mail to maren@office.example" in said
    assert script.stored == []


def test_a_second_copy_passes_it(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools)
        send(run, tools)
    limit(dairy, "limits: {domains: [members.tarnvale.example]}\n")
    with dairy.tools() as tools, serving(script, dairy.port):
        resend(run, tools, of("117"), "", "maren", lambda _intention: True, lambda _package, _state: None)
        assert dairy.by_key(tools, run)["117"].reason == "gonnet.yaml does not allow mail to ines@tarnvale.example"
    assert len(script.stored) == 4, "no part of it leaves when another may not"


def test_two_sends_cannot_both_hand_over_the_last_message_of_a_day(dairy: Dairy) -> None:
    limit(dairy, "limits: {per_day: 1}\n")
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools, (", cc: adviser", ""))
        other = dairy.prepared(tools, (", cc: adviser", ""), only=("117",))
        first, second = (dairy.by_key(tools, at)[key] for at, key in ((run, "00042"), (other, "117")))
        # both looked before anything left, and found the day's one message still free
        from gonnet.pipeline.sending.gate import AllowanceUsedError, Gate, Leaving

        assert Gate(run, tools).begins(Leaving(first.mailed[0], first))
        with pytest.raises(
            AllowanceUsedError, match=r"the limit of messages for a day is reached: gonnet\.yaml allows 1"
        ):
            Gate(other, tools).begins(Leaving(second.mailed[0], second))
        assert dairy.by_key(tools, other)["117"].mailed[0].state == "waiting"
