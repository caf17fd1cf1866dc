"""Parameters have the value that was asked for, or a sentence that says why not."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.data import Periods, resolve
from gonnet.data.periods import Span
from gonnet.errors import ParameterError
from gonnet.given import Repeated
from gonnet.jobs.sources import SPANS, Parameter
from gonnet.pipeline.survey import Request, survey
from support import Dairy

AS_OF = dt.date(2027, 1, 15)


@pytest.mark.parametrize(
    ("text", "span", "id_", "start", "end"),
    [
        ("2026-02", "month", "2026-02", "2026-02-01", "2026-02-28"),
        ("2028-02", "day", "2028-02", "2028-02-01", "2028-02-29"),
        ("current", "month", "2027-01", "2027-01-01", "2027-01-31"),
        ("previous", "month", "2026-12", "2026-12-01", "2026-12-31"),
        ("next", "month", "2027-02", "2027-02-01", "2027-02-28"),
        ("previous", "day", "2027-01-14", "2027-01-14", "2027-01-14"),
        ("current", "week", "2027-W02", "2027-01-11", "2027-01-17"),
        ("2026-W53", "week", "2026-W53", "2026-12-28", "2027-01-03"),
        ("previous", "quarter", "2026-Q4", "2026-10-01", "2026-12-31"),
        ("2026-Q3", "month", "2026-Q3", "2026-07-01", "2026-09-30"),
        ("current", "half-year", "2027-H1", "2027-01-01", "2027-06-30"),
        ("2026-H2", "half-year", "2026-H2", "2026-07-01", "2026-12-31"),
        ("previous", "year", "2026", "2026-01-01", "2026-12-31"),
        ("last 30 days", "month", "2026-12-16/2027-01-14", "2026-12-16", "2027-01-14"),
        ("2026-10-01/2026-10-15", "month", "2026-10-01/2026-10-15", "2026-10-01", "2026-10-15"),
        ("2026-10-01 to 2026-10-15", "month", "2026-10-01/2026-10-15", "2026-10-01", "2026-10-15"),
    ],
)
def test_a_period_has_both_its_ends(text: str, span: Span, id_: str, start: str, end: str) -> None:
    found = Periods().period(text, span, AS_OF)
    assert (found.id, str(found.start), str(found.end)) == (id_, start, end)


@pytest.mark.parametrize(
    ("text", "span", "begins", "id_", "label", "start", "end"),
    [
        ("2026", "year", 4, "2026", "2025/26", "2025-04-01", "2026-03-31"),
        ("current", "year", 4, "2027", "2026/27", "2026-04-01", "2027-03-31"),
        ("current", "quarter", 4, "2027-Q4", "Q4 2027", "2027-01-01", "2027-03-31"),
        ("previous", "quarter", 11, "2026-Q4", "Q4 2026", "2026-08-01", "2026-10-31"),
        ("2027-Q1", "quarter", 11, "2027-Q1", "Q1 2027", "2026-11-01", "2027-01-31"),
        ("2026-H1", "half-year", 10, "2026-H1", "H1 2026", "2025-10-01", "2026-03-31"),
    ],
)
def test_a_year_may_begin_in_another_month(
    text: str, span: Span, begins: int, id_: str, label: str, start: str, end: str
) -> None:
    found = Periods(year_begins=begins).period(text, span, AS_OF)
    assert (found.id, found.label, str(found.start), str(found.end)) == (id_, label, start, end)


@given(st.dates(dt.date(1990, 1, 1), dt.date(2090, 1, 1)), st.sampled_from(SPANS), st.integers(1, 12))
def test_periods_follow_each_other_without_a_gap_and_are_read_as_they_are_written(
    day: dt.date, span: Span, begins: int
) -> None:
    periods = Periods(year_begins=begins)
    before, now, after = (periods.period(text, span, day) for text in ("previous", "current", "next"))
    assert now.start <= day <= now.end
    assert before.end + dt.timedelta(days=1) == now.start
    assert now.end + dt.timedelta(days=1) == after.start
    assert periods.period(now.id, span, AS_OF) == now


def test_a_month_is_called_as_the_house_calls_it() -> None:
    assert Periods(locale="de_AT").period("2026-10", "month", AS_OF).label == "Oktober 2026"


def test_what_is_asked_for_stands_above_the_default() -> None:
    declared = {
        "period": Parameter(kind="month", default="previous"),
        "limit": Parameter(kind="number", default=3),
        "day": Parameter(kind="date", default="2026-10-31"),
        "final": Parameter(kind="yes/no", default=False),
        "regions": Parameter(kind="choice", of=("North", "South", "West"), several=True, default="North"),
    }
    values = resolve(declared, {"period": "2026-10", "limit": "2.5", "regions": "West, North"}, AS_OF, Periods())
    assert values.recorded() == {
        "period": "2026-10",
        "limit": "2.5",
        "day": "2026-10-31",
        "final": "no",
        "regions": "West, North",
    }
    assert values.bound() == {
        "as_of": AS_OF,
        "period_start": dt.date(2026, 10, 1),
        "period_end": dt.date(2026, 10, 31),
        "limit": Decimal("2.5"),
        "day": dt.date(2026, 10, 31),
        "final": False,
        "regions": ["West", "North"],
    }


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"perod": "2026-10"}, "no parameter 'perod'. Did you mean 'period'"),
        ({"period": "October"}, "'October' is not a value for parameter 'period'. Write a month such as 2026-10"),
        ({"period": "2026-13"}, "'2026-13' is not a value"),
        ({"period": "2026-10-15/2026-10-01"}, "'2026-10-15/2026-10-01' is not a value"),
        ({"limit": "1", "size": "tiny"}, "'tiny' is not a choice of parameter 'size'. Known: 'small', 'large'"),
        ({}, "parameter 'limit' has no value. Say `--set limit=…` (a number such as 12.5)"),
    ],
)
def test_a_value_that_cannot_be_used_is_refused_in_words(asked: dict[str, str], says: str) -> None:
    declared = {"period": Parameter(kind="month", default="previous"), "limit": Parameter(kind="number")}
    declared["size"] = Parameter(kind="choice", of=("small", "large"), default="small")
    with pytest.raises(ParameterError) as caught:
        resolve(declared, asked, AS_OF, Periods())
    assert says in str(caught.value)


@pytest.mark.parametrize(
    ("asked", "keys"),
    [
        ("Hallbank", {"118"}),
        ("Hallbank, Idle Acres", {"118"}),
        (Repeated("Hallbank", "Idle Acres"), {"118"}),
        ("all", {"00042", "117", "118"}),
        ("Halbank", None),
    ],
)
def test_choices_may_come_from_the_data(dairy: Dairy, asked: str, keys: set[str] | None) -> None:
    job = dairy.job(
        (
            "data:\n",
            "parameters: {farms: {kind: choice, several: true, of: {rows: members, column: farm_name}}}\ndata:\n",
        ),
        (
            "split: {rows: milk",
            "  some: {sql: 'select milk.* from milk join members using (farm_no) where farm_name in $farms'}\nsplit: {rows: some",
        ),
    )
    with dairy.tools() as tools:
        request = Request(as_of=AS_OF, asked={"farms": asked})
        if keys is None:
            with pytest.raises(
                ParameterError, match=r"'Halbank' is not a choice of parameter 'farms'. Did you mean 'Hallbank'"
            ):
                survey(job, tools, request)
            return
        found = survey(job, tools, request)
        found.engine.close()
    assert {plan.key for plan in found.plans if plan.addressed.rows} == keys


REGIONS = Parameter(kind="choice", of=("North", "South", "North, far"), several=True, default=("North", "South"))


@pytest.mark.parametrize(
    ("asked", "value"),
    [
        (None, ("North", "South")),
        ("South", ("South",)),
        ("South, North", ("South", "North")),
        (Repeated("South", "North, far"), ("South", "North, far")),
        ("all", ("North", "South", "North, far")),
    ],
)
def test_several_choices_add_up(asked: str | None, value: tuple[str, ...]) -> None:
    given = {"regions": asked} if asked is not None else {}
    assert resolve({"regions": REGIONS}, given, AS_OF, Periods()).given["regions"] == value


def test_set_given_twice_adds_up_or_is_a_mistake(dairy: Dairy) -> None:
    one = "parameters: {least: {kind: number, default: 0}, farms: {kind: choice, several: true, of: ['117', '118'], default: ['117']}}\ndata:\n"
    dairy.job(
        ("data:\n", one),
        ("{file: milk.csv}", "{file: milk.csv}\n  some: {sql: select * from milk where farm_no in $farms}"),
        ("rows: milk", "rows: some"),
    )
    assert dairy.json("check", "statements", code=None)["parameters"]["farms"] == "117"
    words = ("check", "statements", "--set", "farms=117", "--set", "farms=118")
    assert dairy.json(*words, code=None)["parameters"]["farms"] == "117, 118"
    said = dairy.gonnet("keys", "statements", "--set", "least=1", "--set", "least=2", code=2).stderr
    assert "parameter 'least' is given twice: '1' and '2'" in said


def test_a_choice_is_checked_before_the_database_sees_it(dairy: Dairy) -> None:
    dairy.write(
        "gonnet.yaml",
        (dairy.folder / "gonnet.yaml").read_text("utf-8") + "databases: {pool: {url: 'sqlite:///none.db'}}\n",
    )
    dairy.job(
        (
            "data:\n",
            "parameters: {farm: {kind: choice, of: {rows: members, column: farm_name}, default: Halbank}}\ndata:\n",
        ),
        ("milk: {file: milk.csv}", "milk: {database: pool, sql: select * from milk where farm = $farm}"),
    )
    assert "'Halbank' is not a choice of parameter 'farm'" in dairy.gonnet("check", "statements", code=2).stderr


def test_file_names_have_dates_that_sort_and_texts_have_times(dairy: Dairy) -> None:
    at = dt.datetime(2026, 11, 5, 13, 7, tzinfo=dt.UTC)
    changes = (
        (
            'name: "{{ key }} statement"',
            "name: \"{{ run.date }} {{ run.started }} {{ key }} {{ run.date | date('d MMM') }}\"",
        ),
        (
            "Dear {{ recipient.farm_name }},",
            "Made on {{ run.date }} at {{ run.started | time }} ({{ run.started | time('HH') }}).",
        ),
    )
    with dairy.tools(at=at) as tools:
        package = dairy.by_key(tools, dairy.prepared(tools, *changes))["117"]
        assert package.documents[0].name == "2026-11-05 2026-11-05 1307 117 5 Nov.pdf"
        assert "Made on 5 Nov 2026 at 13:07 (13)." in tools.store.get(package.messages[0].sha256).decode()


@pytest.mark.parametrize("text", ["{{ run.date | date('HHmm') }}", "{{ run.date | time }}", "{{ key | time('HH') }}"])
def test_a_time_that_a_date_does_not_have_is_told_with_its_place(dairy: Dairy, text: str) -> None:
    dairy.job(("Dear {{ recipient.farm_name }},", text))
    found = dairy.gonnet("check", "statements", code=None)
    said = " ".join((found.stdout + found.stderr).split())
    assert "time needs a time such as run.started" in said
    assert "Traceback" not in said
