"""A run against the one before it."""

from __future__ import annotations

from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from gonnet.ledger import PackageRecord, State
from gonnet.pipeline.reviewing.comparison import compare, labels, spread
from gonnet.pipeline.send import send
from scripted_smtp import Script, serving
from support import MEMBERS, MILK, Dairy


def package(key: str, payable: str, rows: int = 2) -> PackageRecord:
    figures = {"rows": str(rows), "payable": payable, "first_on": "2026-10-01"}
    return PackageRecord(
        key=key, name=f"Farm {key}", state=State.READY, reason="", rows=rows, figures=figures, odd=(), seal="",
        documents=(), messages=(),
    )  # fmt: skip


def test_who_is_new_who_is_gone_and_what_moved_most() -> None:
    before = [package("1", "100"), package("2", "1000"), package("3", "10"), package("4", "0"), package("5", "7")]
    now = [package("1", "130"), package("2", "1240"), package("3", "2"), package("4", "50"), package("6", "9")]
    found = compare(now, 7, [*before, package("6", "", rows=0)])
    assert ([p.key for p in found.new], [p.key for p in found.gone], found.run) == (["6"], ["5"], 7)
    assert [(m.key, m.figure, m.share) for m in found.moved] == [
        ("4", "payable", None),
        ("1", "payable", Decimal("0.3")),
        ("3", "payable", Decimal("-0.8")),
    ]
    assert found.before["payable"] == tuple(map(Decimal, (100, 1000, 10, 0, 7)))


NUMBERS = st.lists(st.decimals(-1000, 1000, places=2) | st.decimals("-1e-4", "1e30"), max_size=40)


@given(NUMBERS, NUMBERS)
def test_every_value_lies_in_one_interval(values: list[Decimal], others: list[Decimal]) -> None:
    found = spread(values, others)
    assert len(set(labels([begin for begin, _, _ in found]))) == len(found)
    assert sum(now for _, now, _ in found) == len(values)
    assert sum(then for _, _, then in found) == len(others)


def test_the_run_before_is_the_last_of_which_something_was_sent(dairy: Dairy) -> None:
    script = Script()
    with dairy.tools() as tools, serving(script, dairy.port):
        first = dairy.prepared(tools)
        assert tools.ledger.run_before(first) is None
        send(first, tools)
        dairy.prepared(tools)
        dairy.write("members.csv", MEMBERS.replace("laka@", "lucja@"))
        dairy.write("milk.csv", MILK.replace("588.05", "88.05"))
        third = dairy.prepared(tools)
        assert tools.ledger.run_before(third) == first.id
        found = compare(tools.ledger.packages(third.id), first.id, tools.ledger.packages(first.id))
    assert [(part.key, old) for part, old in found.readdressed] == [("117", ("laka@members.tarnvale.example",))]
    assert [(part.key, part.figure) for part in found.moved] == [("00042", "payable")]
