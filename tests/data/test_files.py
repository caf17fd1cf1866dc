"""Files become tables whose keys stay text and whose amounts stay exact."""

from __future__ import annotations

import datetime as dt
from contextlib import closing
from decimal import Decimal
from pathlib import Path

import duckdb
import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from gonnet.data import look_at
from gonnet.data.files import plain_text
from gonnet.errors import DataError


def column(path: Path, name: str = "v", text: frozenset[str] = frozenset()) -> tuple[str, list[object]]:
    with closing(look_at(path, text)) as engine:
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
        ("k,v\n1,Łódź\n".encode("cp1250"), "is not UTF-8 text"),
        (b"k,k\n1,2\n", "column 'k' stands twice"),
        (b"k,,v\n1,2,3\n", "column 2 of a.csv has no name"),
        (b"k,v\r\n1,2\n3,4\r\n", "the lines of a.csv end in different ways"),
    ],
)
def test_a_csv_that_cannot_be_trusted_is_refused_with_its_line(tmp_path: Path, raw: bytes, says: str) -> None:
    path = tmp_path / "a.csv"
    path.write_bytes(raw)
    with pytest.raises(DataError) as caught:
        look_at(path)
    assert says in str(caught.value)
    assert caught.value.fix


def test_a_missing_file_is_refused_with_the_nearest_one(tmp_path: Path) -> None:
    (tmp_path / "collections.csv").write_text("a\n1\n")
    with pytest.raises(DataError, match=r"Did you mean 'collections\.csv'"):
        look_at(tmp_path / "colections.csv")


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
    assert column(path, "amount") == ("DECIMAL(38,2)", [Decimal("588.05"), Decimal("0.10")])
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
    with closing(look_at(path)) as engine, pytest.raises(DataError, match="Cannot access file"):
        engine.query(f"select * from read_csv('{path}')")
