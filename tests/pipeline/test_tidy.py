"""Files are kept as long as is said; the record for ever; and what may still leave is never removed."""

from __future__ import annotations

import datetime as dt
import os

import pytest

from gonnet.errors import JobError, SealError
from gonnet.ledger import RunRecord, State
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.reviewing.by_hand import move
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tidy import look_round, tidy
from gonnet.pipeline.tools import Tools
from support import SETTINGS, Dairy, of, stored

DAY = dt.date(2026, 11, 5)
KEEP = ("title: Milk statements", "title: Milk statements\nkeep: 30 days")


def later(tools: Tools, days: int) -> Tools:
    at = dt.datetime(2026, 11, 5, 12, tzinfo=dt.UTC) + dt.timedelta(days=days)
    object.__setattr__(tools, "clock", lambda: at)
    return tools


def put_long_ago(tools: Tools) -> None:
    """As if everything had been put on the day of the run."""
    at = dt.datetime(2019, 11, 5, tzinfo=dt.UTC).timestamp()
    for digest, _, _ in tools.store.digests():
        os.utime(stored(tools, digest), (at, at))


def documents(dairy: Dairy, tools: Tools, run: RunRecord, key: str = "117") -> list[bytes]:
    return [tools.store.get(part.sha256) for part in dairy.by_key(tools, run)[key].documents]


def test_files_of_what_was_sent_go_when_they_are_old_and_the_record_stays(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, DAY, KEEP)
        run = tools.ledger.run("last")
        before = tools.ledger.packages(run.id)
        put_long_ago(tools)
        assert look_round(later(tools, 29)).digests == ()
        found = look_round(later(tools, 31))
        assert [kept.id for kept in found.runs] == [run.id]
        tidy(found, tools)
        assert tools.ledger.packages(run.id) == before
        assert "its files were removed" in tools.ledger.history(run.id)[-1][1]
        with pytest.raises(SealError):
            documents(dairy, tools, run)
        assert documents(dairy, tools, run, "118"), "it is held, and may be released"
        assert look_round(tools).digests == ()


def test_what_another_run_needs_or_may_still_leave_is_kept_and_what_never_will_is_not(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, DAY, KEEP)
        second = dairy.prepared(tools, KEEP)  # everybody has it from the first run, but the one who is held
        later_on = prepare(dairy.job(KEEP), tools, Request(as_of=DAY + dt.timedelta(days=1), asked={}))  # may all leave
        put_long_ago(tools)
        found = look_round(later(tools, 400))
        assert {run.id: count for run, count in found.waiting.items()} == {1: 1, second.id: 1, later_on.id: 3}
        tidy(found, tools)
        assert documents(dairy, tools, second, "118")
        assert documents(dairy, tools, later_on)
        move(tools.ledger.run("1"), tools, of("118"), State.SKIPPED, "gone", "maren")
        assert 1 not in {run.id for run in look_round(tools).waiting}


def test_what_a_run_that_is_being_made_relies_on_is_kept(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2020, 1, 1), KEEP)
        object.__setattr__(tools, "clock", lambda: dt.datetime.now(dt.UTC))
        put_long_ago(tools)
        one, two, *_ = [d.sha256 for part in tools.ledger.packages(tools.ledger.run("last").id) for d in part.documents]
        tools.store.put(tools.store.get(one))  # by a run that does not refer to it yet
        found = look_round(tools)
        assert one not in found.digests
        assert two in found.digests
        tools.store.put(tools.store.get(two))  # while the question is open whether to remove it
        tidy(found, tools)
        assert tools.store.get(two)


def test_the_workspace_says_how_long_where_a_job_does_not(dairy: Dairy) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + "ledger: {keep: 2 weeks}\n")
    with dairy.tools() as tools:
        dairy.sent(tools, DAY)
        put_long_ago(tools)
        assert look_round(later(tools, 13)).digests == ()
        assert look_round(later(tools, 15)).digests


def test_without_a_word_everything_is_kept_but_what_no_run_needs(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, DAY)
        stray = tools.store.put(b"of a run that was never finished")
        assert look_round(tools).digests == (), "it may belong to a run that is being made"
        long_ago = tools.clock().timestamp() - 100_000
        os.utime(stored(tools, stray), (long_ago, long_ago))
        found = look_round(tools)
        assert (found.digests, dict(found.runs)) == ((stray,), {})
        tidy(found, tools)
        assert documents(dairy, tools, tools.ledger.run("last"))


def test_a_span_that_is_none_is_told(dairy: Dairy) -> None:
    with pytest.raises(JobError, match="'for long' is not a span of time; write one such as 13 months"):
        dairy.job((KEEP[0], f"{KEEP[0]}\nkeep: for long"))


def test_by_the_command(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        dairy.sent(tools, dt.date(2020, 1, 1), KEEP)
        put_long_ago(tools)
    assert "no terminal to ask at" in dairy.gonnet("tidy", code=2).stderr
    said = dairy.gonnet("tidy", "--yes", code=3).stdout
    assert "files removed." in said
    assert "run 1: 1 package may still leave or are in doubt" in said
    dairy.gonnet("skip", "1", "118", "--why", "gone")
    assert "files removed." in dairy.gonnet("tidy", "--yes").stdout
    assert "There is nothing to remove." in dairy.gonnet("tidy", "--yes").stdout
