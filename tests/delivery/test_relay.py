"""A run through a real mail server: over STARTTLS, with a login, on several connections, commands in groups."""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Iterator
from email import message_from_bytes
from email.policy import SMTPUTF8, default
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest

from mail_programs import Relay, postfix
from support import MEMBERS, MILK, Dairy, wait_for

SERVER = """\
mail_servers:
  office:
    {host: 127.0.0.1, port: PORT, user: reports, password: '${MAIL_PASSWORD}', ca_file: ISSUER, connections: 3, seconds: 20}
style: {organisation: Tarnvale Dairy Cooperative, locale: en_IE, currency: EUR}
"""
MANY = [f"20{n}" for n in range(1, 8)]


@pytest.fixture(scope="module")
def relay() -> Iterator[Relay]:
    with tempfile.TemporaryDirectory(prefix="relay-") as folder, postfix(Path(folder)) as found:
        yield found


def through(dairy: Dairy, relay: Relay) -> None:
    dairy.write("gonnet.yaml", SERVER.replace("PORT", str(relay.port)).replace("ISSUER", str(relay.issuer)))
    dairy.write("milk.csv", MILK + "".join(f"{farm},2026-10-01,9,1.00,\n" for farm in MANY))
    people = "".join(f"{farm},Farm {farm} of Tarnvale,f{farm}@members.tarnvale.example,\n" for farm in MANY)
    gone = MEMBERS.replace("laka@members", "gone@members")
    dairy.write("members.csv", gone + people)


def test_everybody_gets_theirs_once_and_who_is_not_known_is_told(
    dairy: Dairy, relay: Relay, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("MAIL_PASSWORD", "right")
    through(dairy, relay)
    dairy.gonnet("prepare", "statements", code=3)
    found = dairy.gonnet("send", "last", "--yes", code=3).stdout
    assert "5.1.1 <gone@members.tarnvale.example>" in found
    assert dairy.json("show", "last", code=3)["states"] == {"failed": 1, "held": 1, "sent": 8, "skipped": 1}
    wait_for(lambda: len(relay.kept()) == 10)
    mails: list[Any] = [message_from_bytes(data, policy=default) for data in relay.kept()]
    to = Counter(mail["Delivered-To"].partition("@")[0] for mail in mails)
    assert to == {"zoe": 1, "ines": 2, **{f"f{farm}": 1 for farm in MANY}}
    assert all(len(list(mail.iter_attachments())) == 2 for mail in mails)
    assert all("ESMTPSA" in mail["Received"] for mail in mails), "over TLS, and logged in"
    dairy.gonnet("send", "last", "--yes", code=3)
    assert len(relay.kept()) == 10


def test_letters_beyond_ascii_before_the_at_sign_are_taken(
    dairy: Dairy, relay: Relay, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("MAIL_PASSWORD", "right")
    through(dairy, relay)
    before = len(relay.kept())
    dairy.write("members.csv", MEMBERS.replace("laka@members", "łąka@members"))
    dairy.gonnet("prepare", "statements", "--only", "117")
    dairy.gonnet("send", "last", "--yes")
    wait_for(lambda: len(relay.kept()) == before + 2)
    mails: list[Any] = [message_from_bytes(data, policy=SMTPUTF8) for data in relay.kept()]
    assert {mail["Delivered-To"] for mail in mails if "łąka" in mail["To"]} == {
        "łąka@members.tarnvale.example",
        "ines@tarnvale.example",
    }


@pytest.mark.parametrize(
    ("password", "trusted", "says"),
    [("wrong", True, "it refuses the login: 535"), ("right", False, "its certificate is not trusted")],
)
def test_a_wrong_login_or_certificate_stops_before_the_first_message(
    dairy: Dairy, relay: Relay, monkeypatch: pytest.MonkeyPatch, password: str, trusted: bool, says: str
) -> None:
    monkeypatch.setenv("MAIL_PASSWORD", password)
    through(dairy, relay)
    if not trusted:
        text = (dairy.folder / "gonnet.yaml").read_text("utf-8")
        dairy.write("gonnet.yaml", text.replace(f"ca_file: {relay.issuer}, ", ""))
    before = len(relay.kept())
    dairy.gonnet("prepare", "statements", code=3)
    assert says in dairy.gonnet("send", "last", "--yes", code=4).stderr
    assert dairy.json("show", "last", code=3)["states"] == {"held": 1, "ready": 9, "skipped": 1}
    assert len(relay.kept()) == before


def test_a_message_that_is_too_big_for_the_server_is_refused_and_the_others_leave(
    dairy: Dairy, relay: Relay, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("MAIL_PASSWORD", "right")
    through(dairy, relay)
    rows = "".join(f"201,2026-10-01,{n},{n}.25,{sha256(b'%d' % n).hexdigest()}\n" for n in range(4000))
    dairy.write("milk.csv", MILK + rows)
    change = ("{name: a lot, when: litres > 5000, hold", "{name: a lot, when: litres < 0, hold")
    dairy.job(change)
    dairy.gonnet("prepare", "statements", code=None)
    assert "5.3.4 Message size exceeds" in dairy.gonnet("send", "last", "--yes", code=3).stdout
    states = {p["key"]: p["state"] for p in dairy.json("show", "last", code=3)["packages"]}
    assert (states["201"], states["00042"], states["118"]) == ("failed", "sent", "sent")
