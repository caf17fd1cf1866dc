"""The order in which packages are looked at, and the pages of a list."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import RunError
from gonnet.ledger import PackageRecord, State
from gonnet.pipeline.reviewing.comparison import compare
from gonnet.pipeline.reviewing.listing import changes, in_order, page_of
from scripted_smtp import Script, serving
from support import MEMBERS, MILK, Dairy


def package(key: str, litres: str = "100", state: State = State.READY, odd: tuple[str, ...] = ()) -> PackageRecord:
    return PackageRecord(
        key=key, name=f"Farm {key}", state=state, reason="", rows=2, figures={"rows": "2", "litres": litres}, odd=odd,
        seal="", documents=(), messages=(),
    )  # fmt: skip


BEFORE = [package("1"), package("2"), package("3"), package("4"), package("5")]
NOW = [
    package("1"),
    package("2", "250"),
    package("3", "80", odd=("two contacts",)),
    package("4", "30"),
    package("5", "", state=State.SKIPPED),
    package("6", "40"),
    package("7", "9000", state=State.HELD),
]


@pytest.mark.parametrize(
    ("by", "backwards", "keys"),
    [
        ("", False, "7234615"),
        ("key", True, "7654321"),
        ("name", False, "1234567"),
        ("litres", False, "7213645"),
        ("litres", True, "4631275"),
        ("change", False, "2467135"),
    ],
)
def test_what_needs_a_decision_comes_first_or_what_is_asked_for(by: str, backwards: bool, keys: str) -> None:
    found = in_order(NOW, compare(NOW, 3, BEFORE), by, backwards=backwards)
    assert "".join(part.key for part in found) == keys


def test_what_changed_is_said_in_words() -> None:
    found = compare(NOW, 3, [*BEFORE, package("8")])
    assert changes(found) == {
        "2": ("litres +150 %",),
        "4": ("litres -70 %",),
        "6": ("not in run 3",),
        "7": ("not in run 3",),
    }
    assert [part.key for part in found.gone] == ["8"]
    assert changes(None) == {}


def test_what_cannot_be_sorted_by_is_told_with_what_can() -> None:
    with pytest.raises(RunError, match="nothing called 'colour'") as told:
        in_order(NOW, None, "colour")
    assert "key, name, rows, change, litres" in (told.value.fix or "")


@given(st.lists(st.sampled_from(list(State)), max_size=30), st.integers(0, 12))
def test_every_package_is_on_one_page_and_counted_on_the_others(states: list[State], lines: int) -> None:
    packages = [package(str(at), state=state) for at, state in enumerate(states)]
    pages = page_of(packages, 1, lines).pages
    shown = [page_of(packages, number, lines) for number in range(1, pages + 1)]
    assert [part for page in shown for part in page.shown] == packages
    assert all(sum(page.rest.values()) == len(packages) - len(page.shown) for page in shown)
    with pytest.raises(RunError, match="page"):
        page_of(packages, pages + 1, lines)


def test_in_the_terminal_the_changed_come_before_what_is_as_ever_a_page_at_a_time(dairy: Dairy) -> None:
    with serving(Script(), dairy.port):
        dairy.gonnet("run", "statements", "--yes", code=3)
    dairy.write("milk.csv", MILK.replace("392.40", "92.40"))
    dairy.write("members.csv", MEMBERS.replace("zoe@", "zoë.dairy@").replace("ë", "e"))
    dairy.gonnet("prepare", "statements", code=3)
    found = dairy.gonnet("review", "--lines", "2", code=3).stdout
    assert "1 with another address; 1 with a figure that moved by 25 % or more" in found
    rows = [line.split()[:2] for line in found.splitlines() if line.startswith((" held", " ready"))]
    assert rows == [["held", "118"], ["ready", "00042"]]
    assert "Page 1 of 2; on the others: 1 ready, 1 skipped." in found
    found = dairy.gonnet("review", "--sort", "change", "--lines", "1", "--moved", "10", code=3).stdout
    assert [line.split()[1] for line in found.splitlines() if line.startswith(" ready")] == ["117"]
    assert "1 with a figure that moved by 10 % or more" in found
    assert "the list has 1 page" in dairy.gonnet("review", "--page", "2", code=2).stderr
