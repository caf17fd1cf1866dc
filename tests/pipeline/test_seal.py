"""The seal covers all that leaves: whoever changes any of it without sealing anew is found out."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from gonnet.errors import RunError
from gonnet.jobs import load_workspace
from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import HandOverRecord, PackageRecord, State
from gonnet.ledger.states import HandOverKind
from gonnet.pipeline.reviewing.by_hand import move
from gonnet.pipeline.seal import Seals
from recorded import package
from scripted_smtp import Script, serving
from support import Dairy, of

FILE = HandOverRecord(
    kind=HandOverKind.FILE, target=Target(TargetKind.FOLDER, "archive", "2026/a.pdf"), sha256="5" * 64, way="folder"
)


def whole() -> PackageRecord:
    found = package("00042", "a@x.example", "b@x.example")
    return replace(found, hand_overs=(*found.hand_overs, FILE))


CHANGES = {
    "key": lambda p: replace(p, key="117"),
    "name of a document": lambda p: replace(p, documents=(replace(p.documents[0], name="b.pdf"),)),
    "document": lambda p: replace(p, documents=(replace(p.documents[0], sha256="9" * 64),)),
    "message": lambda p: replace(p, messages=(replace(p.messages[0], sha256="9" * 64),)),
    "attached files": lambda p: replace(p, messages=(replace(p.messages[0], files=()),)),
    "address": lambda p: replace(
        p, hand_overs=(replace(p.hand_overs[0], target=Target(TargetKind.ADDRESS, "evil@x.example")), *p.hand_overs[1:])
    ),
    "one address less": lambda p: replace(p, hand_overs=p.hand_overs[1:]),
    "filed file": lambda p: replace(p, hand_overs=(*p.hand_overs[:2], replace(FILE, sha256="9" * 64))),
    "place of a file": lambda p: replace(
        p, hand_overs=(*p.hand_overs[:2], replace(FILE, target=Target(TargetKind.FOLDER, "archive", "other.pdf")))
    ),
    "folder of a file": lambda p: replace(
        p, hand_overs=(*p.hand_overs[:2], replace(FILE, target=Target(TargetKind.FOLDER, "public", "2026/a.pdf")))
    ),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES)
def test_whatever_is_changed_breaks_the_seal(change: Any, dairy: Dairy) -> None:  # noqa: ANN401
    seals = seals_of(dairy, dairy.folder / "key")
    assert seals.begin(1) == "keyed"
    sealed = replace(whole(), seal=seals.of(whole(), State.READY))
    assert seals.trouble(sealed, 1, leaves=True) is None
    assert seals.trouble(change(sealed), 1, leaves=True)


def seals_of(dairy: Dairy, key: Path, archive: str = "archive") -> Seals:
    dairy.write("gonnet.yaml", f"folders: {{archive: {{path: {archive}}}}}\n")
    return Seals(load_workspace(dairy.folder), key)


def test_a_seal_says_in_which_state_it_was_taken_where_its_folder_is_and_with_which_key(dairy: Dairy) -> None:
    key = dairy.folder / "key"
    seals = seals_of(dairy, key)
    seals.begin(7)
    assert key.stat().st_mode & 0o777 == 0o600
    held = replace(whole(), state=State.HELD, seal=seals.of(whole(), State.HELD))
    assert seals.trouble(held, 7, leaves=False) is None
    assert seals.trouble(held, 7, leaves=True), "it was held when it was sealed"
    ready = replace(whole(), seal=seals.of(whole(), State.READY))
    assert seals_of(dairy, key).trouble(ready, 7, leaves=True) is None
    assert "where its folder is" in (seals_of(dairy, key, "elsewhere").trouble(ready, 7, leaves=True) or "")
    assert "cannot be read here" in (seals_of(dairy, dairy.folder / "no").trouble(ready, 7, leaves=True) or "")
    seals_of(dairy, dairy.folder / "other").begin(1)
    assert seals_of(dairy, dairy.folder / "other").trouble(ready, 7, leaves=True), "another key"
    open_one = replace(whole(), seal=seals_of(dairy, dairy.folder / "no").of(whole(), State.READY))
    assert seals.trouble(open_one, 7, leaves=True), "made without the key"


@pytest.mark.parametrize(
    "change",
    [
        "update packages set state = 'ready', reason = '' where key = '118'",
        "update packages set seal = '" + "0" * 64 + "'",
        "update messages set subject = 'Other'",
        "update messages set server = 'other'",
        "update hand_overs set way = 'other'",
        """update messages set "to" = '["evil@x.example"]'""",
    ],
)
def test_who_writes_the_ledger_alone_sends_nothing(dairy: Dairy, change: str) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        assert run.sealed == "keyed"
    with closing(sqlite3.connect(dairy.folder / ".gonnet/ledger.db")) as link:
        link.execute(change)
        link.commit()
    script = Script()
    with serving(script, dairy.port):
        key = "118" if "118" in change else "117"
        assert dairy.gonnet("send", "1", "--yes", "--only", key, code=None).returncode in (2, 3)
    assert script.stored == []


def test_a_home_that_cannot_be_written_is_told_and_the_run_goes_on(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", "/proc/nowhere")
    with dairy.tools() as tools:
        run = dairy.prepared(tools)
        assert run.sealed == "open"
        assert any("sealed without a key" in text for weight, text in run.findings if weight == "attention")
        with pytest.raises(RunError):
            move(run, tools, of("119"), State.READY, "why", "maren")
