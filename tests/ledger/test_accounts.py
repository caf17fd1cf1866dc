"""The account of rows is right after every change by hand, and after sending: the parts are always the whole."""

from __future__ import annotations

import re
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from gonnet.ledger.accounts import account_now
from gonnet.ledger.states import State
from scripted_smtp import Script, serving
from support import Dairy


def rows(dairy: Dairy) -> str:
    text = " ".join(dairy.gonnet("show", "1", code=None).stdout.split())
    return re.findall(r"Rows (5 read = .*?withheld)", text)[0]  # type: ignore[no-any-return]


def test_what_is_released_skipped_and_sent_is_counted_where_it_is(dairy: Dairy) -> None:
    dairy.gonnet("prepare", "statements", "--as-of", "2026-11-05", code=3)
    assert rows(dairy) == "5 read = 4 to deliver + 1 withheld"
    dairy.gonnet("release", "1", "118", "--why", "seen", "--yes")
    assert rows(dairy) == "5 read = 5 to deliver + 0 withheld"
    dairy.gonnet("skip", "1", "117", "--why", "gone")
    shown = dairy.gonnet("review", "1").stdout
    assert "5 read = 3 to deliver + 2 withheld (2 held or skipped by hand)" in shown
    assert "amount: 5,082.46 read = 4,301.95 to deliver + 780.51 withheld" in shown
    with serving(Script(), dairy.port):
        dairy.gonnet("send", "1", "--only", "00042", "--yes")
        assert rows(dairy) == "5 read = 2 delivered + 1 to deliver + 2 withheld"
        dairy.gonnet("send", "1", "--yes")
    assert rows(dairy) == "5 read = 3 delivered + 2 withheld"
    found = dairy.json("show", "1")
    assert (found["rows"]["delivered"], found["rows"]["delivered_so_far"], found["rows"]["withheld"]) == (3, 3, 2)
    dairy.gonnet("review", "1", "--html", "page.html")
    page = (dairy.folder / "page.html").read_text("utf-8")
    assert "<td>5</td><td>3</td><td>0</td><td>2</td>" in page


PARTS = st.tuples(st.sampled_from(list(State)), st.integers(0, 9), st.booleans())


@given(st.lists(PARTS, max_size=8))
def test_whatever_becomes_of_packages_the_parts_are_the_whole(parts: list[tuple[State, int, bool]]) -> None:
    total = sum(count for _, count, _ in parts)
    leaving = sum(count for _, count, was_ready in parts if was_ready)
    control = {
        "column": "amount",
        "whole": f"{total}.50",
        "delivered": f"{leaving}.50",
        "withheld": f"{total - leaving}",
    }
    account = {"read": total, "delivered": leaving, "withheld": {"rule": total - leaving}, "controls": [control]}
    shares = [
        (state, {"": {"rows": count, "cause": "" if was_ready else "rule", "sums": {"amount": str(count)}}})
        for state, count, was_ready in parts
    ]
    now = account_now(account, shares)
    assert now["delivered"] + sum(now["withheld"].values()) == total
    assert all(count >= 0 for count in now["withheld"].values())
    assert now["sent"] == sum(count for state, count, _ in parts if state is State.SENT) <= now["delivered"]
    (found,) = now["controls"]
    assert Decimal(found["delivered"]) + Decimal(found["withheld"]) == Decimal(found["whole"])
    assert account["delivered"] == leaving, "what was prepared stays as it was"
