"""What a recipient gets is made of their own rows; whatever reads beyond them is named, and refused unless it may."""

from __future__ import annotations

import pytest

from gonnet.data.sql.scope import reach_of
from gonnet.errors import JobError
from support import Dairy

OTHERS = "(select string_agg(amount, '; ') from milk where farm_no <> '117')"
COLUMN = "            - {field: remark}\n"
RULE = "  - {name: idle,"
MORE = "".join(f"{200 + n},2026-10-0{n},{n}00,{n}.50,\n" for n in range(1, 6))


@pytest.mark.parametrize(
    ("sql", "is_beyond", "is_usual"),
    [
        ("litres * 2", False, True),
        ("(select 1)", False, True),
        ("(select avg(amount) from milk)", True, True),
        ("litres / (select sum(litres) from milk)", True, True),
        ("(select cast(round(coalesce(avg(amount), 0), 2) as decimal(9, 2)) from milk)", True, True),
        (OTHERS, True, False),
        ("(select max(amount) from milk)", True, False),
        ("(select sum(case when farm_no = '118' then amount end) from milk)", True, False),
        ("(select sum(amount * (farm_no = '118')::int) from milk)", True, False),
        ("(select avg(amount) from milk tablesample 1 rows)", True, False),
        ("(select sum(litres * amount) / sum(coalesce(litres, 0)) from milk)", True, True),
        ("(select first(amount) from milk)", True, False),
        ("(select avg(amount) from milk where farm_no <> '117')", True, False),
        ("(select avg(amount) filter (farm_no = '117') from milk)", True, False),
        ("(select avg(amount) from milk group by farm_no limit 1)", True, False),
        ("(select avg(a) from (select amount as a from milk where farm_no = '117') x)", True, False),
        ("(select avg(amount) + amount from milk)", True, False),
        ("(select amount from milk limit 1)", True, False),
        ("exists (from milk m where m.farm_no = '117')", True, False),
        ("lag(amount) over (order by day)", True, False),
    ],
)
def test_how_far_sql_reads(sql: str, is_beyond: bool, is_usual: bool) -> None:
    found = reach_of(sql)
    assert (found.is_beyond, found.is_usual) == (is_beyond, is_usual)


@pytest.mark.parametrize(
    "change",
    [
        (COLUMN, f'            - {{value: "{OTHERS}", label: Others}}\n'),
        (COLUMN, "            - {value: lag(amount) over (order by day), label: Before}\n"),
        ("figures: {", f'figures: {{others: "{OTHERS}", '),
        (RULE, "  - {name: r, when: exists (from milk where litres > 5000), message: standard}\n" + RULE),
        ('      - text: "Collected in October."', f'      - text: Collected\n        when: "{OTHERS} is null"'),
    ],
)
def test_what_reads_others_is_refused_with_its_place_or_allowed_with_a_reason(
    dairy: Dairy, change: tuple[str, str]
) -> None:
    with dairy.tools() as tools, pytest.raises(JobError, match=r"statements.yaml:\d+:\d+: this reads rows of others"):
        dairy.prepared(tools, change)
    with dairy.tools() as tools:
        dairy.prepared(tools, change, ("title: Milk statements\n", "title: Milk\nbeyond: the board wants to see it\n"))
    assert "the job allows it: the board wants to see it" in dairy.gonnet("review", code=None).stdout.replace("\n", " ")


def test_a_usual_value_needs_five_recipients(dairy: Dairy) -> None:
    usual = (COLUMN, '            - {value: "(select round(avg(amount), 2) from milk)", label: Usual}\n')
    with dairy.tools() as tools, pytest.raises(JobError, match="of at least 5 recipients"):
        dairy.prepared(tools, usual)
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text("utf-8") + MORE)
    of_one = (
        "  members: {file: members.csv}\n",
        "  members: {file: members.csv}\n  one: {sql: from milk where farm_no = '118'}\n",
    )
    with dairy.tools() as tools, pytest.raises(JobError, match="of at least 5 recipients"):
        dairy.prepared(tools, (usual[0], usual[1].replace("from milk", "from one")), of_one)
    with dairy.tools() as tools:
        dairy.prepared(tools, usual)
    assert "a usual value of 8 recipients" in dairy.gonnet("review", code=None).stdout.replace("\n", " ")
