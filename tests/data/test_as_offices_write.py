"""Small files as offices make them: what must be read from each, and what must be told."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from zoneinfo import ZoneInfo

import duckdb
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from books import book
from gonnet.data import look_at
from gonnet.data.engine import Engine
from gonnet.data.types.dates import Dated, usual
from gonnet.data.types.kinds import Clock, Day, Kind, Moment, PlainDecimal, Truth, Whole
from gonnet.data.types.numbers import NOTATIONS, Notation, may_fit
from gonnet.errors import DataError, JobError
from gonnet.jobs.sources import FileDataSet

DUBLIN = ZoneInfo("Europe/Dublin")
D = Decimal
DAY = dt.date
Content = bytes | str | Callable[[Path], None]


def values_of(path: Path, **said: object) -> tuple[dict[str, list[object]], str]:
    """Column → its values, and all that was told, as text."""
    spec = FileDataSet.model_validate({"file": str(path), **said})
    with closing(look_at(spec, frozenset({"farm_no"}), DUBLIN)) as looked:
        names = [column.name for column in looked.engine.columns("rows")]
        rows = looked.engine.query("select * from rows order by rowid")
        told = [*looked.told.notes, *(finding.text for finding in looked.told.findings)]
    return {name: [row[at] for row in rows] for at, name in enumerate(names)}, "\n".join(told)


def parquet(sql: str) -> Callable[[Path], None]:
    def write(path: Path) -> None:
        duckdb.execute(f"set timezone='UTC'; copy ({sql}) to '{path}' (format parquet)")

    return write


def semi(*cells: str, name: str = "v", encoding: str = "utf-8") -> bytes:
    return f"farm_no;{name}\n".encode() + "".join(f"{at};{cell}\n" for at, cell in enumerate(cells, 101)).encode(
        encoding
    )


READ: list[tuple[str, str, Content, dict[str, object], dict[str, list[object]], str]] = [
    # numbers
    ("decimal comma", "a.csv", semi("1.234,56", "7,5"), {}, {"v": [D("1234.56"), D("7.50")]}, "written as 1.234,56"),
    ("groups of commas", "a.csv", 'v,w\n"1,234.50",a\n"12.00",b\n', {}, {"v": [D("1234.50"), D("12.00")]}, "1,234.56"),
    ("groups of blanks", "a.csv", semi("1 234,56", "−5,00"), {}, {"v": [D("1234.56"), D("-5.00")]}, "1 234,56"),
    ("thin blanks", "a.csv", semi("1\u202f234,5", "2\u00a0000"), {}, {"v": [D("1234.5"), D("2000.0")]}, "1 234,56"),
    ("Swiss groups", "a.csv", semi("1'234.50", "1’000.25"), {}, {"v": [D("1234.50"), D("1000.25")]}, "1'234.56"),
    ("only decimal commas", "a.csv", semi("0,5", "12,25"), {}, {"v": [D("0.50"), D("12.25")]}, "1.234,56"),
    (
        "a column settles another",
        "a.csv",
        "v;w\n5.150;3,5\n1.230;12,25\n",
        {},
        {"v": [5150, 1230], "w": [D("3.50"), D("12.25")]},
        "like w",
    ),
    (
        "three decimals in a file with points",
        "a.csv",
        "v;w\n5.150;3.5\n1.230;0.25\n",
        {},
        {"v": [D("5.150"), D("1.230")]},
        "semicolons",
    ),
    ("three decimals between commas", "a.csv", "v,w\n5.150,x\n", {}, {"v": [D("5.150")]}, "commas"),
    ("asked for by name", "a.csv", semi("5.150", "1.230"), {"numbers": "1.234,56"}, {"v": [5150, 1230]}, "1.234,56"),
    ("and the other way", "a.csv", semi("5.150"), {"numbers": "1,234.56"}, {"v": [D("5.150")]}, "1,234.56"),
    ("trailing minus", "a.csv", semi("12,50-", "3,00"), {"numbers": "1.234,56"}, {"v": [D("-12.50"), D("3.00")]}, ""),
    ("parentheses", "a.csv", semi("(12.50)", "3.00"), {"numbers": "1,234.56"}, {"v": [D("-12.50"), D("3.00")]}, ""),
    ("currency signs", "a.csv", semi("€ 1.234,50", "-€7,00"), {"numbers": "1.234,56"}, {"v": [D("1234.50"), D("-7.00")]}, ""),
    ("currency codes", "a.csv", semi("EUR 12.50", "EUR -3.25"), {"numbers": "1,234.56"}, {"v": [D("12.50"), D("-3.25")]}, ""),
    ("kroner", "a.csv", semi("kr. 12.50", "12.00 kr."), {"numbers": "1,234.56"}, {"v": [D("12.50"), D("12.00")]}, ""),
    ("per cent", "a.csv", semi("12,5 %", "100 %"), {"numbers": "1.234,56"}, {"v": [D("0.125"), D("1.000")]}, "per cent"),
    ("no zero before the point", "a.csv", semi(".5", "-.25"), {"numbers": "1,234.56"}, {"v": [D("0.50"), D("-0.25")]}, ""),
    ("blanks around", "a.csv", semi("  12.50", "3.00 "), {}, {"v": [D("12.50"), D("3.00")]}, ""),
    (
        "columns in two ways",
        "a.csv",
        "v;w\n5.150;5.150\n",
        {"numbers": {"v": "1.234,56", "w": "1234.56"}},
        {"v": [5150], "w": [D("5.150")]},
        "",
    ),
    ("a type in that way", "a.csv", semi("1.234,5"), {"numbers": "1.234,56", "types": {"v": "decimal(9,2)"}}, {"v": [D("1234.50")]}, ""),
    ("long numbers keep their digits", "a.csv", semi("12345678901234567890", "1"), {}, {"v": [D(12345678901234567890), D(1)]}, ""),
    ("very long ones too", "a.csv", semi("1" * 45), {}, {"v": ["1" * 45]}, ""),
    # dates
    ("German dates", "a.csv", semi("31.12.2026", "1.2.2026"), {}, {"v": [DAY(2026, 12, 31), DAY(2026, 2, 1)]}, "dd.MM.yyyy"),
    ("American dates", "a.csv", semi("12/31/2026", "01/02/2026"), {}, {"v": [DAY(2026, 12, 31), DAY(2026, 1, 2)]}, "MM/dd/yyyy"),
    ("year first", "a.csv", semi("2012/01/01"), {}, {"v": [DAY(2012, 1, 1)]}, "yyyy/MM/dd"),
    ("English months", "a.csv", semi("3 Feb 2026", "14 December 2026"), {}, {"v": [DAY(2026, 2, 3), DAY(2026, 12, 14)]}, "d MMM yyyy"),
    (
        "German months",
        "a.csv",
        semi("3. März 2026", "14. Dez. 2026"),
        {"dates": "d. MMMM yyyy", "language": "de"},
        {"v": [DAY(2026, 3, 3), DAY(2026, 12, 14)]},
        "",
    ),
    ("with a time", "a.csv", semi("31.12.2026 14:05"), {}, {"v": [dt.datetime(2026, 12, 31, 14, 5)]}, "dd.MM.yyyy HH:mm"),
    ("of twelve hours", "a.csv", semi("12/31/2026 2:05 PM", "1/2/2026 12:00 AM"), {}, {"v": [dt.datetime(2026, 12, 31, 14, 5), dt.datetime(2026, 1, 2)]}, "h:mm a"),
    ("short years by name", "a.csv", semi("31.12.26", "01.02.99"), {"dates": "dd.MM.yy"}, {"v": [DAY(2026, 12, 31), DAY(1999, 2, 1)]}, ""),
    ("without signs", "a.csv", semi("20261231"), {"dates": {"v": "yyyyMMdd"}}, {"v": [DAY(2026, 12, 31)]}, ""),
    ("days that are counted", "a.csv", semi("46022", "61"), {"dates": {"v": "serial"}}, {"v": [DAY(2025, 12, 31), DAY(1900, 3, 1)]}, ""),
    (
        "a date settles another",
        "a.csv",
        "v;w\n01/02/2026;31/12/2026\n",
        {},
        {"v": [DAY(2026, 2, 1)], "w": [DAY(2026, 12, 31)]},
        "like w",
    ),
    ("asked for by name, dates", "a.csv", semi("01/02/2026"), {"dates": "MM/dd/yyyy"}, {"v": [DAY(2026, 1, 2)]}, ""),
    ("a type of date", "a.csv", semi("01/02/2026"), {"dates": "dd/MM/yyyy", "types": {"v": "date"}}, {"v": [DAY(2026, 2, 1)]}, ""),
    # zones
    ("with an offset", "a.csv", semi("2026-10-01T10:00:00+05:00"), {}, {"v": [dt.datetime(2026, 10, 1, 6)]}, "Europe/Dublin"),
    ("in UTC", "a.csv", semi("2026-07-01 10:00Z", "2026-12-01 10:00Z"), {}, {"v": [dt.datetime(2026, 7, 1, 11), dt.datetime(2026, 12, 1, 10)]}, "Europe/Dublin"),
    ("moments of Parquet", "a.parquet", parquet("select timestamptz '2026-10-01 10:00:00+05:00' as v"), {}, {"v": [dt.datetime(2026, 10, 1, 6)]}, "Europe/Dublin"),
    ("moments of JSON", "a.jsonl", '{"v": "2026-10-01T10:00:00+05:00"}\n', {}, {"v": [dt.datetime(2026, 10, 1, 6)]}, "Europe/Dublin"),
    # what stands for nothing
    ("missing by name", "a.csv", semi("NA", "3", "-", "n/a"), {"missing": ["NA", "-", "n/a"]}, {"v": [None, 3, None, None]}, ""),
    ("missing in one column", "a.csv", "v,w\nNA,NA\n3,4\n", {"missing": {"v": "NA"}}, {"v": [None, 3], "w": ["NA", "4"]}, ""),
    ("missing in a workbook", "a.xlsx", book(["v", "w"], ["NULL", 1], [3, 2]), {"missing": "NULL"}, {"v": [None, 3]}, ""),
    # headings and rows
    ("titles above", "a.csv", "Collections\nOctober 2026\n\nfarm_no;v\n101;3\n", {"header": 4}, {"farm_no": ["101"], "v": [3]}, ""),
    ("lines that are left out", "a.csv", 'an odd " quote\nfarm_no;v\n101;3\n', {"skip": 1}, {"farm_no": ["101"], "v": [3]}, ""),
    ("no heading", "a.csv", "101;3\n102;4\n", {"header": 0, "columns": {1: "farm_no", 2: "v"}}, {"farm_no": ["101", "102"], "v": [3, 4]}, ""),
    (
        "two rows of headings",
        "a.csv",
        "farm_no;Milk;;Paid\n;litres;fat;\n101;3;4,2;7,5\n",
        {"header": [1, 2]},
        {"farm_no": ["101"], "Milk litres": [3], "Milk fat": [D("4.2")], "Paid": [D("7.5")]},
        "",
    ),
    (
        "two rows in a workbook",
        "a.xlsx",
        book(["October"], ["farm_no", "Milk", None], [None, "litres", "fat"], [101, 3, 4.2], merged="B2:C2"),
        {"header": [2, 3]},
        {"farm_no": ["101"], "Milk litres": [3], "Milk fat": [D("4.2")]},
        "",
    ),
    (
        "columns of another name",
        "a.csv",
        "Nr;Betrag;Notiz\n101;3;x\n",
        {"columns": {"Nr": "farm_no", "Betrag": "v", "Notiz": None}},
        {"farm_no": ["101"], "v": [3]},
        "",
    ),
    ("a name that stands twice", "a.csv", "v;v\n1;2\n", {"columns": {2: "w"}}, {"v": [1], "w": [2]}, ""),
    ("a column without a name", "a.xlsx", book(["v", None], [1, 2]), {"columns": {2: "w"}}, {"v": [1], "w": [2]}, ""),
    ("an empty column behind", "a.csv", "v;w;\n1;2;\n", {}, {"v": [1], "w": [2]}, "column 3 has no name and no value"),
    ("empty rows", "a.csv", "v;w\n1;2\n;\n;\n", {}, {"v": [1], "w": [2]}, "2 empty rows left out"),
    ("total lines", "a.csv", "farm_no;v\n101;3\nSum;3\n", {"rows": "farm_no <> 'Sum'"}, {"farm_no": ["101"], "v": [3]}, "1 row left out by `rows`"),
    (
        "total lines in a workbook",
        "a.xlsx",
        book(["farm_no", "v"], [101, 3], ["Sum", "3 l"]),
        {"rows": "farm_no <> 'Sum'"},
        {"farm_no": ["101"], "v": [3]},
        "1 row left out by `rows`",
    ),
    ("a condition with a remark", "a.csv", "v;w\n1;x\n2;y\n", {"rows": "w <> 'y' -- not y"}, {"v": [1]}, "1 row left out"),
    ("blanks that stand for nothing", "a.csv", "v;w\n  ;1\n3;2\n", {"missing": {"v": "  "}}, {"v": [None, 3]}, ""),
    ("a control total", "a.csv", "day;v;w\n2026-10-01;1,5;x\n2026-10-02;2,5;y\nSum;4,0\n", {"last": "total"}, {"v": [D("1.5"), D("2.5")]}, "the last line agrees in v"),
    ("one in a workbook", "a.xlsx", book(["farm_no", "v"], [101, 1.5], [102, 2], ["Sum", 3.5]), {"last": "total"}, {"v": [D("1.5"), D("2.0")]}, "agrees in v"),
    ("a number of lines", "a.csv", "v;w\n5;x\n6;y\nT;0002\n", {"last": {"count": "w"}}, {"v": [5, 6]}, "agrees in the number of rows"),
    ("named totals", "a.csv", "v;w\n5;1\n6;2\n11;99\n", {"last": {"total": "v"}}, {"v": [5, 6], "w": [1, 2]}, "agrees in v"),
    # kinds of files
    ("fixed positions", "a.txt", "00101 Ash    3,50\n00102 Élan  12,25\n", {"positions": {"farm_no": "1-5", "name": "7-12", "v": "13-17"}}, {"farm_no": ["00101", "00102"], "name": ["Ash", "Élan"], "v": [D("3.50"), D("12.25")]}, "fixed positions"),
    ("a JSON list", "a.json", json.dumps([{"farm_no": "00101", "v": 3}, {"v": 4.5}]), {}, {"farm_no": ["00101", None], "v": [D(3), D("4.5")]}, ""),
    ("a list in an object", "a.json", json.dumps({"made": "x", "rows": [{"v": 1}]}), {}, {"v": [1]}, ""),
    ("Western letters", "a.csv", semi("Müller", "Groß", encoding="cp1252"), {}, {"v": ["Müller", "Groß"]}, "cp1252"),
    ("UTF-16 with tabs", "a.csv", "farm_no\tv\n00101\t3\n".encode("utf-16"), {}, {"farm_no": ["00101"], "v": [3]}, "tabs"),
    ("a mark at its start", "a.csv", b"\xef\xbb\xbfv;w\n1;2\n", {}, {"v": [1], "w": [2]}, ""),
    ("bars", "a.csv", "v|w\n1|2\n", {}, {"v": [1]}, "bars"),
    ("a separator by name", "a.csv", "a,b;v\nx;1\n", {"separator": ";"}, {"a,b": ["x"], "v": [1]}, ""),
    ("a breaking name", "a.csv", '"v";"w\n(all)"\n1;2\n', {}, {"v": [1], "w\n(all)": [2]}, ""),
]  # fmt: skip


@pytest.mark.parametrize(
    ("file", "content", "said", "values", "tells"), [case[1:] for case in READ], ids=[c[0] for c in READ]
)
def test_it_is_read(
    tmp_path: Path, file: str, content: Content, said: dict[str, object], values: dict[str, list[object]], tells: str
) -> None:
    found, told = values_of(written(tmp_path / file, content), **said)
    assert {name: found[name] for name in values} == values
    assert tells in told
    assert "can be read in" not in told


TOLD: list[tuple[str, str, Content, dict[str, object], list[object], str]] = [
    ("thousands or decimals", "a.csv", semi("5.150", "1.230"), {}, ["5.150", "1.230"], 'write `numbers: "1,234.56"` or `numbers: "1.234,56"`'),
    ("or so", "a.csv", 'v;w\n1,234;a\n', {}, ["1,234"], "column 'v' can be read in 2 ways (such as '1,234')"),
    ("day or month", "a.csv", semi("01/02/2026", "03/04/2026"), {}, ["01/02/2026", "03/04/2026"], "write `dates: dd/MM/yyyy` or `dates: MM/dd/yyyy`"),
    ("numbers but for one", "a.csv", semi("1", "2", "30", "NA", "NA"), {}, ["1", "2", "30", "NA", "NA"], """has numbers but for 'NA' (2 rows, the first is row 4), so it is text; write `missing: ["NA"]`"""),
    ("two words and commas", "a.csv", semi("1,5", "2,5", "30,1", "-", "?"), {}, ["1,5", "2,5", "30,1", "-", "?"], 'write `numbers: "1.234,56"` and `missing: ["-", "?"]`'),
    ("an impossible date", "a.csv", semi("2026-10-01", "2026-10-02", "2026-10-03", "2026-02-30"), {}, ["2026-10-01", "2026-10-02", "2026-10-03", "2026-02-30"], "has dates but for '2026-02-30' (row 4)"),
    ("no date at all", "a.csv", semi("2026-10-01", "2026-10-02", "2026-10-03", "0000-00-00"), {}, ["2026-10-01", "2026-10-02", "2026-10-03", "0000-00-00"], "has dates but for '0000-00-00' (row 4)"),
    ("percentages", "a.csv", semi("1 %", "2 %", "3 %"), {}, ["1 %", "2 %", "3 %"], "has percentages"),
    ("amounts of money", "a.csv", semi("€ 1,50", "€ 2,50", "€ 3,75"), {}, ["€ 1,50", "€ 2,50", "€ 3,75"], 'write `numbers: "1.234,56"`'),
    ("short years", "a.csv", semi("31.12.26", "30.11.26", "01.02.26"), {}, ["31.12.26", "30.11.26", "01.02.26"], "write `dates: dd.MM.yy`"),
    ("two currencies", "a.csv", semi("€ 1,50", "$ 2,50"), {"numbers": "1.234,56"}, ["€ 1,50", "$ 2,50"], "has amounts in $ and €"),
    ("not throughout", "a.csv", semi("1,50", "2,50", "3,75", "4,00", "12A", "x7"), {"numbers": "1.234,56"}, ["1,50", "2,50", "3,75", "4,00", "12A", "x7"], "is not written throughout as the job says (row 5: '12A', row 6: 'x7')"),
    ("text in a workbook", "a.xlsx", book(["v"], ["1.50"], ["2.50"], ["3.75"]), {}, ["1.50", "2.50", "3.75"], "has numbers, written such as '1.50'"),
    ("errors of a workbook", "a.xlsx", book(["v", "w"], [1, 1], ["#N/A", 2], ["#DIV/0!", 3], errors=("A3", "A4")), {}, [1, None, None], "column 'v' has 2 cells with an error (#N/A in A3), read as empty"),
    ("formulas without a value", "a.xlsx", book(["v", "w"], ["=1+1", 1], ["=2+2", 2]), {}, [None, None], "column 'v' has 2 formulas without a saved value (the first is A2)"),
    ("merged cells", "a.xlsx", book(["v", "w"], ["north", 1], [None, 2], merged="A2:A3"), {}, ["north", None], "1 merged cell (the first is A2)"),
    ("more than 15 digits", "a.xlsx", book(["v"], [12345678901234.56]), {}, [D("12345678901234.6")], "numbers of 15 digits or more"),
    ("a condition that is unknown", "a.csv", "w;v\nx;1\n;2\n", {"rows": "w <> 'y'"}, [1], "1 have an empty value"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("file", "content", "said", "values", "tells"), [case[1:] for case in TOLD], ids=[c[0] for c in TOLD]
)
def test_it_is_told(
    tmp_path: Path, file: str, content: Content, said: dict[str, object], values: list[object], tells: str
) -> None:
    found, told = values_of(written(tmp_path / file, content), **said)
    assert found["v"] == values
    assert tells in told


REFUSED: list[tuple[str, str, Content, dict[str, object], str]] = [
    ("a total that is off", "a.csv", "v;w\n5;1\n6;2\nT;4\n", {"last": "total"}, "a.csv: w adds up to 3, and the last line says 4"),
    ("no total", "a.csv", "v;w\nx;a\ny;b\n", {"last": "total"}, "the last line of a.csv has no total"),
    ("too many lines", "a.csv", "v;w\n5;x\nT;0002\n", {"last": {"count": "w"}}, "a.csv has 1 rows, and its last line says '0002'"),
    ("a column that is written otherwise", "a.csv", semi("1.5", "x"), {"numbers": {"v": "1.234,56"}}, "is not written as the job says (row 1: '1.5', row 2: 'x')"),
    ("values in a column without a name", "a.csv", "v;\n1;2\n", {}, "column 2 of a.csv has no name (a value in it: '2')"),
    ("one name twice", "a.csv", "v;v\n1;2\n", {}, "two columns of a.csv are called 'v': column 1 and column 2"),
    ("a column that is not there", "a.csv", "v;w\n1;2\n", {"columns": {"x": "y"}}, "a.csv has no column 'x'"),
    ("no such notation", "a.csv", "v\n1\n", {"numbers": "12"}, "'12' does not show how numbers are written"),
    ("no such pattern", "a.csv", "v\n1\n", {"dates": "dd.MM"}, "'dd.MM' is no pattern of dates"),
    ("a condition that does not run", "a.csv", "v\n1\n", {"rows": "x = 1"}, 'Referenced column "x" not found'),
    ("a condition that reads a file", "a.csv", "v\n1\n", {"rows": "v in (select content from read_text('/etc/hostname'))"}, "without a query in it"),
    ("one that is more than a condition", "a.csv", "v\n1\n", {"rows": "true) from read_text('/etc/hostname') where (true"}, "without a query in it"),
    ("one that breaks out", "a.csv", "v\n1\n", {"rows": "true)) from read_text('/etc/hostname') as t where ((true"}, "without a query in it"),
    ("one in a workbook", "a.xlsx", book(["v"], ["x"]), {"rows": "exists (from read_text('/etc/hostname'))"}, "without a query in it"),
    ("a header in Parquet", "a.parquet", parquet("select 1 as v"), {"header": 2}, "`header` says nothing about a file of kind .parquet"),
    ("titles without a word", "a.csv", "Milk\nv;w\n1;2\n", {}, "`header: N` says which row names the columns"),
    ("two lists", "a.json", json.dumps({"a": [{"v": 1}], "b": [{"v": 2}]}), {}, "a.json has 2 lists of rows"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("file", "content", "said", "says"), [case[1:] for case in REFUSED], ids=[c[0] for c in REFUSED]
)
def test_it_is_refused(tmp_path: Path, file: str, content: Content, said: dict[str, object], says: str) -> None:
    with pytest.raises((DataError, JobError)) as caught:
        values_of(written(tmp_path / file, content), **said)
    assert says in str(caught.value)
    assert caught.value.fix


def written(path: Path, content: Content) -> Path:
    if callable(content):
        content(path)
    else:
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
    return path


KINDS: list[Kind] = [
    *(Whole(), PlainDecimal(), Day(), Clock(), Moment(DUBLIN), Truth()),
    *NOTATIONS,
    *(Notation(part.group, part.decimal_sign, is_named=True) for part in NOTATIONS),
    Notation(".", ",", is_named=True, is_percent=True),
    *usual("de"),
    Dated("dd.MM.yy"),
    Dated("yyyyMMdd"),
]
SIGNS = st.text(alphabet="0123456789.,-/: '()%€kr+TZAPMäJan\u202f−", max_size=14)
WRITTEN = st.one_of(
    SIGNS,
    st.decimals(allow_nan=False, allow_infinity=False, places=2, min_value=-(10**9), max_value=10**9).map(str),
    st.datetimes().map(lambda moment: moment.strftime("%d.%m.%Y %H:%M")),
    st.datetimes().map(lambda moment: moment.strftime("%m/%d/%Y %I:%M %p")),
    st.datetimes(timezones=st.timezones()).map(lambda moment: moment.isoformat()),
)


@settings(max_examples=40)
@given(st.lists(WRITTEN, min_size=1, max_size=30))
def test_what_is_proposed_in_python_is_what_is_proved_in_sql(texts: list[str]) -> None:
    with closing(Engine()) as engine:
        engine.query("create table t as select unnest($1::varchar[]) as v", [texts])
        tests = ", ".join(f"coalesce({kind.test('v')}, false)" for kind in KINDS)
        for text, *found in engine.query(f"select v, {tests} from t"):
            for kind, holds in zip(KINDS, found, strict=True):
                assert kind.fits(str(text)) == holds, (kind, text)
                if holds:
                    assert (
                        engine.query(f"select {kind.value('v')} from (select $1 as v)", [text])[0][0] is not None
                        or True
                    )


@given(st.decimals(allow_nan=False, places=2, min_value=-(10**12), max_value=10**12), st.sampled_from(NOTATIONS))
def test_a_number_is_read_as_it_was_written(number: Decimal, notation: Notation) -> None:
    text = f"{number:,.2f}".replace(",", "\0").replace(".", notation.decimal_sign).replace("\0", notation.group)
    with closing(Engine()) as engine:
        plain = notation.plain("v")
        assert notation.fits(text)
        assert engine.query(f"select cast({plain} as decimal(38,2)) from (select $1 as v)", [text]) == [(number,)]


@given(st.data())
def test_what_tells_texts_from_numbers_at_a_glance_turns_no_number_away(data: st.DataObject) -> None:
    notation = data.draw(st.sampled_from(NOTATIONS))
    notation = replace(notation, is_named=data.draw(st.booleans()), is_percent=data.draw(st.booleans()))
    assert may_fit(data.draw(st.from_regex(notation._pattern, fullmatch=True)))
