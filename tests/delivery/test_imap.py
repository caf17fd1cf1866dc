"""Drafts in a mailbox of a real server: each once, in the folder that is meant, over a line that is checked."""

from __future__ import annotations

import imaplib
import tempfile
from collections.abc import Iterator
from email import message_from_bytes
from email.policy import default
from pathlib import Path
from typing import Any

import pytest

from gonnet.delivery.imap import DraftsFolder, NotPutError, _encoded
from gonnet.errors import UnreachableError
from gonnet.jobs.services import ImapServer
from gonnet.ledger import State
from gonnet.pipeline.send import send
from mail_programs import DRAFTS, Imap, dovecot
from support import SETTINGS, Dairy

MESSAGE = b"From: a@x.example\r\nMessage-ID: <1@x.example>\r\nSubject: x\r\n\r\n.dots\r\n"
EMAIL = '  - email: {from: "Statements <statements@tarnvale.example>"}\n'
WAY = '  - drafts: {from: "Statements <statements@tarnvale.example>", imap: maren}\n'


@pytest.fixture(scope="module")
def server() -> Iterator[Imap]:
    with tempfile.TemporaryDirectory(prefix="imap-") as folder, dovecot(Path(folder)) as found:
        yield found


def opened(server: Imap, password: str = "right", **settings: object) -> DraftsFolder:
    given = {"host": "127.0.0.1", "port": server.port, "security": "starttls", "user": "maren", "password": "${X}"}
    trusted = settings.pop("trusted", str(server.issuer))
    found = ImapServer.model_validate(given | {"seconds": 10} | settings)
    return DraftsFolder(found, password, None if trusted is None else str(trusted))


@pytest.mark.parametrize("security", ["starttls", "tls"])
@pytest.mark.parametrize("named", [None, DRAFTS])
def test_a_message_is_put_once_however_often_it_is_tried(server: Imap, security: str, named: str | None) -> None:
    user = f"{security}-{'marked' if named is None else 'named'}"
    port = server.port if security == "starttls" else server.tls_port
    for _ in range(2):  # a second connection, as after an interruption
        folder = opened(server, security=security, port=port, user=user, folder=named)
        for number in (b"1", b"11", b"1"):
            folder.put(MESSAGE.replace(b"<1@", b"<" + number + b"@"))
        folder.close()
    assert sorted(server.drafts(user)) == sorted([MESSAGE, MESSAGE.replace(b"<1@", b"<11@")])
    assert server.flags(user) == ["DS", "DS"]


@pytest.mark.parametrize(
    ("settings", "says"),
    [
        ({"password": "wrong"}, "refuses the login of 'maren'"),
        ({"trusted": None}, "certificate is not trusted.* Name the certificate's issuer"),
        ({"host": "localhost"}, "not valid for 'localhost'. Write `host:` as its certificate calls it"),
        ({"folder": "Nowhere"}, "its folder cannot be opened"),
        ({"port": 1}, "no connection"),
    ],
)
def test_what_is_wrong_is_told_before_anything_is_put(server: Imap, settings: dict[str, object], says: str) -> None:
    password = str(settings.pop("password", "right"))
    with pytest.raises(UnreachableError, match=says):
        opened(server, password, **settings).open()


@pytest.mark.parametrize(
    ("name", "sent"),
    [
        ("Drafts", b'"Drafts"'),
        ("Entwürfe & Co", b'"Entw&APw-rfe &- Co"'),
        ('a"b\\', b'"a\\"b\\\\"'),
        ("台北", b'"&U,BTFw-"'),
    ],
)
def test_a_folder_may_have_any_name(name: str, sent: bytes) -> None:
    assert _encoded(name) == sent


def test_drafts_of_a_run_lie_in_the_mailbox_and_an_interruption_makes_none_twice(
    server: Imap, dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("IMAP_PASSWORD", "right")
    mailbox = f"host: 127.0.0.1, port: {server.tls_port}, user: clerk, password: '${{IMAP_PASSWORD}}'"
    text = f"imap:\n  maren: {{{mailbox}, ca_file: {server.issuer}}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "1") + text)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, WAY))
        package = dairy.by_key(tools, run)["117"]
        assert str(package.placed[0].target).startswith("mailbox maren: ")
        folder = opened(server, user="clerk")
        folder.put(tools.store.get(package.placed[0].sha256))  # cut off before it was written down
        folder.close()
        assert send(run, tools).states == {State.SENT: 2}
        assert send(run, tools).states == {}
    mails: list[Any] = [message_from_bytes(data, policy=default) for data in server.drafts("clerk")]
    assert sorted(mail["To"].addresses[0].addr_spec for mail in mails) == [
        "laka@members.tarnvale.example",
        "zoe@members.tarnvale.example",
    ]
    assert [len(list(mail.iter_attachments())) for mail in mails] == [2, 2]


def test_a_mailbox_that_is_away_keeps_everything_for_the_next_send(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("IMAP_PASSWORD", "right")
    text = "imap: {maren: {host: 127.0.0.1, port: 1, user: clerk, password: '${IMAP_PASSWORD}'}}\n"
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "1") + text)
    dairy.job((EMAIL, WAY))
    dairy.gonnet("prepare", "statements", code=3)
    assert "mailbox at 127.0.0.1: no connection" in dairy.gonnet("send", "last", "--yes", code=4).stderr
    assert dairy.json("show", "last", code=3)["states"] == {"held": 1, "ready": 2, "skipped": 1}


def test_where_nobody_can_see_whether_it_is_there_nothing_is_put(server: Imap, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = opened(server, user="blind")
    monkeypatch.setattr(imaplib.IMAP4, "search", lambda *_: ("NO", [b"busy"]))
    with pytest.raises(NotPutError, match="the mailbox refuses it: busy"):
        folder.put(MESSAGE)
    folder.close()
    assert server.drafts("blind") == []
