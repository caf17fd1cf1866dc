"""Whatever Gonnet writes that holds people's data can be read by its owner alone, wherever it is."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import pytest

from support import Dairy


@pytest.fixture
def _open_to_all() -> Iterator[None]:
    before = os.umask(0)
    yield
    os.umask(before)


@pytest.mark.usefixtures("_open_to_all")
def test_only_the_owner_can_read_what_was_written(dairy: Dairy, tmp_path: Path) -> None:
    (dairy.folder / ".gonnet").mkdir(mode=0o777)  # there before, for anybody
    theirs = {path for path in tmp_path.rglob("*")}
    away = tmp_path / "away"
    commands = (
        ("prepare", "statements", "--as-of", "2026-11-05"),
        ("review", "--into", str(away / "look"), "--html", str(away.parent / "page.html")),
        ("save", "last", "117", "--into", str(away / "saved" / "deep")),
        ("preview", "statements", "--as", "png", "--into", str(away / "preview")),
        ("rows", "statements", "milk", "--to", str(away / "rows" / "milk.csv")),
        ("rows", "statements", "milk", "--to", str(away / "rows" / "milk.xlsx")),
        ("amend", "last", "117", "--to", "iga@laka.example", "--keep", "--why", "called"),
    )
    for words in commands:
        dairy.gonnet(*words, code=None)
    made = [path for path in tmp_path.rglob("*") if path not in theirs]
    kinds = {path.suffix for path in made}
    assert {".pdf", ".xlsx", ".png", ".html", ".csv", ".db"} <= kinds
    assert [path for path in made if path.stat().st_mode & 0o077] == []


@pytest.mark.usefixtures("_open_to_all")
def test_a_file_that_others_could_read_is_taken_from_them(dairy: Dairy) -> None:
    page = dairy.write("page.html", "old")
    assert page.stat().st_mode & 0o077
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    dairy.gonnet("review", "--html", str(page), code=None)
    assert page.stat().st_mode & 0o077 == 0


def test_who_acted_is_who_the_system_knows(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    import pwd

    me = pwd.getpwuid(os.getuid()).pw_name
    for name in ("LOGNAME", "USER", "LNAME", "USERNAME"):
        monkeypatch.setenv(name, "somebody-else")
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    dairy.gonnet("hold", "1", "117", "--why", "x")
    with dairy.tools() as tools:
        found = dairy.by_key(tools, tools.ledger.run("1"))["117"]
        of_run, of_package = tools.ledger.history(1), tools.ledger.history(1, found.id)
    assert f"prepared by {me}" in [what for _, what in of_run]
    assert f"held by {me}: x" in [what for _, what in of_package]
