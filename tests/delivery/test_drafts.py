"""Messages as drafts: files that mail programs open as unsent, whole, with everything that is attached."""

from __future__ import annotations

from email import message_from_bytes
from email.policy import default
from typing import Any

import pytest

from gonnet.errors import RunError
from gonnet.ledger import State
from gonnet.pipeline.reviewing.amending.amend import amend
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.send import send
from support import MEMBERS, SETTINGS, Dairy, of

EMAIL = '  - email: {from: "Statements <statements@tarnvale.example>"}\n'
PATH = "{{ run.date | date('yyyy-MM-dd') }}"
DRAFTS = f'  - drafts: {{from: "Statements <statements@tarnvale.example>", path: "{PATH}", existing: refuse}}\n'


def test_drafts_are_whole_and_nothing_is_mailed(dairy: Dairy) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "1") + "folders: {out: {path: drafts, mode: '600'}}\n")
    change = (", cc: adviser", ", bcc: adviser")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, DRAFTS), change)
        package = dairy.by_key(tools, run)["117"]
        assert (package.to, package.mailed) == (("laka@members.tarnvale.example",), ())
        assert send(run, tools).states == {State.SENT: 2}
        documents = {part.name: tools.store.get(part.sha256) for part in package.documents}
    folder = dairy.folder / "drafts/2026-11-05"
    assert sorted(path.name for path in folder.iterdir()) == ["00042.eml", "117.eml"]
    assert (folder / "117.eml").stat().st_mode & 0o777 == 0o600
    mail: Any = message_from_bytes((folder / "117.eml").read_bytes(), policy=default)
    assert (mail["X-Unsent"], mail["Date"], mail["Bcc"]) == ("1", None, "ines@tarnvale.example")
    assert mail["To"] == "Łąka Górna <laka@members.tarnvale.example>"
    assert mail["Subject"] == "Statement of Łąka Górna"
    assert {part.get_filename(): part.get_content() for part in mail.iter_attachments()} == documents


def test_a_draft_needs_no_address_and_cannot_be_amended(dairy: Dairy) -> None:
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", "1") + "folders: {out: {path: drafts}}\n")
    dairy.write("members.csv", MEMBERS.replace("laka@members.tarnvale.example", ""))
    with dairy.tools() as tools:
        run = dairy.prepared(tools, (EMAIL, DRAFTS))
        with pytest.raises(RunError, match="the messages of package 117 are drafts"):
            amend(run, tools, of("117"), Amendment(to="l@x.example"), "", "maren")
        assert send(run, tools).states == {State.SENT: 2}
    mail = message_from_bytes((dairy.folder / "drafts/2026-11-05/117.eml").read_bytes(), policy=default)
    assert (mail["To"], mail["Cc"]) == (None, "ines@tarnvale.example")
