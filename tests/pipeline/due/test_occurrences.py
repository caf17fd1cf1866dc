"""Occurrences: each is run once, goes on where it was cut off, and is heard of when something is wrong."""

from __future__ import annotations

import datetime as dt
import email
import email.policy
import os
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from email.message import EmailMessage
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import RunError, StorageError
from gonnet.jobs import load_workspace
from gonnet.ledger import FolderStore, RunRecord, State
from gonnet.ledger.calendar import OccurrenceRecord
from gonnet.ledger.states import Purpose
from gonnet.pipeline.due import running
from gonnet.pipeline.due.calendars import Calendars
from gonnet.pipeline.due.overview import never_run
from gonnet.pipeline.due.pausing import pause, resume
from gonnet.pipeline.due.rounds import Round, go_round
from gonnet.pipeline.reviewing.looking import note_review
from gonnet.pipeline.send import Sent, Wish, send
from gonnet.pipeline.sending.approving import approve
from gonnet.pipeline.sending.gate import Gate, Leaving
from gonnet.pipeline.tools import Tools, open_tools
from scripted_smtp import Script, serving
from support import JOB, MILK, SETTINGS, Dairy

pytestmark = pytest.mark.takes_long

BOTH_RECORDS = "asked"

MONDAY = dt.datetime(2026, 11, 30, 8, tzinfo=dt.UTC)
SUMMARY = "summary: {to: maren@tarnvale.example, from: gonnet@tarnvale.example, when: WHEN}\n"
EVERY = "{every: monday, at: '08:00'}"
NOBODY_HELD = JOB.replace("hold: more than", "skip: more than")


class Year:
    """A dairy whose clock is set by hand."""

    def __init__(self, dairy: Dairy, tools: Tools, script: Script) -> None:
        self.dairy, self.tools, self.script = dairy, tools, script
        self.now = MONDAY - dt.timedelta(hours=1)
        self.calendars = Calendars(tools)

    def at(self, when: dt.datetime) -> Round:
        """Go round at a time."""
        self.now = when
        return go_round(self.calendars)

    def later(self, **length: float) -> Round:
        return self.at(self.now + dt.timedelta(**length))

    @property
    def occurrences(self) -> list[OccurrenceRecord]:
        return list(self.tools.ledger.occurrences.since(MONDAY - dt.timedelta(days=30)))

    @property
    def states(self) -> list[str]:
        return [str(one.state) for one in self.occurrences]

    def told(self) -> list[EmailMessage]:
        """What the administrator heard."""
        found = [data for address, data in self.script.stored if address.startswith("maren@")]
        return [email.message_from_bytes(data, policy=email.policy.default) for data in found]

    @property
    def sent(self) -> list[str]:
        return [address for address, _ in self.script.stored if not address.startswith("maren@")]


def text_of(message: EmailMessage) -> str:
    body = message.get_body(("plain",))
    assert body is not None
    return str(body.get_content())


@contextmanager
def a_year(
    dairy: Dairy, entry: str = EVERY, job: str = NOBODY_HELD, when: str = "when wrong", more: str = ""
) -> Iterator[Year]:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + SUMMARY.replace("WHEN", when) + more)
    dairy.write("jobs/statements.yaml", job + f"calendar: [{entry}]\n")
    script = Script()
    clock: list[Year] = []
    with (
        serving(script, dairy.port),
        open_tools(load_workspace(dairy.folder), 1, clock=lambda: clock[0].now if clock else MONDAY) as tools,
    ):
        clock.append(Year(dairy, tools, script))
        clock[0].later()  # it is seen before anything is due
        yield clock[0]


def test_what_needs_approval_is_prepared_and_asked_for_and_nothing_leaves(dairy: Dairy) -> None:
    with a_year(dairy, more="approval: {by: 1, of: [ann]}\n") as year:
        assert [str(came.occurrence.state) for came in year.later(hours=1.1).came] == ["to review"]
        assert year.sent == []
        (told,) = year.told()
        assert "it needs the approval of one of ann, by `gonnet approve 1`" in " ".join(text_of(told).split())
        attached = {part.get_filename(): part.get_payload(decode=True) for part in told.iter_attachments()}
        assert list(attached) == ["run 1.csv", "run 1 review.html"]
        assert "Łąka Górna".encode() in bytes(attached["run 1 review.html"])
        assert "It holds everybody's figures" in " ".join(text_of(told).split())
        note_review(year.tools.ledger.run("1"), year.tools, is_whole=True)
        approve(year.tools.ledger.run("1"), replace(year.tools, who="ann"), "", lambda _offered: True)
        assert send(year.tools.ledger.run("1"), year.tools).states == {State.SENT: 2}


def test_what_others_are_still_sending_is_not_over(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    with a_year(dairy) as year:

        def beside(run: RunRecord, tools: Tools, wish: Wish) -> Sent:
            monkeypatch.setattr(running, "send", send)
            return replace(send(run, tools, wish), is_shared=True)

        monkeypatch.setattr(running, "send", beside)
        year.later(hours=1.1)
        assert [(str(one.state), one.reason) for one in year.occurrences] == [
            ("waiting", "others are still sending it")
        ]
        year.later(minutes=1)
        assert year.states == ["sent"]
        assert len(year.sent) == 4


def test_what_is_due_is_sent_once_and_nobody_hears_of_what_went_well(dairy: Dairy) -> None:
    with a_year(dairy) as year:
        assert year.later(minutes=59).came == ()
        assert [str(came.occurrence.state) for came in year.later(minutes=6).came] == ["sent"]
        assert len(year.sent) == 4
        for hours in (0.1, 5, 100):
            assert year.later(hours=hours).came == ()
        year.at(MONDAY - dt.timedelta(days=2))  # a clock that was set back
        assert year.at(MONDAY + dt.timedelta(minutes=1)).came == ()
        assert year.told() == []
        assert year.tools.ledger.run("1").as_of == dt.date(2026, 11, 30)


def test_a_clock_that_was_ahead_costs_no_occurrence(dairy: Dairy) -> None:
    with a_year(dairy) as year:
        year.at(MONDAY + dt.timedelta(days=365))
        assert "missed" in year.states
        year.at(MONDAY - dt.timedelta(minutes=30))
        year.at(MONDAY + dt.timedelta(minutes=1))
        assert "2026-11-30T08:00" in [one.named for one in year.occurrences if str(one.state) == "sent"]


@pytest.mark.parametrize(
    ("missed", "states"),
    [
        ("run", ["sent", "sent", "sent"]),
        ("newest", ["missed", "missed", "sent"]),
        ("skip", ["missed", "missed", "missed"]),
    ],
)
def test_what_was_missed_is_made_up_for_as_the_job_says(dairy: Dairy, missed: str, states: list[str]) -> None:
    with a_year(dairy, f"{{every: day, at: '08:00', missed: {missed}}}") as year:
        year.at(MONDAY + dt.timedelta(days=2, hours=6))
        year.later(hours=1)
        assert year.states == states
        assert len(year.told()) == (0 if missed == "run" else 1)


def test_what_is_too_late_is_told_and_not_run(dairy: Dairy) -> None:
    with a_year(dairy, "{every: day, at: '08:00', within: 1 day}") as year:
        year.at(MONDAY + dt.timedelta(days=2, hours=6))
        assert year.states == ["missed", "missed", "sent"]
        (notice,) = year.told()
        assert notice["subject"] == "Missed: statements, 2 of its dates"
        assert "2026-11-30 08:00: nothing ran for more than 1 day" in text_of(notice)


def test_an_entry_that_is_new_or_changed_counts_from_now_on(dairy: Dairy) -> None:
    with a_year(dairy, "{every: monday, at: '09:00'}") as year:
        year.at(MONDAY + dt.timedelta(minutes=30))
        dairy.write("jobs/statements.yaml", NOBODY_HELD + "calendar: [{name: early, every: monday, at: '08:00'}]\n")
        year.later(hours=5)
        assert year.states == []
        year.at(MONDAY + dt.timedelta(days=7, minutes=1))
        assert year.states == ["sent"]


def test_a_pause_is_left_out_and_not_made_up_for(dairy: Dairy) -> None:
    with a_year(dairy, "{every: day, at: '08:00'}") as year:
        pause("statements", None, "new prices are not in yet", year.tools)
        year.at(MONDAY + dt.timedelta(minutes=1))
        resume("statements", year.tools)
        year.later(hours=1)
        year.at(MONDAY + dt.timedelta(days=1, minutes=1))
        assert year.states == ["paused", "sent"]
        (kept,) = year.tools.ledger.pauses.of("statements")
        assert (kept.why, kept.resumed_by) == ("new prices are not in yet", year.tools.who)


@pytest.mark.parametrize("entry", [EVERY, "{every: monday, at: '08:00', waits_for: {file: milk.csv}}"])
@pytest.mark.parametrize("moment", ["prepare", "send", "end"])
def test_what_was_cut_off_goes_on_where_it_stopped(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, moment: str, entry: str
) -> None:
    class Killed(BaseException):
        pass

    def die(*_: object, **__: object) -> None:
        raise Killed

    os.utime(dairy.folder / "milk.csv", (MONDAY.timestamp() - 3_600,) * 2)
    with a_year(dairy, entry) as year:
        with monkeypatch.context() as broken:
            broken.setattr(running, "_over" if moment == "end" else moment, die)
            with pytest.raises(Killed):
                year.at(MONDAY + dt.timedelta(minutes=1))
        assert year.states == ["begun"]
        year.later(minutes=5)
        assert year.states == ["sent"]
        assert len(year.sent) == len(set(year.sent)) + 1 == 4  # ines gets a copy of two
        assert len(year.tools.ledger.all_runs()) == 1


def test_two_callers_at_once_run_it_once(dairy: Dairy) -> None:
    with a_year(dairy) as year:
        year.now = MONDAY + dt.timedelta(minutes=1)

        def call() -> None:
            with open_tools(load_workspace(dairy.folder), 1, clock=lambda: year.now) as tools:
                go_round(Calendars(tools))

        callers = [threading.Thread(target=call) for _ in range(2)]
        for caller in callers:
            caller.start()
        for caller in callers:
            caller.join()
        assert year.states == ["sent"]
        assert len(year.tools.ledger.all_runs()) == 1
        assert len(year.sent) == 4


def test_nothing_to_send_is_well(dairy: Dairy) -> None:
    dairy.write("milk.csv", MILK.splitlines()[0] + "\n")
    with a_year(dairy) as year:
        year.at(MONDAY + dt.timedelta(minutes=1))
        assert year.states == ["nothing to send"]
        assert year.told() == []


def test_a_run_that_waits_for_a_review_says_so(dairy: Dairy) -> None:
    with a_year(dairy, "{every: monday, at: '08:00', do: prepare, tell: ines@tarnvale.example}") as year:
        year.at(MONDAY + dt.timedelta(minutes=1))
        assert year.states == ["to review"]
        ((address, data),) = year.script.stored
        assert address == "ines@tarnvale.example"
        assert b"gonnet review 1" in data.replace(b"=\r\n", b"")


@pytest.mark.parametrize(
    ("when", "largest", "says"),
    [
        ("always, with_review: false", 10**6, "The full list is attached."),
        ("always", 1_000, "The review is too large for a message: gonnet review 1 --html review.html."),
    ],
)
def test_a_review_that_is_not_wanted_or_too_large_is_not_attached(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, when: str, largest: int, says: str
) -> None:
    monkeypatch.setattr("gonnet.pipeline.sending.notices._LARGEST", largest)
    with a_year(dairy, "{every: monday, at: '08:00', do: prepare}", when=when) as year:
        year.at(MONDAY + dt.timedelta(minutes=1))
        (told,) = year.told()
        assert [part.get_filename() for part in told.iter_attachments()] == ["run 1.csv"]
        said = " ".join(text_of(told).split())
        assert says in said
        assert "It holds everybody's figures" not in said


def test_a_file_that_is_new_and_at_rest_sets_it_off(dairy: Dairy) -> None:
    with a_year(dairy, "{waits_for: {file: 'in/*.csv', settled: 2 minutes}}") as year:
        assert year.later(minutes=10).came == ()
        for number, at in enumerate((MONDAY, MONDAY + dt.timedelta(days=1)), 1):
            place = dairy.write(f"in/{number}.csv", "x")
            os.utime(place, (at.timestamp(), at.timestamp()))
            assert year.at(at + dt.timedelta(minutes=1)).came == ()  # still being written
            year.at(at + dt.timedelta(minutes=3))
            year.later(minutes=3)
            assert year.states == ["sent"] * number


def test_a_value_that_changed_sets_it_off_and_one_that_was_there_before_does_not(dairy: Dairy) -> None:
    with closing(sqlite3.connect(dairy.folder / "loads.db")) as link:
        link.execute("create table loads (at text)")
        link.execute("insert into loads values ('2026-11-29')")
        link.commit()
        entry = "{waits_for: {database: pool, sql: 'select max(at) from loads'}}"
        with a_year(dairy, entry, more="databases: {pool: {url: 'sqlite:///loads.db'}}\n") as year:
            assert year.later(minutes=10).came == ()
            link.execute("insert into loads values ('2026-11-30')")
            link.commit()
            year.later(minutes=5)
            year.later(minutes=5)
            assert year.states == ["sent"]


def test_data_that_do_not_come_are_told_at_the_latest_time(dairy: Dairy) -> None:
    entry = "{every: monday, at: '08:00', waits_for: {file: in/milk.csv, latest: '12:00'}}"
    with a_year(dairy, entry) as year:
        year.at(MONDAY + dt.timedelta(minutes=1))
        assert year.occurrences[0].reason == "waits: no file in/milk.csv is there yet"
        year.at(MONDAY + dt.timedelta(hours=4, minutes=1))
        assert year.states == ["did not come"]
        (notice,) = year.told()
        assert notice["subject"] == "Did not come: statements, 2026-11-30 08:00"


def test_what_cannot_be_reached_is_tried_again_after_growing_pauses(dairy: Dairy) -> None:
    with a_year(dairy, "{every: monday, at: '08:00', tries: 3, pause: 10 minutes}") as year:
        (dairy.folder / "milk.csv").rename(dairy.folder / "away.csv")
        year.at(MONDAY + dt.timedelta(minutes=1))
        year.later(minutes=9)
        assert [(one.tries, str(one.state)) for one in year.occurrences] == [(1, "waiting")]
        year.later(minutes=2)
        year.later(minutes=19)
        assert [one.tries for one in year.occurrences] == [2]
        assert year.told() == []
        (dairy.folder / "away.csv").rename(dairy.folder / "milk.csv")
        year.later(minutes=2)
        assert year.states == ["sent"]


def test_the_digest_tells_everything_once(dairy: Dairy) -> None:
    with a_year(dairy, "{every: day, at: '08:00'}") as year:
        summary = SUMMARY.replace("when: WHEN", "when: when wrong, digest: wednesday 07:00")
        dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + summary)
        tools = replace(year.tools, workspace=load_workspace(dairy.folder))
        for hours in range(0, 80, 8):
            year.now = MONDAY + dt.timedelta(hours=hours, minutes=1)
            go_round(Calendars(tools))
        (notice,) = year.told()
        assert notice["subject"] == "The calendar: 3 due, all is well"
        assert "2026-11-30 08:00 statements, run 1: sent: 2 sent" in text_of(notice)


def broken_file(dairy: Dairy, _patch: pytest.MonkeyPatch) -> None:
    dairy.write("jobs/statements.yaml", "titel: Milk\ncalendar: []\n")


def gone_file(dairy: Dairy, _patch: pytest.MonkeyPatch) -> None:
    (dairy.folder / "jobs/statements.yaml").unlink()


def gone_data(dairy: Dairy, _patch: pytest.MonkeyPatch) -> None:
    (dairy.folder / "milk.csv").unlink()


def all_held(dairy: Dairy, _patch: pytest.MonkeyPatch) -> None:
    dairy.write("members.csv", "farm_no,farm_name,email,adviser\n00042,Zoë's Dairy,zoe,\n117,Łąka Górna,laka,\n")


def disk_error(_dairy: Dairy, patch: pytest.MonkeyPatch) -> None:
    def full(_store: FolderStore, _data: bytes) -> str:
        raise StorageError("No space left on device", where="store", fix="Check the disk")

    patch.setattr(FolderStore, "put", full)


def defect(_dairy: Dairy, patch: pytest.MonkeyPatch) -> None:
    patch.setattr(FolderStore, "put", lambda _store, _data: 1 / 0)


FIGURES = (b"588.05", b"577.90", b"392.40", b"780.51", b"1165.95", b"1,165.95")
Break = Callable[[Dairy, pytest.MonkeyPatch], None]
CAUSES: list[tuple[str, Break | None, dict[str, Any], str, str]] = [
    ("a mistake in the job file", broken_file, {}, "Failed: statements", "Did you mean 'title'?"),
    ("a job file that is gone", gone_file, {}, "Failed: statements", "this file is gone"),
    ("a file that is missing", gone_data, {}, "Failed: statements", "there is no file"),
    ("everything held", all_held, {}, "Milk statements: 2 held", "is not an address"),
    ("a full disk", disk_error, {}, "Failed: statements", "No space left on device"),
    ("a defect of ours", defect, {}, "Failed: statements", "a defect of Gonnet stopped it: ZeroDivisionError"),
    (
        "the guard",
        None,
        {"job": JOB + "guard: {held: 10%}\n"},
        "Milk statements: 3 held",
        "the whole run is held",
    ),
    (
        "an expectation that is not met",
        None,
        {"job": NOBODY_HELD.replace("milk: {file: milk.csv}", "milk: {file: milk.csv, expect: {rows: 9}}")},
        "Failed: statements",
        "at least 9",
    ),
    (
        "a database that is down",
        None,
        {
            "job": NOBODY_HELD.replace("milk: {file: milk.csv}", "milk: {database: pool, sql: select 1}"),
            "more": "databases: {pool: {url: 'postgresql://localhost:1/pool'}}\n",
        },
        "Failed: statements",
        "cannot be reached",
    ),
]


@pytest.mark.parametrize(
    ("break_it", "how", "subject", "says"), [case[1:] for case in CAUSES], ids=[c[0] for c in CAUSES]
)
def test_whatever_stops_it_is_told_without_a_figure(
    dairy: Dairy,
    monkeypatch: pytest.MonkeyPatch,
    break_it: Break | None,
    how: dict[str, Any],
    subject: str,
    says: str,
) -> None:
    with a_year(dairy, "{every: monday, at: '08:00', tries: 2, pause: 1 minute}", **how) as year:
        if break_it is not None:
            break_it(dairy, monkeypatch)
        year.at(MONDAY + dt.timedelta(minutes=1))
        year.later(minutes=2)
        (notice,) = year.told()
        text = " ".join(text_of(notice).split())
        assert str(notice["subject"]).startswith(subject)
        assert says in text
        assert "gonnet " in text  # what to do
        listed = [one.reason for one in never_run(year.tools)] + [
            run.reason or str(dict(run.counts)) for run in year.tools.ledger.all_runs()
        ]
        assert all(listed)
        assert listed
        parts = [part.get_payload(decode=True) for part in notice.walk() if not part.is_multipart()]
        whole = b"".join(part for part in parts if isinstance(part, bytes))
        assert len(whole) > len(text)  # the list that is attached, too
        assert not any(figure in whole for figure in FIGURES)
        assert year.sent == []


def test_where_mail_itself_fails_the_alarm_is_given_and_the_next_call_tells(dairy: Dairy, tmp_path: Path) -> None:
    heard = tmp_path / "heard.txt"
    alarm = f"alarm: [/bin/sh, -c, 'cat >> {heard}']\n"
    with a_year(dairy, "{every: monday, at: '08:00', tries: 1}", more=alarm) as year:
        year.script.answers["banner"] = ["421 too busy"]
        found = year.at(MONDAY + dt.timedelta(minutes=1))
        assert any("could not be sent" in trouble for trouble in found.troubles)
        assert heard.read_text("utf-8").startswith("Failed: statements, 2026-11-30 08:00")
        year.script.answers.clear()
        assert year.later(minutes=5).troubles == ()
        assert [message["subject"] for message in year.told()] == ["Failed: statements, 2026-11-30 08:00"]
        assert heard.read_text("utf-8").count("Failed") == 1


def test_where_the_ledger_cannot_be_written_the_alarm_is_all_that_is_left(
    dairy: Dairy, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard = tmp_path / "heard.txt"
    with a_year(dairy, more=f"alarm: [/bin/sh, -c, 'cat >> {heard}']\n") as year:

        def full(*_: object) -> None:
            raise StorageError("the ledger cannot be written", where="ledger.db", fix="Check the disk")

        with monkeypatch.context() as broken:
            for write in ("begin", "later"):
                broken.setattr(type(year.tools.ledger.occurrences), write, full)
            with pytest.raises(StorageError, match="cannot be written"):
                year.at(MONDAY + dt.timedelta(minutes=1))
        assert "the ledger cannot be written" in heard.read_text("utf-8")
        assert year.sent == []
        year.later(minutes=5)
        assert year.states == ["sent"]


def test_a_calendar_is_looked_at_before_it_runs(dairy: Dairy) -> None:
    entry = "{every: monday, at: '08:00', on_holiday: skip, tell: nobody, waits_for: {database: pool, sql: select 1}}"
    with a_year(dairy, entry):
        said = dairy.gonnet("check", "statements", code=3).stdout
    assert "calendar       monday 08:00: next Mon" in said
    for what in ("names no `holidays`", "`tell`: ", "there is no database 'pool'"):
        assert what in said


def test_quiet_hours_are_waited_for(dairy: Dairy) -> None:
    with a_year(dairy, more="limits: {quiet: '07:30-10:00'}\n") as year:
        year.at(MONDAY + dt.timedelta(minutes=1))
        assert year.states == ["waiting"]
        year.at(MONDAY + dt.timedelta(hours=2, minutes=1))
        assert year.states == ["sent"]


def test_a_rehearsal_counts_for_nothing(dairy: Dairy) -> None:
    from gonnet.pipeline.due.rehearsal import rehearse
    from gonnet.recipients import Address

    with a_year(dairy) as year:
        me = Address(mailbox="maren@tarnvale.example")
        found = rehearse("statements", year.now, [me], year.tools, lambda _done, _total: None)
        assert found.due is not None
        assert found.due.id == "2026-11-30T08:00"
        assert found.run.purpose is Purpose.TRIAL
        assert found.choice is not None
        assert len(found.choice.packages) == 2
        assert year.sent == []
        assert len(year.told()) == 2
        with pytest.raises(RunError, match="is a rehearsal, which is not sent"):
            send(found.run, year.tools)
        package = found.choice.packages[0]
        refusal = Gate(found.run, year.tools).asks(Leaving(package.waiting[0], package))
        assert refusal is not None
        assert refusal.reason == "run 1 is a rehearsal"
        year.at(MONDAY + dt.timedelta(minutes=1))
        assert year.states == ["sent"]
        assert len(year.sent) == 4
