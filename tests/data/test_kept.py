"""What was read of a large file is read once, told, never old, and goes with `tidy`."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from pathlib import Path

import pytest

from gonnet.data import Values, load
from gonnet.data.files import text_files
from gonnet.jobs import load_job, load_workspace
from support import AS_OF, Dairy

ROWS = 30_000
TAKEN = "taken from what was read of the same file"


def milk(more: str = "") -> str:
    lines = (f"{farm:05d};{litres},5;NA;01.10.2026" for farm, litres in zip(range(ROWS), range(ROWS), strict=True))
    return "farm_no;litres;amount;day\n" + "\n".join(lines) + f"\n;;;\n{more}"


@pytest.fixture
def large(dairy: Dairy) -> Dairy:
    dairy.write("milk.csv", milk())
    dairy.job()
    return dairy


def read(dairy: Dairy) -> tuple[object, ...]:
    """All that a reading gives."""
    workspace = load_workspace(dairy.folder)
    found = load(load_job(workspace, "statements"), workspace, Values(given={}, as_of=AS_OF))
    rows = found.engine.query("select rowid, * from milk order by rowid")
    columns = found.engine.columns("milk")
    found.engine.close()
    notes = [note for note in found.told.notes if TAKEN not in note]
    return rows, columns, notes, found.told.findings, found.told.doubts, len(notes) < len(found.told.notes)


def readings(dairy: Dairy) -> list[Path]:
    return sorted((dairy.folder / ".gonnet" / "readings").glob("*"))


def test_the_second_reading_is_the_first(large: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    first = read(large)
    opened = text_files.opened
    monkeypatch.setattr(text_files, "opened", lambda path, *rest: path.name != "milk.csv" and opened(path, *rest))
    second = read(large)
    assert (first[-1], second[-1]) == (False, True)
    assert first[:-1] == second[:-1]
    rows, _, notes, *_ = second
    assert isinstance(rows, list)
    assert rows[-1] == (ROWS - 1, f"{ROWS - 1:05d}", Decimal(f"{ROWS - 1}.5"), "NA", dt.date(2026, 10, 1))
    assert "milk: 1 empty row left out" in str(notes)


@pytest.mark.parametrize("change", ["the file", "how it is read", "the key", "the reading"])
def test_a_reading_is_never_an_old_one(large: Dairy, change: str) -> None:
    read(large)
    match change:
        case "the file":
            large.write("milk.csv", milk("99999;1,5;NA;01.10.2026\n"))
        case "how it is read":
            large.job(("{file: milk.csv}", '{file: milk.csv, missing: ["NA"]}'))
        case "the key":
            large.job(("by: farm_no", "by: litres"), ("key: farm_no", "key: farm_name"))
        case _:
            (kept,) = readings(large)
            kept.write_bytes(kept.read_bytes()[:5000])
    assert read(large)[-1] is False
    assert read(large)[-1] is True


def test_what_is_told_of_a_kept_reading_names_its_own_data_set(large: Dairy) -> None:
    read(large)
    large.job(("milk: {file: milk.csv}", "same: {file: milk.csv}"), ("rows: milk", "rows: same"), name="other")
    said = large.gonnet("rows", "other", "same").stdout
    assert "same.litres: numbers written as" in said
    assert "milk.litres" not in said


def test_it_is_for_its_owner_alone_told_and_cleared(large: Dairy) -> None:
    assert TAKEN not in large.gonnet("check", "statements", code=None).stdout
    assert TAKEN in large.gonnet("rows", "statements", "milk").stdout
    (kept,) = readings(large)
    assert (kept.stat().st_mode & 0o777, kept.parent.stat().st_mode & 0o777) == (0o600, 0o700)
    assert "And 1 reading of data files" in large.gonnet("tidy", "--yes").stdout
    assert readings(large) == []
    assert TAKEN not in large.gonnet("rows", "statements", "milk").stdout


def test_a_small_file_is_not_kept(dairy: Dairy) -> None:
    dairy.job()
    read(dairy)
    assert readings(dairy) == []
