"""Several eyes: nothing leaves a run before the people said yes to exactly its packages, and none of them prepared it."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import BestAvailableEncryption, Encoding, NoEncryption, PrivateFormat
from sqlalchemy import text

from gonnet.errors import RunError
from gonnet.ledger import RunRecord, State
from gonnet.person import acting
from gonnet.pipeline.record.verify import verify
from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.by_hand import move
from gonnet.pipeline.reviewing.looking import note_review
from gonnet.pipeline.reviewing.sending_again import again
from gonnet.pipeline.send import Wish, send
from gonnet.pipeline.sending.approving import Needed, Offered, approve
from gonnet.pipeline.tools import Tools
from gonnet.signing import public_part
from scripted_smtp import Script, serving
from support import SETTINGS, Dairy, of

BOTH_RECORDS = "asked"

TWO = "approval: {by: 2, of: [ann, bert, maren]}\n"


@pytest.fixture
def two(dairy: Dairy) -> Dairy:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + TWO)
    return dairy


def prepared(dairy: Dairy, tools: Tools, *changes: tuple[str, str]) -> RunRecord:
    run = dairy.prepared(replace(tools, who="maren"), *changes)
    note_review(run, tools, is_whole=True)
    return tools.ledger.run(str(run.id))


def yes(run: RunRecord, tools: Tools, *people: str) -> None:
    for who in people:
        approve(tools.ledger.run(str(run.id)), replace(tools, who=who), "looked", lambda _offered: True)


def refused(run: RunRecord, tools: Tools, wish: Wish = Wish()) -> str:  # noqa: B008  a value that never changes
    with pytest.raises(RunError) as caught:
        send(run, tools, wish)
    return caught.value.what


def test_nothing_leaves_before_two_others_said_yes(two: Dairy) -> None:
    script = Script()
    with two.tools() as tools, serving(script, two.port):
        run = prepared(two, tools)
        assert refused(run, tools) == "run 1 must not leave yet: it needs the approval of 2 of ann, bert"
        assert refused(run, tools, Wish(only=("117",))).startswith("run 1 must not leave yet")
        yes(run, tools, "ann")
        assert refused(run, tools).endswith("it needs the approval of one of bert; ann did")
        assert script.stored == []
        yes(run, tools, "bert")
        assert send(run, tools).states == {State.SENT: 2}
    assert len(script.stored) == 4


@pytest.mark.parametrize(
    ("who", "before", "says"),
    [
        ("maren", (), "maren prepared run 1, and cannot approve it"),
        ("eve", (), "eve may not approve run 1"),
        ("ann", ("ann",), "ann approved run 1 already"),
        ("ann", ("ann", "bert"), "run 1 has all approvals that it needs"),
    ],
)
def test_who_may_not_say_yes(two: Dairy, who: str, before: Sequence[str], says: str) -> None:
    with two.tools() as tools:
        run = prepared(two, tools)
        yes(run, tools, *before)
        with pytest.raises(RunError, match=says):
            yes(run, tools, who)


def test_it_is_looked_at_first_and_what_changes_meanwhile_is_not_approved(two: Dairy) -> None:
    with two.tools() as tools:
        run = two.prepared(replace(tools, who="maren"))
        with pytest.raises(RunError, match="was not reviewed yet"):
            yes(run, tools, "ann")
        note_review(run, tools, is_whole=True)
        run = tools.ledger.run("1")

        def ask(_offered: Offered) -> bool:
            move(run, tools, of("117"), State.HELD, "wait", "maren")
            return True

        with pytest.raises(RunError, match="run 1 was changed meanwhile"):
            approve(run, replace(tools, who="ann"), "", ask)
        assert approve(run, replace(tools, who="ann"), "", lambda _offered: False) is None
        assert tools.ledger.approvals.of(1) == ()


def key_of(place: Path, password: bytes | None = None) -> str:
    """Write a new private key; its public one."""
    key = Ed25519PrivateKey.generate()
    lock = BestAvailableEncryption(password) if password else NoEncryption()
    place.write_bytes(key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, lock))
    return public_part(key)


@pytest.fixture
def keyed(dairy: Dairy) -> Dairy:
    """A dairy in which ann signs with her key, and everybody works under one name of the system."""
    public = key_of(dairy.folder / "ann.pem", b"opens it")
    key_of(dairy.folder / "other.pem")
    rule = f"approval: {{by: 1, of: [ann, bert], keys: {{ann: {public}}}}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + rule)
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=None)
    dairy.gonnet("review", "1", code=None)
    return dairy


def test_whose_key_it_is_says_yes_and_nobody_else(keyed: Dairy) -> None:
    assert (
        "nobody who may approve run 1 has this key"
        in keyed.gonnet("approve", "1", "--key", "other.pem", "--yes", code=2).stderr
    )
    assert "cannot be used" in keyed.gonnet("approve", "1", "--key", "ann.pem", "--yes", code=2, input="wrong\n").stderr
    with keyed.tools() as tools, pytest.raises(RunError, match="ann approves with a key of their own"):
        approve(tools.ledger.run("1"), replace(tools, who="ann"), "", lambda _offered: True)
    said = keyed.gonnet("approve", "1", "--key", "ann.pem", "--why", "totals agree", "--yes", input="opens it\n").stdout
    assert "Approved by ann. Run 1 can be sent." in said
    assert "opens it" not in said
    assert ", signed: totals agree" in keyed.gonnet("show", "1", code=None).stdout
    with keyed.tools() as tools, serving(Script(), keyed.port):
        assert verify(tools).faults == ()
        assert send(tools.ledger.run("1"), tools).states == {State.SENT: 2}


@pytest.mark.parametrize(
    ("column", "value"),
    [("signature", ""), ("why", "all is well"), ("at", "2026-11-05T12:00:00.000+00:00"), ("who", "ann")],
)
def test_what_ann_did_not_sign_counts_for_nothing(keyed: Dairy, column: str, value: str) -> None:
    keyed.gonnet("approve", "1", "--key", "ann.pem", "--yes", input="opens it\n")
    with keyed.tools() as tools, tools.ledger._engine.begin() as work:
        if column == "who":  # bert's, which needs no key, given another name
            work.execute(text("delete from approvals"))
            values = {"at": tools.ledger.now(), "digest": tools.ledger.approvals.digest(1)}
            work.execute(
                text(
                    "insert into approvals (run_id, who, at, why, digest, signature) values (1, 'ann', :at, '', :digest, '')"
                ),
                values,
            )
        else:
            work.execute(text(f"update approvals set {column} = :value"), {"value": value})
    with keyed.tools() as tools:
        assert "needs the approval of one of ann, bert" in refused(tools.ledger.run("1"), tools)
        assert "the approval of ann is not signed with their key" in [fault.what for fault in verify(tools).faults]


@pytest.mark.parametrize("change", ["hold", "release", "skip", "amend", "resend"])
def test_any_change_by_hand_ends_it_visibly(two: Dairy, change: str) -> None:
    with two.tools() as tools, serving(Script(), two.port):
        run = prepared(two, tools)
        yes(run, tools, "ann", "bert")
        if change == "resend":
            send(run, tools)
            again(run, tools, of("117"), "lost", "maren")
        elif change == "amend":
            amend(run, tools, of("117"), Amendment(subject="Other"), "", "maren")
        else:
            state = {"hold": State.HELD, "release": State.READY, "skip": State.SKIPPED}[change]
            move(run, tools, of("118" if change == "release" else "117"), state, "why", "maren")
        assert [one.voided is not None for one in tools.ledger.approvals.of(1)] == [True, True]
        assert "needs the approval of 2 of ann, bert" in refused(tools.ledger.run("1"), tools, Wish(again=True))
        assert any("2 approvals count no more" in what for _, what in tools.ledger.history(1))
    shown = two.gonnet("show", "1", code=None).stdout
    assert shown.count("counts no more since") == 2


def test_a_package_that_the_gate_holds_ends_no_approval(two: Dairy) -> None:
    with two.tools() as tools, serving(Script(), two.port):
        run = prepared(two, tools)
        yes(run, tools, "ann", "bert")
        tools.ledger.hand_overs.hold(1, two.by_key(tools, run)["117"].id, "its server takes it not")
        assert send(run, tools).states == {State.SENT: 1}


@pytest.mark.of_a_file
def test_what_is_changed_in_the_ledger_itself_was_not_approved(two: Dairy) -> None:
    with two.tools() as tools:
        run = prepared(two, tools)
        yes(run, tools, "ann", "bert")
    with closing(sqlite3.connect(two.folder / ".gonnet/ledger.db")) as link:
        link.execute("update packages set seal = ? where key = '117'", ("0" * 64,))
        link.commit()
    with two.tools() as tools:
        assert "needs the approval of 2" in refused(run, tools)


@pytest.mark.parametrize(
    ("where", "above", "needed"),
    [
        ("job", "{messages: 4}", True), ("job", "{messages: 6}", False), ("job", "{payable: 1900}", True),
        ("job", "{payable: 99000}", False), ("house", "{messages: 4}", True), ("house", "{payabel: 1}", True),
        ("house", "{payable: 99000}", False),
    ],
)  # fmt: skip
def test_from_a_number_of_messages_or_a_total_on(dairy: Dairy, where: str, above: str, needed: bool) -> None:
    said = f"approval: {{of: [ann], above: {above}}}\n"
    change = [("package:\n", f"{said}package:\n")] if where == "job" else []
    if where == "house":
        dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + said)
    with dairy.tools() as tools:
        run = prepared(dairy, tools, *change)
        assert (Needed(run, tools).lacking() is not None) is needed
        dairy.job()  # what the job said when it was prepared counts
        assert (Needed(run, tools).lacking() is not None) is needed
    if where == "job":
        dairy.job(("package:\n", "approval: {of: [ann], above: {payabel: 1}}\npackage:\n"))
        assert "there is no figure 'payabel'" in dairy.gonnet("check", "statements", code=2).stderr


@pytest.mark.of_a_file
def test_trials_need_none_and_the_command_says_what_is_approved(two: Dairy) -> None:
    script = Script()
    with two.tools() as tools, serving(script, two.port):
        prepared(two, tools)
        two.gonnet("send", "last", "--trial", "me@tarnvale.example", "--first", "1", "--yes")
        assert len(script.stored) == 1
    with closing(sqlite3.connect(two.folder / ".gonnet/ledger.db")) as link:
        link.execute("update runs set approval = '[]'")
        link.commit()
    me = acting()
    two.write("gonnet.yaml", SETTINGS.replace("PORT", str(two.port)) + f"approval: {{of: [{me}]}}\n")
    told = two.gonnet("review", "last", code=None).stdout
    assert f"Approval it needs the approval of one of {me}" in told
    said = two.gonnet("approve", "last", "--why", "totals agree", "--yes").stdout
    assert "maren prepared it" in said
    assert f"Approved by {me}. Run 1 can be sent." in said
    assert "run 1 has all approvals that it needs" in two.gonnet("approve", "last", "--yes", code=2).stderr
