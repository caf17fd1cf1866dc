"""Sending: at most once, never silently not at all, and only what was reviewed."""

from __future__ import annotations

from copy import deepcopy
from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest
from sqlalchemy import text

from gonnet.errors import RunError, UnreachableError
from gonnet.ledger import RunRecord
from gonnet.pipeline.send import send
from gonnet.pipeline.sending.trial import trial
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from scripted_smtp import HANG_UP, Script, serving
from support import Dairy, begun, stored

BOTH_RECORDS = "always"

ZOE, LAKA, INES = "zoe@members.tarnvale.example", "laka@members.tarnvale.example", "ines@tarnvale.example"


def states(dairy: Dairy, tools: Tools, run: RunRecord) -> dict[str, str]:
    return {key: str(package.state) for key, package in dairy.by_key(tools, run).items()}


def sent(dairy: Dairy, tools: Tools, run: RunRecord, script: Script) -> dict[str, str]:
    with serving(script, dairy.port):
        send(run, tools)
    return states(dairy, tools, run)


def test_only_what_is_ready_is_sent_and_only_once(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        for _ in range(2):
            found = sent(dairy, tools, run, script)
        assert found == {"00042": "sent", "117": "sent", "118": "held", "119": "skipped"}
        history = [what for _, what in tools.ledger.history(run.id, dairy.by_key(tools, run)["117"].id)]
    assert [address for address, _ in script.stored] == [ZOE, INES, LAKA, INES]
    assert history == ["ready", f"{LAKA}: sent (250 taken)", f"{INES}: sent (250 taken)"]


def test_each_message_holds_its_own_documents_byte_for_byte(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        sent(dairy, tools, run, script)
        for address, data in script.stored:
            if address == INES:
                continue
            package = dairy.by_key(tools, run)["00042" if address == ZOE else "117"]
            message = message_from_bytes(data, policy=default)
            attached = {part.get_filename(): part.get_content() for part in message.iter_attachments()}
            assert attached == {d.name: tools.store.get(d.sha256) for d in package.documents}
            assert message["Message-ID"] == package.messages[0].message_id


@pytest.mark.parametrize(
    ("answers", "state", "again", "stored"),
    [
        ({f"RCPT:{LAKA}": ["550 no such box"]}, "failed", "failed", 0),
        ({f"RCPT:{LAKA}": ["450 later", "250 ok"]}, "failed", "sent", 1),
        ({"dot": ["250 ok", "250 ok", HANG_UP, "250 ok"]}, "unsure", "unsure", 1),
        ({"dot": ["250 ok", "250 ok", "451 later", "250 ok"]}, "failed", "sent", 1),
        ({"dot": ["250 ok", "250 ok", "nonsense", "250 ok"]}, "unsure", "unsure", 0),
    ],
)
def test_a_refusal_or_a_doubt_is_one_packages_own(
    dairy: Dairy, answers: dict[str, list[str]], state: str, again: str, stored: int
) -> None:
    script = Script(answers=deepcopy(answers))
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        assert sent(dairy, tools, run, script)["117"] == state
        assert states(dairy, tools, run)["00042"] == "sent"
        assert sent(dairy, tools, run, script)["117"] == again
    got = [address for address, _ in script.stored]
    assert got.count(LAKA) == stored
    assert got.count(ZOE) == 1


def test_a_server_that_is_not_there_loses_nothing(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        with pytest.raises(UnreachableError, match="no connection"):
            send(run, tools)
        assert states(dairy, tools, run)["117"] == "ready"


def test_a_server_that_goes_away_in_the_middle_leaves_the_rest_ready(dairy: Dairy) -> None:
    script = Script(answers={"banner": ["220 hello", "421 gone"], "MAIL": ["250 ok", "250 ok", HANG_UP]})
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        with serving(script, dairy.port):
            report = send(run, tools)
        assert report.interrupted is not None
        assert states(dairy, tools, run) == {"00042": "sent", "117": "ready", "118": "held", "119": "skipped"}
        assert sent(dairy, tools, run, Script())["117"] == "sent"


def test_a_hand_over_without_an_answer_is_unsure_and_never_sent_by_itself(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        package = dairy.by_key(tools, run)["00042"]
        assert begun(tools, run, package, package.mailed[0])  # and here the process dies
        found = sent(dairy, tools, run, script)
        assert found["00042"] == "unsure"
    assert ZOE not in [address for address, _ in script.stored]
    assert [address for address, _ in script.stored].count(INES) == 2


@pytest.mark.parametrize("what", ["document", "message", "address", "name"])
def test_what_is_no_longer_what_was_reviewed_is_refused(dairy: Dairy, what: str) -> None:
    script = Script()
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        package = dairy.by_key(tools, run)["117"]
        _tamper(tools, package, what)
        found = sent(dairy, tools, run, script)
        assert found["117"] == "held"
        assert "was changed after the review" in dairy.by_key(tools, run)["117"].reason
        assert found["00042"] == "sent"
    assert LAKA not in [address for address, _ in script.stored]
    assert "evil@x.example" not in [address for address, _ in script.stored]


def _tamper(tools: Tools, package: Any, what: str) -> None:  # noqa: ANN401
    if what in ("document", "message"):
        part = package.documents[0] if what == "document" else package.messages[0]
        stored(tools, part.sha256).write_bytes(b"something else")
        return
    change = {
        "address": ("update hand_overs set target = 'evil@x.example' where id = :id", package.hand_overs[0].id),
        "name": ("update documents set name = 'other.pdf' where package_id = :id", package.id),
    }[what]
    with tools.ledger._engine.begin() as work:
        work.execute(text(change[0]), {"id": change[1]})


def test_a_trial_reaches_the_given_addresses_and_changes_nothing(dairy: Dairy) -> None:
    script, us = Script(), [Address(mailbox=f"{who}@tarnvale.example") for who in ("me", "chair")]
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        with serving(script, dairy.port):
            report = trial(run, tools, us, first=1)
        assert len(report.replies) == 2
        assert states(dairy, tools, run)["00042"] == "ready"
        assert [address for address, _ in script.stored] == [us[0].mailbox, us[1].mailbox]
        message = message_from_bytes(script.stored[0][1], policy=default)
        real = dairy.by_key(tools, run)["00042"].messages[0]
        assert message["Message-ID"] != real.message_id
        assert message["To"] == "me@tarnvale.example, chair@tarnvale.example"
        assert sent(dairy, tools, run, script)["00042"] == "sent"


def test_two_sends_of_a_run_at_once_are_refused(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        with (
            tools.ledger.rights.alone(run),
            dairy.tools() as others,
            pytest.raises(RunError, match="by another process"),
        ):
            send(run, others)


def test_a_run_that_mails_nothing_or_was_broken_off_cannot_be_sent(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, ('deliver:\n  - email: {from: "Statements <statements@tarnvale.example>"}\n', ""))
        with pytest.raises(RunError, match="delivers nothing"):
            send(run, tools)
        with (
            pytest.raises(ZeroDivisionError),
            tools.ledger.writing(
                job="x", title="x", job_sha256="", as_of="2026-11-05", parameters={}, period="x", cycle="x"
            ),
        ):
            1 / 0  # noqa: B018
        with pytest.raises(RunError, match="was aborted before its end"):
            send(tools.ledger.run("last"), tools)
        with pytest.raises(RunError, match="was aborted before its end"):
            trial(tools.ledger.run("last"), tools, [Address(mailbox="me@tarnvale.example")])
