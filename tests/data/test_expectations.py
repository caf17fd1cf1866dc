"""Freshness: what is expected of the data is looked at before anything is made of them."""

from __future__ import annotations

import sys
from contextlib import closing
from decimal import Decimal
from typing import Any

import pytest

from gonnet.data import Engine
from gonnet.errors import DataError
from support import AS_OF, MILK, Dairy


def expecting(text: str) -> tuple[str, str]:
    return ("milk: {file: milk.csv}", f"milk: {{file: milk.csv, expect: {{{text}}}}}")


@pytest.mark.parametrize(
    ("expect", "says"),
    [
        ("rows: 5", None),
        ("rows: 6", "data set 'milk': at least 6 rows are expected, there are 5"),
        ("columns: [farm_no, litres]", None),
        ("columns: [tank]", "column 'tank' is expected and not there"),
        ("unique: [farm_no, day]", None),
        ("unique: farm_no", "farm_no must be unique, and '00042' is there 2 times"),
        ("filled: [farm_no, amount]", None),
        ("filled: remark", "column 'remark' is expected to be filled, it is empty in 3 rows"),
        ("newest: {column: day, within: 40}", None),
        ("newest: {column: day, within: 30}", "the newest day is 2026-10-02, more than 30 days before 2026-11-05"),
        ("newest: {column: remark, within: 3}", "column 'remark' has no date"),
        ("total: {column: amount, is: 5082.46}", None),
        ("total: {column: amount, is: 5082.47}", "amount must add up to 5082.47, it adds up to 5082.46"),
        ("total: {column: remark, is: 1}", "column 'remark' is not numbers, and cannot be added up"),
        ("total: {column: amount, is: \"select 'much'\"}", "the expected total is 'much', which is not a number"),
        (
            "total: {column: litres, is: 'select count(*) + 10365 from members'}",
            "litres must add up to 10369, it adds up to 10370",
        ),
        ("unique: fram_no", "data set 'milk' has no column 'fram_no'. Did you mean 'farm_no'?"),
    ],
)
def test_what_fails_stops_the_run_before_anything_is_made(dairy: Dairy, expect: str, says: str | None) -> None:
    with dairy.tools() as tools:
        if says is None:
            assert str(dairy.prepared(tools, expecting(expect)).state) == "prepared"
            return
        with pytest.raises(DataError) as caught:
            dairy.prepared(tools, expecting(expect))
        assert says in str(caught.value)
        assert tools.ledger.all_runs() == ()


def test_or_it_holds_what_would_be_ready(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        run = dairy.prepared(tools, expecting("rows: 6, otherwise: hold"))
        found = {key: (str(p.state), p.reason) for key, p in dairy.by_key(tools, run).items()}
    lacking = "data set 'milk': at least 6 rows are expected, there are 5"
    assert found["00042"] == ("held", lacking)
    assert found["118"] == ("held", "more than the tank holds")
    assert found["119"] == ("skipped", "no milk")
    assert ("attention", lacking) in run.findings
    assert dict(run.account)["delivered"] == 0


def test_an_extract_that_is_far_smaller_than_the_last_is_told(dairy: Dairy) -> None:
    head, *lines = (dairy.folder / "milk.csv").read_text("utf-8").splitlines()
    many = [f"00042,2026-10-{day:02d},10,1.00," for day in range(1, 31)]
    with dairy.tools() as tools:
        dairy.write("milk.csv", "\n".join([head, *lines, *many]))
        dairy.sent(tools, AS_OF)
        dairy.write("milk.csv", "\n".join([head, *lines, *many[:14]]))
        assert not [text for _, text in dairy.prepared(tools).findings if "had 35" in text]
        dairy.write("milk.csv", "\n".join([head, *lines]))
        found = dairy.prepared(tools).findings
        assert ("attention", "data set 'milk' has 5 rows, and had 35 in run 1; see whether all of it came") in found
        dairy.write("milk.csv", head + "\n")
        found = dairy.prepared(tools).findings
        assert ("attention", "data set 'milk' has no rows, and had 35 in run 1; see whether all of it came") in found
        dairy.write("members.csv", "farm_no,farm_name,email,adviser\n")
        assert ("note", "data set 'members' has no rows") in dairy.prepared(tools).findings


def test_a_sum_over_text_that_may_be_numbers_says_what_to_write(dairy: Dairy) -> None:
    dairy.write("milk.csv", "farm_no;day;litres;amount;remark\n" + "117;2026-10-01;1.200;2.500;\n" * 3)
    said = dairy.gonnet("check", "statements", code=2).stderr
    assert "'1.200'" not in said
    assert 'write `numbers: "1,234.56"` or `numbers: "1.234,56"`' in said
    dairy.job(("{file: milk.csv}", '{file: milk.csv, numbers: "1.234,56"}'))
    assert "3,600" in dairy.gonnet("rows", "statements", "milk").stdout


def commanded(dairy: Dairy, *words: str) -> tuple[str, str]:
    shown = ", ".join(f'"{word}"' for word in words)
    settings = (dairy.folder / "gonnet.yaml").read_text("utf-8")
    dairy.write("gonnet.yaml", f"{settings}programs: {{own: {{run: [{shown}], seconds: 2}}}}\n")
    return ("data:\n", "steps: [{program: own, at: start, stops: true}]\ndata:\n")


def test_a_program_before_refreshes_the_data_and_its_output_is_kept(dairy: Dairy) -> None:
    script = dairy.write(
        "refresh.py", f"open('milk.csv', 'w').write({MILK + '117,2026-10-09,10,4.90,'!r}); print('refreshed; $HOME')"
    )
    change = commanded(dairy, sys.executable, script.name)
    with dairy.tools() as tools:
        run = dairy.prepared(tools, change)
        history = [what for _, what in tools.ledger.history(run.id)]
    assert dict(run.account)["read"] == 6
    assert any("refreshed; $HOME" in what and "ended with 0" in what for what in history)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("-c", "import sys; sys.exit('no extract')"), "ended with 1: no extract"),
        (("-c", "import time; time.sleep(9)"), "was stopped at its time limit"),
    ],
)
def test_a_program_before_that_fails_stops_the_run(dairy: Dairy, words: tuple[str, ...], says: str) -> None:
    change = commanded(dairy, sys.executable, *words)
    with dairy.tools() as tools, pytest.raises(DataError, match=says):
        dairy.prepared(tools, change)


def test_a_program_that_is_not_there_is_told(dairy: Dairy) -> None:
    change = commanded(dairy, "nothing-here")
    with dairy.tools() as tools, pytest.raises(DataError, match="the program 'nothing-here' cannot be run"):
        dairy.prepared(tools, change)


@pytest.mark.parametrize(
    ("sql", "value"),
    [
        ("age_in_days(date '2026-10-01', date '2026-10-31')", 30),
        ("age_in_days('2028-02-28', '2028-03-01')", 2),
        ("anniversary_in('2000-02-29', '2026-02-01', '2026-02-28')::varchar", "2026-02-28"),
        ("anniversary_in('2000-02-29', '2028-02-01', '2028-03-01')::varchar", "2028-02-29"),
        ("anniversary_in('1990-01-03', '2026-12-15', '2027-01-15')::varchar", "2027-01-03"),
        ("anniversary_in('1990-05-03', '2026-12-15', '2027-01-15')", None),
        ("anniversary_in('2026-12-20', '2026-12-15', '2027-01-15')", None),
        ("band_of(30, [30, 60])", 0),
        ("band_of(30.01, [30, 60])", 1),
        ("band_of(95, [30, 60])", 2),
        ("band_of(null, [30])", None),
        ("band_name(45, [30, 60])", "30 to 60"),
        ("band_name(5, [30, 60])", "up to 30"),
        ("band_name(61, [30, 60])", "over 60"),
        ("safe_div(1, 0)", None),
        ("safe_div(3, 2)", 1.5),
    ],
)
def test_macros_say_what_sql_says_badly(sql: str, value: Any) -> None:  # noqa: ANN401
    with closing(Engine()) as engine:
        assert engine.query(f"select {sql}") == [(value,)]


def test_rows_shows_columns_and_one_recipients_rows_and_saves_them(dairy: Dairy) -> None:
    found = dairy.json("rows", "statements")
    assert (found["dataset"], found["rows"]) == ("milk", 5)
    amount = next(column for column in found["columns"] if column["name"] == "amount")
    assert (amount["empty"], amount["distinct"], amount["min"], Decimal(amount["total"])) == (
        0,
        5,
        "388.11",
        Decimal("5082.46"),
    )
    assert found["first"][0]["farm_no"] == "00042"
    assert (
        "milk: 2 rows of key 117"
        in dairy.gonnet("rows", "statements", "milk", "--key", "117", "--to", "out/mine.csv").stdout
    )
    assert (dairy.folder / "out" / "mine.csv").read_text() == (
        "farm_no,day,litres,amount,remark\n117,2026-10-01,800,392.40,=1+1\n117,2026-10-02,790,388.11,\n"
    )
    assert dairy.json("rows", "statements", "members", "--key", "118")["rows"] == 1
    assert "Did you mean 'milk'?" in dairy.gonnet("rows", "statements", "mlik", code=2).stderr
    assert "Known: .csv, .xlsx" in dairy.gonnet("rows", "statements", "--to", "x.pdf", code=2).stderr
