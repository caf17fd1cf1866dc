"""The administrator hears what came of a send, always or when something is wrong; nothing depends on it."""

from __future__ import annotations

import csv
import io
from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest

from gonnet.pipeline.lists import every_hand_over
from gonnet.pipeline.send import send
from gonnet.pipeline.sending.summary import send_summary
from scripted_smtp import Script, serving
from support import MEMBERS, RULES, SETTINGS, Dairy

SUMMARY = "summary: {to: maren@tarnvale.example, from: 'Gonnet <reports@tarnvale.example>', when: WHEN}\n"


def told(dairy: Dairy, when: str, script: Script, *changes: tuple[str, str]) -> str | None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + SUMMARY.replace("WHEN", when))
    with dairy.tools() as tools, serving(script, dairy.port):
        run = dairy.prepared(tools, *changes)
        send(run, tools)
        script.stored.clear()
        return send_summary(tools.ledger.run(str(run.id)), tools)


def test_the_summary_says_what_wants_attention_and_has_the_list(dairy: Dairy) -> None:
    dairy.write("members.csv", MEMBERS.replace("Hallbank,", "=1+1 *Hall*,"))
    script = Script()
    assert told(dairy, "always", script) is None
    ((address, raw),) = script.stored
    mail: Any = message_from_bytes(raw, policy=default)
    assert address == "maren@tarnvale.example"
    assert mail["Subject"] == "Run 1, Milk statements: 1 held, 1 skipped, 2 sent"
    text = mail.get_body(("plain",)).get_content()
    assert "- held: 118 =1+1 *Hall*: more than the tank holds" in text
    (part,) = mail.iter_attachments()
    rows = list(csv.DictReader(io.StringIO(part.get_payload(decode=True).decode("utf-8-sig"))))
    assert [(row["state"], row["key"], row["to"]) for row in rows if row["state"] == "sent"] == [
        ("sent", "00042", "zoe@members.tarnvale.example"),
        ("sent", "00042", "ines@tarnvale.example"),
        ("sent", "117", "laka@members.tarnvale.example"),
        ("sent", "117", "ines@tarnvale.example"),
    ]
    assert {row["name"] for row in rows if row["key"] == "118"} == {"'=1+1 *Hall*"}


@pytest.mark.parametrize(("rules", "count"), [((RULES, ""), 0), (("x", "x"), 1)])
def test_when_wrong_it_comes_only_then(dairy: Dairy, rules: tuple[str, str], count: int) -> None:
    script = Script()
    changes = [("rules:\n", "rules: []\n"), rules] if count == 0 else []
    assert told(dairy, "when wrong", script, *changes) is None
    assert len(script.stored) == count


def test_a_summary_that_is_refused_is_told_and_changes_nothing(dairy: Dairy) -> None:
    script = Script(answers={"RCPT:maren@tarnvale.example": ["550 nobody of that name"]})
    said = "the summary was not taken for maren@tarnvale.example: recipient refused: 550 nobody of that name"
    assert told(dairy, "always", script) == said
    with dairy.tools() as tools:
        assert every_hand_over(tools.ledger.packages(1)).count("\r\nsent,") == 4
