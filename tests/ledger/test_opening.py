"""A ledger that cannot be written can be read; one that is damaged or gone is told plainly, with what to do."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from click.testing import CliRunner

from gonnet.cli import gonnet
from gonnet.errors import StorageError
from gonnet.ledger.home import Home
from support import Dairy


def prepared(dairy: Dairy) -> Path:
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    return dairy.folder / ".gonnet"


def test_an_archived_workspace_can_be_read_and_is_not_written_to(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    kept = prepared(dairy)
    before = {path: path.stat().st_mtime_ns for path in kept.rglob("*")}
    monkeypatch.setattr("gonnet.ledger.opening._may_write", lambda _: False)  # as for somebody who may only read
    for words in (["runs"], ["show", "1"], ["review", "1"], ["show", "1", "117"], ["show", "1", "--csv"]):
        found = CliRunner().invoke(gonnet, [*words, "--workspace", str(dairy.folder)], standalone_mode=False)
        assert found.return_value in (0, 3), found.exception
    with dairy.tools() as tools:
        with pytest.raises(StorageError, match="the ledger can only be read here"):
            tools.ledger.remark(1, "seen")
        assert tools.ledger.run("1").reviewed is None
    assert {path: path.stat().st_mtime_ns for path in kept.rglob("*")} == before


def test_a_ledger_that_is_gone_beside_its_files_is_no_new_beginning(dairy: Dairy) -> None:
    kept = prepared(dairy)
    for path in kept.glob("ledger.db*"):
        path.unlink()
    told = dairy.gonnet("runs", code=2).stderr
    assert "the ledger is gone, and the files of its runs are still there" in told
    assert "Put it back from a backup" in told
    assert not (kept / "ledger.db").exists()
    shutil.move(kept, dairy.folder / "old")
    dairy.gonnet("runs")


@pytest.mark.parametrize("at", [0, 4096])
def test_a_damaged_one_says_what_to_do(dairy: Dairy, at: int) -> None:
    kept = prepared(dairy)
    data = bytearray((kept / "ledger.db").read_bytes())
    data[at : at + 8192] = b"\x5a" * 8192
    (kept / "ledger.db").write_bytes(data)
    told = dairy.gonnet("show", "1", code=2).stderr
    assert "the ledger is damaged, or is no ledger" in told
    assert "Put it back from a backup" in told


def test_where_nothing_can_be_noted_outside_the_workspace_it_is_sent_all_the_same(
    dairy: Dairy, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    with dairy.tools() as tools:
        home: Home = tools.ledger.home
        home.note_send()
        assert home.trouble() is None
