"""A record that can be believed: what somebody changes behind Gonnet's back is found, by its name."""

from __future__ import annotations

import shutil
import sqlite3
import threading
from contextlib import closing
from pathlib import Path

import pytest

from gonnet.errors import BusyError, RunError
from gonnet.ledger import State, chain
from gonnet.pipeline.record.forgetting import forget, look_for
from gonnet.pipeline.record.verify import verify
from gonnet.pipeline.reviewing.by_hand import Verdict, move, settle
from gonnet.pipeline.tidy import look_round, tidy
from lived import lived_through
from support import MEMBERS, MILK, SETTINGS, Dairy, free_port, of

RULE = "approval: {by: 1, of: [ann, bert]}\nledger: {keep: 1 day}\n"


@pytest.fixture(scope="module")
def template(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder, patch = tmp_path_factory.mktemp("record"), pytest.MonkeyPatch()
    with patch.context() as own:
        own.setenv("XDG_STATE_HOME", str(folder / "state"))
        dairy = Dairy(folder=folder / "tarnvale", port=free_port())
        dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + RULE)
        dairy.write("milk.csv", MILK)
        dairy.write("members.csv", MEMBERS)
        lived_through(dairy)
    return folder


@pytest.fixture
def lived(template: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Dairy:
    """The record, as a copy of this test's own in the same place as far as seals go."""
    shutil.copytree(template, tmp_path, dirs_exist_ok=True)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    return Dairy(folder=tmp_path / "tarnvale", port=1)


def faults(dairy: Dairy) -> list[str]:
    with dairy.tools() as tools:
        return [f"{fault.where}: {fault.what}" for fault in verify(tools).faults]


def test_a_record_that_nobody_touched_is_whole_also_after_what_is_old_was_removed(lived: Dairy) -> None:
    assert faults(lived) == []
    with lived.tools() as tools:
        found = verify(tools)
        assert (found.runs, found.packages, found.older, found.unsealed, found.removed) == (2, 8, 0, 0, 0)
        assert found.files > 10
    with lived.tools(at=tools.clock().replace(year=2030)) as tools:
        tidy(look_round(tools), tools)
        after = verify(tools)
        assert after.faults == ()
        assert after.removed > 0


SQL: list[tuple[str, str, str]] = [
    ("update packages set figures = replace(figures, '780', '980') where key = '117'", "run 1, package 117", "figures"),
    ("update packages set rows = 3 where key = '117' and run_id = 1", "run 1, package 117", "its rows"),
    ("update packages set name = 'Other' where key = '118' and run_id = 1", "run 1, package 118", "made of"),
    ("update packages set share = '{}' where key = '117' and run_id = 2", "run 2, package 117", "made of"),
    ("update packages set state = 'sent' where key = '00042' and run_id = 1", "run 1, package 00042", "'sent'"),
    ("update packages set state = 'ready' where key = '119' and run_id = 2", "run 2, package 119", "'ready'"),
    ("update packages set reason = 'fine' where key = '118' and run_id = 2", "run 2, package 118", "(fine)"),
    ("update packages set seal = 'o1:x' where key = '117' and run_id = 1", "run 1, package 117", "its record"),
    ("update packages set same_key = '118' where key = '117' and run_id = 1", "run 1, package 117", "is found"),
    ("update packages set contacts = '[]' where key = '117' and run_id = 1", "run 1, package 117", "made of"),
    ("update packages set hits = '[]', odd = '[\"new\"]' where key = '117'", "run 2, package 117", "made of"),
    ("delete from packages where key = '119' and run_id = 1", "run 1", "package number 4 is gone"),
    (
        "insert into packages select 99, run_id, 'new', 'new', name, state, prepared_as, reason, rows, share, figures, "
        "odd, seal, steps, keys, hits, once, contacts, kept from packages where id = 1",
        "run 1, package new",
        "no event says that it was made",
    ),
    ("update documents set rows = 7 where package_id = 2", "run 1, package 117", "made of"),
    ("update documents set name = 'other.pdf' where id = 1", "run 1, package 00042", "changed after the review"),
    (
        "update documents set sha256 = (select sha256 from documents where id = 4) where id = 1",
        "run 1, package 00042",
        "made",
    ),
    ("delete from documents where id = 1", "run 1, package 00042", "files"),
    ("update messages set subject = 'Yours' where package_id = 2", "run 1, package 117", "messages"),
    ('update messages set "to" = \'["eve@x.example"]\' where package_id = 2', "run 1, package 117", "addresses"),
    ("update hand_overs set target = 'eve@x.example' where package_id = 6", "run 2, package 117", "addresses"),
    (
        "update hand_overs set state = 'waiting', code = null, reply = '' where package_id = 1 and purpose = 'regular'",
        "run 1, package 00042",
        "what became of zoe@members.tarnvale.example was changed: the ledger has 'waiting'",
    ),
    (
        "update hand_overs set reply = 'taken' where state = 'refused' or state = 'closed'",
        "run 1, package 117",
        "became of",
    ),
    ("delete from hand_overs where package_id = 1", "run 1, package 00042", "handed over of it is gone, 2 in all"),
    (
        "insert into hand_overs select 99, run_id, package_id, message_id, purpose, kind, way, target_kind, 'eve@x.example', "
        "place, existing, sha256, 'waiting', '', null, '', '', null, null, 0 from hand_overs where package_id = 6 limit 1",
        "run 2, package 117",
        "addresses",
    ),
    ("update runs set as_of = '2026-12-05' where id = 1", "run 1", "its job, date"),
    ("update runs set approval = '[]' where id = 2", "run 2", "it was changed"),
    ("update runs set reviewed = null where id = 1", "run 1", "it was changed"),
    ("update runs set account = replace(account, '5', '6') where id = 1", "run 1", "account"),
    ("update approvals set who = 'bert' where id = 2", "run 1", "its approvals were changed"),
    ("update approvals set voided = null", "run 1", "its approvals were changed"),
    ("delete from approvals where id = 1", "run 1", "its approvals were changed"),
    (
        "insert into approvals select 9, 2, who, at, why, digest, null, '' from approvals where id = 1",
        "run 2",
        "approvals",
    ),
    (
        "update events set what = 'released by ann: go' where what like 'released by maren%'",
        "event 1",
        "it was changed",
    ),
    ("update events set at = '2026-01-01T00:00:00.000+00:00' where id = 9", "event 9 of run 1", "it was changed"),
    ("delete from events where id = 9", "event 10 of run 1", "taken out"),
    ("delete from events where id = (select max(id) from events)", "events", "1 of "),
    (
        "update events set id = -id where id in (8, 9); update events set id = 17 + id where id < 0",
        "event 8 of run 1",
        "moved",
    ),
    (
        "insert into events select 999, run_id, package_id, at, 'x', null, null, null, salt, null, digest from events limit 1",
        "events",
        "put in",
    ),
    ("pragma foreign_keys = off; delete from runs where id = 2", "run 2", "it is gone, and events speak of it"),
    (
        "insert into runs select 9, job, title, job_sha256, state, as_of, prepared, seconds, parameters, period, cycle, purpose, "
        "only, account, findings, unsearched, sealed, reviewed, reason, occurrence_id, prepared_by, approval from runs where id = 1",
        "run 9",
        "no event speaks of it",
    ),
]


@pytest.mark.parametrize(("sql", "where", "what"), SQL, ids=[sql[:60] for sql, _, _ in SQL])
def test_what_somebody_changes_in_the_database_is_found_by_its_name(
    lived: Dairy, sql: str, where: str, what: str
) -> None:
    with closing(sqlite3.connect(lived.folder / ".gonnet/ledger.db")) as link:
        before = link.total_changes
        link.executescript(sql)
        assert link.total_changes > before, "the statement changed nothing"
    found = faults(lived)
    assert any(one.startswith(where) and what in one.partition(":")[2] for one in found), found


def test_a_chain_that_was_written_anew_is_told_by_what_was_noted_elsewhere(lived: Dairy) -> None:
    with closing(sqlite3.connect(lived.folder / ".gonnet/ledger.db")) as link:
        link.execute("update events set what = 'approved by bert' where what like 'approved by ann%'")
        head = chain.START
        names = ", ".join(chain.Event._fields)
        for number, salt, *said in link.execute(f"select id, salt, {names} from events order by id").fetchall():
            event = chain.Event(*said)
            head = chain.link(head, chain.words(salt, event.what), event)
            link.execute("update events set digest = ? where id = ?", (head, number))
        link.execute("update about set head = ?", (head,))
        link.commit()
    assert [one.partition(",")[0] for one in faults(lived)] == [f"events: event {number}"]
    assert len(faults(lived)) == 1  # what was noted stays, until somebody looked into it


@pytest.mark.parametrize("how", ["changed", "removed", "another"])
def test_a_stored_file_that_is_not_what_was_put_is_found(lived: Dairy, how: str) -> None:
    with lived.tools() as tools:
        first, second = (package.documents[0].sha256 for package in tools.ledger.packages(1)[:2])
        place = tools.store.path(first)
        match how:
            case "changed":
                place.write_bytes(place.read_bytes() + b" ")
            case "removed":
                place.unlink()
            case _:
                shutil.copy(tools.store.path(second), place)
    found = faults(lived)
    assert len(found) == 1
    assert found[0].startswith("run 1, package 00042: 00042 statement.pdf: the stored file")


def test_the_program_tells_it_and_says_so_to_scripts(lived: Dairy) -> None:
    said = lived.gonnet("verify").stdout
    assert "The record is whole: everything is as it was written." in said
    assert lived.json("verify")["head"] in said
    with closing(sqlite3.connect(lived.folder / ".gonnet/ledger.db")) as link:
        link.executescript("update packages set rows = 3 where key = '117' and run_id = 1")
    said = lived.gonnet("verify", code=3).stdout
    assert "! run 1, package 117: what it is made of was changed" in said
    assert "The record is not what was written: 1 fault." in said


def test_what_there_is_of_a_recipient_goes_and_the_record_holds(lived: Dairy) -> None:
    lived.gonnet("tidy", "--recipient", "117", "--yes", code=2)  # it may still leave
    lived.gonnet("settle", "2", "117", "--closed", "--why", "left us")
    counts = [run["states"] for run in lived.json("runs")["runs"]]
    assert lived.json("show", "1", "117", code=None)["packages"][0]["name"] == "Łąka Górna"
    lived.gonnet("tidy", "--recipient", "117", "--yes")
    assert lived.gonnet("verify").returncode == 0
    assert [run["states"] for run in lived.json("runs")["runs"]] == counts
    stored = [path.read_bytes() for path in (lived.folder / ".gonnet").rglob("*") if path.is_file()]
    for value in ("Łąka", "laka@", "392.40", "\\u0141\\u0105ka"):
        assert [len(data) for data in stored if value.encode() in data] == [], value
    assert lived.json("show", "1", "00042", code=None)["packages"][0]["name"] == "Zoë's Dairy"
    assert "no run has a package for key '117'" in lived.gonnet("tidy", "--recipient", "117", code=2).stderr


def test_a_recipient_is_forgotten_where_others_were_told_of_it(lived: Dairy) -> None:
    milk = (lived.folder / "milk.csv").read_text("utf-8").replace("second tank", "as at Idle Acres (119)")
    lived.write("milk.csv", milk)
    with lived.tools() as tools:
        run = lived.prepared(tools)
        assert {hit.value for hit in lived.by_key(tools, run)["00042"].hits} == {"Idle Acres"}
        assert any("Idle Acres" in text for _, text in run.findings)
    lived.gonnet("skip", "3", "00042", "--why", "names another")
    lived.gonnet("tidy", "--recipient", "119", "--yes")
    assert faults(lived) == []
    with closing(sqlite3.connect(lived.folder / ".gonnet/ledger.db")) as link:
        assert [line for line in link.iterdump() if "Idle Acres" in line or "idle@" in line] == []


@pytest.mark.parametrize(
    ("sql", "what"),
    [
        ("update events set what = '', salt = '', said = 'x' where id = 9", "it was changed"),
        ("update events set said = digest where id = 9", "words were put in where none were left"),
    ],
)
def test_words_that_were_taken_out_by_somebody_else_are_missed(lived: Dairy, sql: str, what: str) -> None:
    with closing(sqlite3.connect(lived.folder / ".gonnet/ledger.db")) as link:
        link.executescript(sql)
    assert any(one.startswith("event 9") and what in one for one in faults(lived))


def test_words_may_only_go_where_an_event_says_so(lived: Dairy) -> None:
    with closing(sqlite3.connect(lived.folder / ".gonnet/ledger.db")) as link:
        salt, what = link.execute("select salt, what from events where id = 9").fetchone()
        link.execute("update events set what = '', salt = '', said = ? where id = 9", (chain.words(salt, what),))
        link.commit()
    assert faults(lived) == ["event 9: its words were taken out, and no event says so"]


def test_what_is_sent_again_while_somebody_is_asked_is_not_forgotten(lived: Dairy) -> None:
    with lived.tools() as tools:
        settle(tools.ledger.run("2"), tools, of("117"), Verdict.CLOSED, "left us", "maren")
        found = look_for(tools, "119")
        move(tools.ledger.run("2"), tools, of("118"), State.SKIPPED, "no", "maren")  # of somebody else: no matter
        other = look_for(tools, "118")
        move(tools.ledger.run("2"), tools, of("118"), State.READY, "yes after all", "maren")
        with pytest.raises(RunError, match="may still leave"):
            forget(other, tools)
        with tools.ledger.rights.alone(tools.ledger.run("2")), pytest.raises(BusyError):
            forget(found, tools)
        forget(found, tools)
    assert faults(lived) == []


def test_a_record_is_whole_while_it_is_written(lived: Dairy) -> None:
    with lived.tools() as tools, lived.tools() as other:
        busy = threading.Thread(target=lambda: [lived.prepared(other) for _ in range(4)])
        busy.start()
        found = [fault for _ in range(12) for fault in verify(tools).faults]
        busy.join()
    assert found == []
