"""Keys that a binary number cannot tell apart stay apart in every kind of file, or the file is refused by naming them."""

from __future__ import annotations

import json
import sqlite3
import zipfile
from contextlib import closing
from pathlib import Path

import duckdb
import openpyxl
import pytest

from gonnet.data import Values, load
from gonnet.data.key_text import key_text
from gonnet.errors import DataError
from made import ods
from support import AS_OF, Dairy

KEYS = [4011789000000012, 4011789000000013, 9007199254740992, 9007199254740993, 123456789012345678901, 117]


def written(folder: Path, name: str, keys: list[int], kind: str = "bigint") -> None:
    """A file with a row for each key, the keys being numbers in it."""
    path = folder / name
    if name.endswith((".csv", ".tsv")):
        mark = "\t" if name.endswith("tsv") else ","
        path.write_text(f"farm_no{mark}litres\n" + "".join(f"{key}{mark}1\n" for key in keys))
    elif name.endswith("jsonl"):
        path.write_text("".join(json.dumps({"farm_no": key, "litres": 1}) + "\n" for key in keys))
    elif name.endswith("parquet"):
        rows = ", ".join(f"(cast({key} as {kind}), 1)" for key in keys)
        duckdb.connect().execute(f"copy (select * from (values {rows}) t(farm_no, litres)) to '{path}'")
    elif name.endswith("xlsx"):
        _workbook(path, [repr(float(key)) if kind == "double" else str(key) for key in keys])
    elif name.endswith("ods"):
        path.write_bytes(ods("Milk", [["farm_no", "litres"], *[list[object]((key, 1)) for key in keys]]))
    else:
        with closing(sqlite3.connect(path)) as link:
            link.execute(f"create table milk (farm_no {kind}, litres integer)")
            link.executemany("insert into milk values (?, 1)", [(key,) for key in keys])
            link.commit()


def _workbook(path: Path, numbers: list[str]) -> None:
    """A workbook whose numbers are written so: libraries write sixteen digits at most."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["farm_no", "litres"])
    for at in range(len(numbers)):
        sheet.append([900_000 + at, 1])
    book.save(path)
    with zipfile.ZipFile(path) as old:
        parts = {name: old.read(name) for name in old.namelist()}
    for at, number in enumerate(numbers):
        place = "xl/worksheets/sheet1.xml"
        parts[place] = parts[place].replace(f"<v>{900_000 + at}</v>".encode(), f"<v>{number}</v>".encode())
    with zipfile.ZipFile(path, "w") as new:
        for name, data in parts.items():
            new.writestr(name, data)


def keys_of(dairy: Dairy, name: str) -> list[object]:
    sheet = ", sheet: milk" if name.endswith("sqlite") else ""
    with dairy.tools() as tools:
        job = dairy.job(("milk: {file: milk.csv}", f"milk: {{file: {name}{sheet}}}"))
        found = load(job, tools.workspace, Values(given={}, as_of=AS_OF))
    with closing(found.engine):
        key = key_text(found.engine, "milk", ("farm_no",))
        return [found for (found,) in found.engine.query(f"select {key} from milk order by rowid")]


@pytest.mark.parametrize("name", ["k.csv", "k.tsv", "k.jsonl", "k.parquet", "k.xlsx", "k.ods", "k.sqlite"])
def test_long_keys_have_all_their_digits(dairy: Dairy, name: str) -> None:
    keys = KEYS if name.endswith(("csv", "tsv", "jsonl", "ods", "xlsx")) else [key for key in KEYS if key < 2**63]
    written(dairy.folder, name, keys)
    assert keys_of(dairy, name) == [str(key) for key in keys]


@pytest.mark.parametrize(("name", "kind"), [("k.parquet", "double"), ("k.xlsx", "double"), ("k.sqlite", "real")])
def test_a_file_that_lost_digits_is_refused_and_one_that_did_not_has_no_decimals(
    dairy: Dairy, name: str, kind: str
) -> None:
    written(dairy.folder, name, [117, 10**17, 10**17 + 1], kind)
    with pytest.raises(DataError, match=r"100000000000000000|1e\+17"):
        keys_of(dairy, name)
    (dairy.folder / name).unlink()
    written(dairy.folder, name, [117, 4011789000000012, 4011789000000013], kind)
    assert keys_of(dairy, name) == ["117", "4011789000000012", "4011789000000013"]


@pytest.mark.parametrize("end", [b"\n", b"\r\n", b"\r"])
@pytest.mark.parametrize("within", [b"\n", b"\r\n", b"\r"])
@pytest.mark.parametrize("bom", [b"", b"\xef\xbb\xbf"])
def test_a_heading_with_a_line_break_loses_no_row(dairy: Dairy, end: bytes, within: bytes, bom: bytes) -> None:
    lines = [b'farm_no,"litres' + within + b'(all)",note', b"117,1,", b'118,2,"x' + within + b'y"']
    dairy.write("k.csv", bom + b"".join(line + end for line in lines))
    assert keys_of(dairy, "k.csv") == ["117", "118"]


def test_rows_that_cannot_be_read_are_not_none(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    from gonnet.data.files import text_files

    monkeypatch.setattr(text_files, "_plain", lambda text, *_, **__: (text, text.path, 0))
    dairy.write("k.csv", b'farm_no,"litres\n(all)"\r\n117,1\r\n')
    with pytest.raises(DataError, match=r"k\.csv has rows, and none of them could be read"):
        keys_of(dairy, "k.csv")
