"""Several connections, a pace, and new tries: everything leaves once, whatever the number of hands."""

from __future__ import annotations

import datetime as dt
import threading
from collections import Counter
from typing import Any

import pytest

from gonnet.errors import UnreachableError
from gonnet.jobs.services import PerMinute
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.pipeline.send import send
from gonnet.pipeline.sending.handing_over import SendReport, _Hands
from gonnet.pipeline.sending.pacing import Pace, Paces
from gonnet.pipeline.stopping import Stop
from gonnet.pipeline.tools import Tools
from scripted_smtp import HANG_UP, Script, serving
from support import SETTINGS, Dairy

BOTH_RECORDS = "always"

FARMS = 24


def crowd(dairy: Dairy, tools: Tools) -> RunRecord:
    keys = [f"F{number:02d}" for number in range(FARMS)]
    dairy.write("milk.csv", "farm_no,day,litres,amount,remark\n" + "".join(f"{k},2026-10-01,1,1.00,\n" for k in keys))
    people = "".join(f"{key},Farm {key},{key}@x.example,\n" for key in keys)
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n" + people)
    return dairy.prepared(tools, ("documents: [{report: statement, as: pdf}, ", "documents: ["))


def serve_by(dairy: Dairy, settings: str) -> None:
    text = SETTINGS.replace("PORT", str(dairy.port)).replace("seconds: 5", f"seconds: 5, {settings}")
    dairy.write("gonnet.yaml", text)


@pytest.mark.parametrize("connections", [1, 5])
def test_each_message_leaves_once_over_so_many_connections(dairy: Dairy, connections: int) -> None:
    serve_by(dairy, f"connections: {connections}")
    script, told = Script(), []
    with dairy.tools() as tools, serving(script, dairy.port):
        run = crowd(dairy, tools)
        report = send(run, tools, tell=lambda package, _state: told.append(package.key)).report
        assert report == SendReport(states={State.SENT: FARMS})
        assert tools.ledger.run(str(run.id)).counts == {State.SENT: FARMS}
    assert script.connections == connections
    assert Counter(address for address, _ in script.stored) == {f"F{n:02d}@x.example": 1 for n in range(FARMS)}
    assert sorted(told) == [f"F{n:02d}" for n in range(FARMS)]


def test_who_is_done_first_leaves_the_others_time_for_all_messages_of_their_package(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    serve_by(dairy, "connections: 2")
    main, both, first_is_done = threading.current_thread(), threading.Barrier(2), threading.Event()
    work, hand_over = _Hands.work, _Hands._hand_over

    def until_done(self: _Hands, lanes: Any) -> None:  # noqa: ANN401
        work(self, lanes)
        first_is_done.set()

    def in_step(self: _Hands, package: PackageRecord, lanes: Any) -> State:  # noqa: ANN401
        both.wait(20)
        if threading.current_thread() is not main:
            assert first_is_done.wait(20)
        return hand_over(self, package, lanes)

    monkeypatch.setattr(_Hands, "work", until_done)
    monkeypatch.setattr(_Hands, "_hand_over", in_step)
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        report = send(dairy.prepared(tools), tools).report
    assert report == SendReport(states={State.SENT: 2})
    assert len(script.stored) == 4  # each package has two addresses


def test_a_server_that_breaks_off_leaves_every_package_in_a_true_state(dairy: Dairy) -> None:
    serve_by(dairy, "connections: 3")
    script = Script(answers={"dot": ["250 taken"] * 5 + [HANG_UP], "banner": ["220 x"] * 3 + ["421 no more"]})
    with dairy.tools() as tools, serving(script, dairy.port):
        run = crowd(dairy, tools)
        report = send(run, tools)
        counts = tools.ledger.run(str(run.id)).counts
    assert report.interrupted is not None
    arrived = {address for address, _ in script.stored}
    with dairy.tools() as tools:
        for package in tools.ledger.packages(run.id):
            assert str(package.state) in ("sent", "unsure", "ready")
            if str(package.state) == "sent":
                assert package.to[0] in arrived
            if str(package.state) == "ready":
                assert package.to[0] not in arrived
    assert 1 <= counts[State.UNSURE] <= 3, "one for each connection at most"


def test_a_login_that_is_refused_stops_everything_before_the_first_message(dairy: Dairy) -> None:
    serve_by(dairy, "connections: 4")
    script = Script(answers={"banner": ["554 go away"]})
    with dairy.tools() as tools, serving(script, dairy.port):
        run = crowd(dairy, tools)
        with pytest.raises(UnreachableError, match="554"):
            send(run, tools)
        assert tools.ledger.run(str(run.id)).counts == {State.READY: FARMS}


def test_what_is_refused_for_now_is_tried_again_with_growing_pauses(dairy: Dairy) -> None:
    serve_by(dairy, "retries: 3, pause: 30")
    waited: list[float] = []
    script = Script(answers={"RCPT:laka@members.tarnvale.example": ["451 greylisted", "451 greylisted", "250 ok"]})
    with dairy.tools() as tools, serving(script, dairy.port):
        object.__setattr__(tools.stop, "sleep", waited.append)
        run = dairy.prepared(tools)
        assert send(run, tools).states == {State.SENT: 2}
        part = dairy.by_key(tools, run)["117"].mailed[0]
    assert waited == [30, 60]
    assert len([1 for address, _ in script.stored if address.startswith("laka")]) == 1
    assert str(part.state) == "sent"


@pytest.mark.parametrize("limit", ["retries: 2, pause: 0", "retries: 12, pause: 61, retry_minutes: 3"])
def test_after_the_last_try_it_stays_for_the_next_send(dairy: Dairy, limit: str) -> None:
    serve_by(dairy, limit)
    script = Script(answers={"RCPT:laka@members.tarnvale.example": ["451 greylisted"]})
    with dairy.tools() as tools:
        waited: list[float] = []
        begun = tools.clock()
        object.__setattr__(tools.stop, "sleep", waited.append)
        object.__setattr__(tools, "clock", lambda: begun + dt.timedelta(seconds=sum(waited)))
        run = dairy.prepared(tools)
        with serving(script, dairy.port):
            assert send(run, tools).states == {State.SENT: 1, State.FAILED: 1}
            assert waited in ([0, 0], [61])
        with serving(Script(), dairy.port):
            assert send(run, tools).states == {State.SENT: 1}


def test_stopped_in_a_pause_it_tries_no_more(dairy: Dairy) -> None:
    serve_by(dairy, "retries: 3, pause: 30")
    script = Script(answers={"RCPT:laka@members.tarnvale.example": ["451 greylisted"]})
    with dairy.tools() as tools, serving(script, dairy.port):
        object.__setattr__(tools.stop, "sleep", lambda _seconds: tools.stop.ask())
        assert send(dairy.prepared(tools), tools).states == {State.SENT: 1, State.FAILED: 1}
    assert script.connections == 1
    stop = Stop()
    stop.ask()
    stop.sleep(600)


def test_a_pace_is_kept_over_all_connections() -> None:
    now, slept = [0.0], []

    def sleep(seconds: float) -> None:
        slept.append(round(seconds, 6))

    pace = Pace(120, sleep)
    for _ in range(4):
        pace.wait(lambda: now[0])
    now[0] = 10.0
    pace.wait(lambda: now[0])
    assert slept == [0, 0.5, 1.0, 1.5, 0]
    quick = Pace(None, sleep)
    threads = [threading.Thread(target=quick.wait) for _ in range(3)]
    for thread in threads:
        thread.start()
        thread.join()
    assert len(slept) == 5, "without a pace nobody waits"


def test_each_connection_and_each_domain_has_a_pace_of_its_own() -> None:
    slept: list[float] = []
    spec = PerMinute.model_validate({"connection": 60, "domain": 30, "domains": {"Slow.example": 6}})
    taken: Counter[str] = Counter()

    def take(name: str, gap: float) -> float:
        taken[name] += 1
        return (taken[name] - 1) * gap

    paces = Paces("office", spec, take, lambda seconds: slept.append(round(seconds)))
    one, other = paces.lane(), paces.lane()
    for address, lane in (
        ("a@x.example", one),
        ("b@x.example", other),
        ("c@slow.example", one),
        ("d@SLOW.example", one),
    ):
        paces.wait(address, lane)
    assert slept == [0, 2, 0, 1, 10, 2]


def test_nothing_comes_between_an_answer_and_its_place_in_the_ledger(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    with dairy.tools() as tools, serving(Script(), dairy.port):
        run = dairy.prepared(tools)
        found = []

        def say(event: str, **parts: object) -> None:
            if event == "handed over":
                known = {part.id: part.state for p in tools.ledger.packages(run.id) for part in p.hand_overs}
                found.append(str(known[int(str(parts["hand_over"]))]))

        monkeypatch.setattr(tools.log, "say", say)
        send(run, tools)
        assert found == ["sent"] * 4
