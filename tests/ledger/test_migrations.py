"""Ledgers that earlier versions wrote, in `forms/` as they left them: nothing of their history is lost, and nobody gets
twice what they know to be sent, or perhaps sent."""

from __future__ import annotations

import datetime as dt
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from alembic import command

from gonnet.errors import StorageError
from gonnet.ledger import Ledger
from scripted_smtp import Script, serving
from support import SETTINGS, Dairy

FORMS = Path(__file__).parent / "forms"
NAMES = (
    "form-1",
    "form-2",
    "form-3",
    "form-3-late",
    "form-4",
    "form-5",
    "form-6",
    "form-7",
    "form-8",
    "form-9",
    "form-10",
    "form-11",
)
JOB = """\
title: Milk statements
parameters:
  month: {kind: month, default: previous}
data: {milk: {file: milk.csv}, members: {file: members.csv}}
split: {rows: milk, by: farm_no}
recipients: {rows: members, key: farm_no, name: farm_name, to: email}
reports:
  statement: {title: Statement, blocks: [{table: {columns: [{field: amount}]}}]}
package: {documents: [{report: statement, as: pdf}], name: "{{ key }} statement"}
messages: {standard: {subject: Statement, body: Your statement.}}
deliver: [{email: {from: statements@tarnvale.example}}]
"""
KEYS = ("00042", "117", "118", "119", "120")


@pytest.fixture(params=NAMES)
def old(dairy: Dairy, request: pytest.FixtureRequest) -> Dairy:
    """A workspace whose ledger was written by an earlier version: one sent, one in doubt, one cut off, one refused."""
    dairy.write("jobs/statements.yaml", JOB)
    dairy.write("gonnet.yaml", SETTINGS.replace("PORT", str(dairy.port)) + "folders: {archive: {path: archive}}\n")
    dairy.write("milk.csv", "farm_no,amount\n" + "".join(f"{key},1.00\n" for key in KEYS))
    people = "".join(f"{key},Farm {key},f{key}@members.tarnvale.example\n" for key in KEYS)
    dairy.write("members.csv", "farm_no,farm_name,email\n" + people)
    lay(request.param, dairy.folder / ".gonnet")
    return dairy


def lay(form: str, folder: Path) -> Path:
    folder.mkdir()
    with closing(sqlite3.connect(folder / "ledger.db")) as link:
        link.executescript((FORMS / f"{form}.sql").read_text("utf-8"))
    return folder


def test_what_was_sent_is_not_sent_again_and_a_doubt_can_be_settled(old: Dairy) -> None:
    before = {package["key"]: package for package in old.json("show", "1", code=3)["packages"]}
    assert {key: package["state"] for key, package in before.items()} == {
        "00042": "sent", "117": "unsure", "118": "held", "119": "failed", "120": "unsure",
    }  # fmt: skip
    shown = old.gonnet("show", "1", "00042", code=3).stdout
    assert "f00042@members.tarnvale.example: sent (250 taken)" in shown
    assert "its text is no longer kept" in shown
    old.gonnet("prepare", "statements", "--as-of", "2026-11-06")
    script = Script()
    with serving(script, old.port):
        said = old.gonnet("send", "2", "--yes").stdout
    assert "3 packages were already sent in run 1 for the same period (00042, 117, 120)" in said
    assert sorted(address for address, _ in script.stored) == [
        "f118@members.tarnvale.example",
        "f119@members.tarnvale.example",
    ]
    settled: Any = old.json("settle", "1", "117", "120", "--sent")["packages"]
    parts = [part for package in settled for message in package["messages"] for part in message["hand_overs"]]
    assert [part["state"] for part in parts] == ["sent", "sent"]


@pytest.mark.parametrize("form", NAMES)
def test_it_has_the_tables_of_a_new_one_and_a_copy_of_the_old_stays(form: str, tmp_path: Path) -> None:
    folder = lay(form, tmp_path / "old")
    with closing(sqlite3.connect(folder / "ledger.db")) as link:
        kept = (
            "hand_overs"
            if form in ("form-5", "form-6", "form-7", "form-8", "form-9", "form-10", "form-11")
            else "deliveries"
        )
        rows = link.execute(f"select count(*) from {kept}").fetchone()
    for place in (folder, tmp_path / "new"):
        Ledger(place, lambda: dt.datetime(2026, 11, 5, tzinfo=dt.UTC)).close()
    assert tables(folder / "ledger.db") == tables(tmp_path / "new" / "ledger.db")
    (copy,) = folder.glob("ledger-form-*.db")
    with closing(sqlite3.connect(copy)) as link:
        assert link.execute(f"select count(*) from {kept}").fetchone() == rows


def tables(place: Path) -> dict[str, set[tuple[str, bool]]]:
    with closing(sqlite3.connect(place)) as link:
        names = [name for (name,) in link.execute("select name from sqlite_master where type = 'table'")]
        found = {
            name: {(column[1], bool(column[3])) for column in link.execute(f"pragma table_info({name})")}
            for name in names
        }
        indexes = link.execute("select name from sqlite_master where type = 'index' and name like '%_by_%'")
        return found | {"indexes": {(name, True) for (name,) in indexes}}


def test_what_breaks_off_leaves_the_ledger_as_it_was(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = lay("form-4", tmp_path / "old")
    before = tables(folder / "ledger.db")
    upgrade = command.upgrade

    def cut_off(*parts: Any) -> None:  # noqa: ANN401
        upgrade(*parts)
        raise OSError("the power is gone")

    monkeypatch.setattr(command, "upgrade", cut_off)
    with pytest.raises(OSError, match="the power is gone"):
        Ledger(folder, lambda: dt.datetime(2026, 11, 5, tzinfo=dt.UTC))
    assert tables(folder / "ledger.db") == before


def test_a_newer_one_is_refused_without_being_touched(tmp_path: Path) -> None:
    folder = tmp_path / "kept"
    Ledger(folder, lambda: dt.datetime(2026, 11, 5, tzinfo=dt.UTC)).close()
    with closing(sqlite3.connect(folder / "ledger.db")) as link:
        link.execute("update about set version = 99, written_by = '9.1'")
        link.execute("drop table hand_overs")
        link.commit()
    before = (folder / "ledger.db").read_bytes()
    with pytest.raises(StorageError, match=r"a newer Gonnet \(9.1\) wrote the ledger"):
        Ledger(folder, lambda: dt.datetime(2026, 11, 5, tzinfo=dt.UTC))
    assert (folder / "ledger.db").read_bytes() == before
