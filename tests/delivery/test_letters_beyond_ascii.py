"""Addresses with letters beyond ASCII before the @ leave by servers that take them (RFC 6531), and are held else."""

from __future__ import annotations

from email import message_from_bytes
from email.policy import SMTPUTF8
from typing import Any

import pytest

from scripted_smtp import Script, serving
from support import MEMBERS, Dairy

TAKES = {"EHLO": ["250-here\r\n250-8BITMIME\r\n250-SMTPUTF8\r\n250 DSN"]}


@pytest.fixture
def beyond(dairy: Dairy) -> Dairy:
    dairy.write("members.csv", MEMBERS.replace("laka@members", "łąka@members"))
    dairy.job()
    dairy.gonnet("prepare", "statements", "--only", "117", "--only", "00042")
    return dairy


def test_where_the_server_takes_them_they_are_written_as_they_are(beyond: Dairy) -> None:
    script = Script(answers=dict(TAKES))
    with serving(script, beyond.port):
        beyond.gonnet("send", "last", "--yes")
    lines = [line for line in script.seen if line.startswith(("MAIL", "RCPT"))]
    mine = lines.index(next(line for line in lines if "łąka" in line))
    assert lines[mine - 1].endswith("SMTPUTF8") or " SMTPUTF8 " in lines[mine - 1]
    assert " BODY=8BITMIME" in lines[mine - 1]
    assert lines[mine].startswith("RCPT TO:<łąka@members.tarnvale.example> ")
    assert lines[mine].endswith("ORCPT=utf-8;\\x{142}\\x{105}ka@members.tarnvale.example")
    others = [line for line in lines if line.startswith("RCPT") and "zoe@" in line]
    assert not any("SMTPUTF8" in lines[lines.index(line) - 1] for line in others)
    mails: dict[str, Any] = {to: message_from_bytes(data, policy=SMTPUTF8) for to, data in script.stored}
    assert mails["łąka@members.tarnvale.example"]["To"] == "Łąka Górna <łąka@members.tarnvale.example>"
    copies = [data for to, data in script.stored if to.startswith("ines") and "łąka".encode() in data]
    assert len(copies) == 1, "a copy to an ASCII address carries the address too"


def test_where_it_does_not_the_package_is_held_and_the_others_leave(beyond: Dairy) -> None:
    script = Script()
    with serving(script, beyond.port):
        found = beyond.gonnet("send", "last", "--yes", code=3)
        assert {to for to, _ in script.stored} == {"zoe@members.tarnvale.example", "ines@tarnvale.example"}
        assert len(script.stored) == 2, "nor a copy of it"
        assert "the mail server office does not take (no SMTPUTF8)" in found.stdout
        beyond.gonnet("amend", "last", "117", "--to", "laka@members.tarnvale.example")
        beyond.gonnet("release", "last", "117", "--why", "called them", "--yes")
        beyond.gonnet("send", "last", "--yes")
    assert len(script.stored) == 4


def test_the_review_says_so_beforehand_and_a_trial_needs_it_not(beyond: Dairy) -> None:
    odd = {package["key"]: package["odd"] for package in beyond.json("review", "last")["packages"]}
    assert odd == {"00042": [], "117": ["needs a mail server with SMTPUTF8: łąka@members.tarnvale.example"]}
    script = Script()
    with serving(script, beyond.port):
        beyond.gonnet("send", "last", "--trial", "me@tarnvale.example", "--yes")
    assert {to for to, _ in script.stored} == {"me@tarnvale.example"}
    assert len(script.stored) == 2
