"""Files become tables whose keys stay text and whose amounts stay exact."""

from __future__ import annotations

import datetime as dt
import gzip
import lzma
import sqlite3
from contextlib import closing
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import openpyxl
import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from gonnet.data import Values, load, look_at
from gonnet.data.files.encodings import only_reading
from gonnet.data.files.workbooks import plain_text
from gonnet.errors import DataError
from gonnet.jobs.sources import FileDataSet
from gonnet.pipeline.survey import Request, survey
from made import ods
from support import AS_OF, Dairy


def column(path: Path, name: str = "v", text: frozenset[str] = frozenset()) -> tuple[str, list[object]]:
    with closing(look_at(FileDataSet(file=str(path)), text).engine) as engine:
        kind = next(found.type for found in engine.columns("rows") if found.name == name)
        return kind, [value for (value,) in engine.query(f'select "{name}" from rows')]


@pytest.mark.parametrize(
    ("cells", "kind", "values"),
    [
        (["00042", "42"], "VARCHAR", ["00042", "42"]),
        (["1", "-20", ""], "BIGINT", [1, -20, None]),
        (["1.20", "3.5", "7"], "DECIMAL(18,2)", [Decimal("1.20"), Decimal("3.50"), Decimal("7.00")]),
        (["12345678901234567.89"], "DECIMAL(38,2)", [Decimal("12345678901234567.89")]),
        (["2026-10-01", ""], "DATE", [dt.date(2026, 10, 1), None]),
        (["2026-10-01", "2026-13-01"], "VARCHAR", ["2026-10-01", "2026-13-01"]),
        (["2026-10-01 08:30"], "TIMESTAMP", [dt.datetime(2026, 10, 1, 8, 30)]),
        (["true", "FALSE"], "BOOLEAN", [True, False]),
        (["1e5", "+3", "0x1F"], "VARCHAR", ["1e5", "+3", "0x1F"]),
        (["#1", "=1+1"], "VARCHAR", ["#1", "=1+1"]),
    ],
)
def test_a_csv_column_has_the_type_that_all_its_values_show(
    tmp_path: Path, cells: list[str], kind: str, values: list[object]
) -> None:
    path = tmp_path / "a.csv"
    path.write_text("k,v\n" + "".join(f"x,{cell}\n" for cell in cells), "utf-8")
    assert column(path) == (kind, values)


def test_a_key_column_stays_text_even_where_every_value_is_a_number(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_text("v;w\n1.1;2\n1.10;3\n", "utf-8")
    assert column(path, text=frozenset({"v"})) == ("VARCHAR", ["1.1", "1.10"])


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "a.csv is empty"),
        (b"k,v\n1,2\n3,4,5\n", "a.csv, line 3 has 3 columns, the header has 2"),
        (b"k;v\n1\n", "a.csv, line 2 has 1 columns"),
        (b'k,v\n1,"2\n3,4\n', "a.csv, line 2: a quote is not closed"),
        (b"\xff\xfe\x00", "a.csv is not UTF-16 text"),
        (
            "k,v\n1,Dvořák\n".encode("cp1250"),
            "a.csv, line 2 is not UTF-8 text, and more than one encoding could be meant. Save it as UTF-8, or say which",
        ),
        ("k,v\n1,Dvořák\n".encode("cp1250"), "as cp1250 '1,Dvořák'"),
        (b"k,k\n1,2\n", "two columns of a.csv are called 'k'"),
        (b"k,,v\n1,2,3\n", "column 2 of a.csv has no name"),
        (b"k,v\r\n1,2\n3,4\r\n", "the lines of a.csv end in different ways"),
    ],
)
def test_a_csv_that_cannot_be_trusted_is_refused_with_its_line(tmp_path: Path, raw: bytes, says: str) -> None:
    path = tmp_path / "a.csv"
    path.write_bytes(raw)
    with pytest.raises(DataError) as caught:
        look_at(FileDataSet(file=str(path)))
    assert says in str(caught.value)
    assert caught.value.fix


def test_a_missing_file_is_refused_with_the_nearest_one(tmp_path: Path) -> None:
    (tmp_path / "collections.csv").write_text("a\n1\n")
    with pytest.raises(DataError, match=r"Did you mean 'collections\.csv'"):
        look_at(FileDataSet(file=str(tmp_path / "colections.csv")))


def test_a_workbook_keeps_its_numbers_exact_and_its_keys_text(tmp_path: Path) -> None:
    path = tmp_path / "a.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet()
    day = book.add_format({"num_format": "yyyy-mm-dd"})
    sheet.write_row(0, 0, ["key", "mixed", "amount", "day", "whole"])
    for row, (key, mixed, amount, date, whole) in enumerate(
        [(1042, "00042", 588.05, dt.date(2026, 10, 1), 3), (117, 1042, 0.1, dt.date(2026, 10, 2), 4)], 1
    ):
        sheet.write_number(row, 0, key)
        sheet.write(row, 1, mixed)
        sheet.write_number(row, 2, amount)
        sheet.write_datetime(row, 3, date, day)  # type: ignore[call-overload]
        sheet.write_number(row, 4, whole)
    book.close()
    assert column(path, "key", frozenset({"key"})) == ("VARCHAR", ["1042", "117"])
    assert column(path, "mixed") == ("VARCHAR", ["00042", "1042"])
    assert column(path, "amount") == ("DECIMAL(18,2)", [Decimal("588.05"), Decimal("0.10")])
    assert column(path, "day")[1] == [dt.date(2026, 10, 1), dt.date(2026, 10, 2)]
    assert column(path, "whole") == ("BIGINT", [3, 4])


def test_parquet_is_read_with_its_own_types(tmp_path: Path) -> None:
    path = tmp_path / "a.parquet"
    duckdb.execute(f"copy (select '00042' as k, 12.34::decimal(9, 2) as v) to '{path}' (format parquet)")
    assert column(path) == ("DECIMAL(9,2)", [Decimal("12.34")])


@given(st.integers(min_value=0, max_value=2**53))
def test_a_whole_number_of_a_workbook_never_shows_decimals_as_text(number: int) -> None:
    assert plain_text(float(number)) == str(number)


def test_once_locked_the_engine_reads_no_file(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_text("k\n1\n")
    with (
        closing(look_at(FileDataSet(file=str(path))).engine) as engine,
        pytest.raises(DataError, match="Cannot access file"),
    ):
        engine.query(f"select * from read_csv('{path}')")


@pytest.mark.parametrize(
    ("text", "written", "found"),
    [
        ("Jürgen Größe", "cp1252", "cp1252"),
        ("Hof Öd – «Müller»", "cp1252", "cp1252"),
        ("Dvořák", "cp1250", None),  # in cp1252 these are letters too: Dvoøák
        ("Dvořák šťávu", "cp1250", "cp1250"),  # in cp1252 this has no meaning
        ("Jørgen", "cp1252", None),
        ("Ферма", "cp1251", None),
        ("Łódź", "cp1250", "cp1250"),
        ("Straße M²", "cp1254", "cp1252"),
    ],
)
def test_an_encoding_is_found_where_only_one_reading_makes_words(text: str, written: str, found: str | None) -> None:
    assert only_reading(text.encode(written).split()) == found


def test_an_encoding_that_is_given_is_used_and_told(dairy: Dairy) -> None:
    people = "farm_no;farm_name;email;adviser\n117;Łąka Górna nad Świdrem, Żółć;laka@members.tarnvale.example;\n"
    dairy.write("members.csv", people.encode("cp1250"))
    with dairy.tools() as tools:
        job = dairy.job(("members: {file: members.csv}", "members: {file: members.csv, encoding: cp1250}"))
        found = survey(job, tools, Request(as_of=AS_OF, asked={}))
    with closing(found.engine):
        assert found.engine.query("select farm_name from members") == [("Łąka Górna nad Świdrem, Żółć",)]
    assert "members.csv: read as cp1250" in found.notes
    assert "members.csv: columns separated by semicolons" in found.notes


def loaded(dairy: Dairy, source: str) -> list[tuple[object, ...]]:
    """The rows of `milk`, read from another source."""
    with dairy.tools() as tools:
        job = dairy.job(("milk: {file: milk.csv}", f"milk: {source}"))
        found = load(job, tools.workspace, Values(given={}, as_of=AS_OF))
    with closing(found.engine):
        return found.engine.query("select farm_no, day, litres, amount, remark from milk")


def test_the_same_rows_come_from_every_kind_of_file(dairy: Dairy, tmp_path: Path) -> None:
    expected = loaded(dairy, "{file: milk.csv}")
    assert expected[0] == ("00042", dt.date(2026, 10, 1), 1200, Decimal("588.05"), None)
    text = (dairy.folder / "milk.csv").read_text("utf-8")
    head, *lines = text.splitlines(keepends=True)
    dairy.write("milk-1.csv", head + "".join(lines[:2]))
    dairy.write("milk-2.csv", head + "".join(lines[2:]))
    dairy.write("milk.csv.gz", gzip.compress(text.encode("utf-8")))
    dairy.write("milk.tsv.xz", lzma.compress(text.replace(",", "\t").encode("utf-16")))
    objects = [dict(zip(head.strip().split(","), line.strip().split(","), strict=True)) for line in lines]
    dairy.write("milk.jsonl", "".join(_json_line(row) + "\n\n" for row in objects))
    with closing(sqlite3.connect(dairy.folder / "milk.db")) as database:
        database.execute("create table milk (farm_no text, day text, litres integer, amount text, remark text)")
        rows = [
            [row["farm_no"], row["day"], int(row["litres"]), row["amount"], row["remark"] or None] for row in objects
        ]
        database.executemany("insert into milk values (?, ?, ?, ?, ?)", rows)
        database.commit()
    for source in (
        "{file: milk-*.csv}",
        "{file: milk.csv.gz}",
        "{file: milk.tsv.xz}",
        "{file: milk.jsonl}",
        "{file: milk.db, types: {amount: 'decimal(18,2)'}}",
    ):
        assert loaded(dairy, source) == expected, source


def _json_line(row: dict[str, str]) -> str:
    quoted = ", ".join(f'"{name}": "{row[name]}"' for name in ("farm_no", "day"))
    remark = f'"{row["remark"]}"' if row["remark"] else "null"
    return f'{{{quoted}, "litres": {row["litres"]}, "amount": {row["amount"]}, "remark": {remark}}}'


@pytest.mark.parametrize(
    ("source", "says"),
    [
        (
            "{file: milk.csv, types: {litres: date}}",
            "column 'litres' of data set 'milk' does not fit date (row 1: '1200', row 2",
        ),
        ("{file: milk.csv, types: {liters: text}}", "data set 'milk' has no column 'liters'. Did you mean 'litres'?"),
        ("{file: milk.csv, encoding: nothing}", "'nothing' is not an encoding"),
        ("{file: nothing-*.csv}", "no file is called like nothing-*.csv"),
        ("{file: milk.pdf}", "'.pdf' is not a kind of file that can be read"),
        ("{file: broken.csv.gz}", "broken.csv.gz cannot be unpacked"),
        ("{file: broken.xlsx}", "broken.xlsx is not a readable workbook"),
        ("{file: broken.jsonl}", "broken.jsonl, line 2 is not JSON"),
        ("{file: far.xlsx}", "far.xlsx: a sheet has 1,048,576 rows and 16,384 columns"),
        ("{file: long.csv}", "long.csv, line 2: a line is longer than can be read"),
        ("{file: 'm*.csv'}", "does not have the columns of members.csv"),
    ],
)
def test_a_source_that_cannot_be_read_is_told(dairy: Dairy, source: str, says: str) -> None:
    for name in ("milk.pdf", "broken.csv.gz", "broken.xlsx"):
        dairy.write(name, "nothing")
    dairy.write("long.csv", "farm_no,remark\n117," + "x" * 3_000_000 + "\n")
    dairy.write("broken.jsonl", '{"a": 1}\n{"a": \n')
    book = openpyxl.Workbook()
    corner: Any = book.active
    corner["XFD1048576"] = "far away"
    book.save(dairy.folder / "far.xlsx")
    with pytest.raises(DataError) as caught:
        loaded(dairy, source)
    assert says in str(caught.value)


def test_a_type_that_is_fixed_holds(dairy: Dairy) -> None:
    source = "{file: milk.csv, types: {litres: text, amount: 'decimal(9,4)'}}"
    assert loaded(dairy, source)[0][2:4] == ("1200", Decimal("588.0500"))


def test_a_workbook_of_another_kind_is_read_by_sheet_and_header_row(dairy: Dairy) -> None:
    cells: list[list[object]] = [
        ["Collections of Tarnvale"],
        [],
        ["farm_no", "litres", "day"],
        ["00042", 1200.5, "2026-10-01"],
        ["117", 7, ""],
    ]
    dairy.write("milk.ods", ods("Milk", cells))
    with dairy.tools() as tools:
        job = dairy.job(
            ("milk: {file: milk.csv}", "milk: {file: milk.ods, sheet: Milk, header: 3, types: {day: date}}")
        )
        found = load(job, tools.workspace, Values(given={}, as_of=AS_OF))
    with closing(found.engine):
        assert found.engine.query("select * from milk") == [
            ("00042", Decimal("1200.5"), dt.date(2026, 10, 1)),
            ("117", Decimal("7.0"), None),
        ]
