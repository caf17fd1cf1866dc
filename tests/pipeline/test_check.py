"""`check` names what would stop a send: servers, certificates, ports and passwords, before anything is made."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest

from support import Dairy


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("security: none", "security: starttls, ca_file: own.pem", "there is no file own.pem, which `ca_file` names"),
        ("port: PORT, security: none", "port: 587, security: tls", "port 587 begins without TLS"),
        ("port: PORT, security: none", "port: 465, security: starttls", "port 465 begins with TLS"),
        ("security: none", "security: tls, user: x, password: '${NOT_SET}'", "the environment variable NOT_SET is not set"),
        ("security: none", "security: tls, user: x", "it has a `user` and no `password`"),
        ("security: none", "security: none, user: x, password: '${HOME}'", "a password must not go over an open line"),
    ],
)  # fmt: skip
def test_a_server_that_cannot_work_is_named(dairy: Dairy, old: str, new: str, said: str) -> None:
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8").replace(f"port: {dairy.port}", "port: PORT")
    assert old in settings
    dairy.write("gonnet.yaml", settings.replace(old, new).replace("PORT", str(dairy.port)))
    found = dairy.gonnet("check", "statements", code=3)
    assert said in " ".join(found.stdout.split())
    assert "mail server 'office'" in found.stdout


def test_it_says_hello_to_the_servers_when_it_is_asked_to(dairy: Dairy, serve: Callable[..., Any]) -> None:
    down = dairy.gonnet("check", "statements", "--servers", code=3).stdout
    assert "no connection: Connection refused" in " ".join(down.split())
    assert "no connection" not in dairy.gonnet("check", "statements", code=3).stdout
    serve(dairy)
    said = f"mail server 'office' answers: 127.0.0.1:{dairy.port}, no encryption, no login needed"
    assert said in " ".join(dairy.gonnet("check", "statements", "--servers", code=3).stdout.split())
    assert dairy.mail() == []


def test_drafts_the_summary_and_the_database_that_is_told_are_looked_at_too(dairy: Dairy) -> None:
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8")
    more = """\
imap: {drafts: {host: 127.0.0.1, port: 143, security: tls, user: x, password: "${NO_PIN}"}}
databases: {pool: {url: "postgresql://x@127.0.0.1/pool", password: "${NO_WORD}"}}
"""
    dairy.write("gonnet.yaml", settings + more)
    drafts = "deliver:\n  - drafts: {from: a@tarnvale.example, imap: drafts}\n"
    told = "write_back: {database: pool, sql: 'update sent set state = $state where farm_no = $key'}\n"
    dairy.job(('deliver:\n  - email: {from: "Statements <statements@tarnvale.example>"}\n', drafts + told))
    said = " ".join(dairy.gonnet("check", "statements", code=3).stdout.split())
    for word in ("port 143 begins without TLS", "NO_PIN is not set", "NO_WORD is not set"):
        assert word in said
