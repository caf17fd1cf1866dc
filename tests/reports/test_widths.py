"""Widths of columns: nothing is lost beside a page, and what goes on beside itself does so evenly."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Literal

from hypothesis import example, given
from hypothesis import strategies as st

from gonnet.reports.fonts import BOLD, family
from gonnet.reports.pen import wrapped
from gonnet.reports.plans.columns import ColumnPlan
from gonnet.reports.plans.widths import PADDING, SMALLEST, fit_widths, panels
from made import AMOUNT, LOOK, TEXT

ROOM = 480.0
words = st.text("abcdefghmw ", min_size=1, max_size=30)
asked: st.SearchStrategy[float | Literal["auto", "20%"]] = st.sampled_from(["auto", "auto", "20%", 12.0])


@st.composite
def columns(draw: st.DrawFn) -> tuple[list[ColumnPlan], list[list[str]]]:
    kinds = draw(st.lists(st.tuples(st.booleans(), words, asked), min_size=1, max_size=30))
    plans = [replace(TEXT if is_text else AMOUNT, label=label, fixed=fixed) for is_text, label, fixed in kinds]
    return plans, [[draw(st.text("0123456789 ", max_size=60 if is_text else 12))] for is_text, *_ in kinds]


def fitted(plans: list[ColumnPlan], samples: list[list[str]], keep: int = 0) -> tuple[ColumnPlan, ...]:
    return fit_widths(plans, samples, ROOM, LOOK, keep)


@given(columns())
def test_no_word_of_a_heading_is_broken_while_there_is_room(drawn: tuple[list[ColumnPlan], list[list[str]]]) -> None:
    found = fitted(*drawn)
    lacking = [
        column.fixed
        for column in found
        for word in column.label.split()
        if len(wrapped(word, family(None), BOLD, column.font_size, column.width - 2 * PADDING)) > 1
    ]
    if sum(column.width for column in found) < ROOM - 200:  # more than the longest word needs
        assert not lacking
    assert "auto" not in lacking


@example([20, 20, 106, 188, 147, 20, 20, 20, 128], 3)
@given(st.lists(st.integers(20, 200), min_size=1, max_size=40), st.integers(0, 3))
def test_a_wide_table_is_cut_into_as_few_blocks_as_can_be_all_about_as_wide(widths: list[int], keep: int) -> None:
    keep = min(keep, len(widths) - 1)
    plans = [replace(AMOUNT, width=float(width)) for width in widths]
    found = panels(plans, keep, ROOM)
    kept = found[0][:keep] if len(found) > 1 and all(block[:keep] == tuple(range(keep)) for block in found) else ()
    assert [at for block in found for at in block[len(kept) :]] == list(range(len(kept), len(widths)))
    wide = [sum(widths[at] for at in block) for block in found]
    assert max(wide) <= ROOM + 0.02
    most = max((wide[at] for at, block in enumerate(found) if len(block) > len(kept) + 1), default=0)
    for number, (block, after) in enumerate(pairwise(found)):  # neither fewer nor narrower ones, but of a lone column
        assert wide[number] + widths[after[len(kept)]] > most - 1e-3, (block, after)


def test_a_lone_last_column_is_no_block_of_its_own() -> None:
    plans = [replace(AMOUNT, width=100.0) for _ in range(9)]
    assert [len(block) for block in panels(plans, 1, ROOM)] == [4, 4, 3]
    assert [len(block) for block in panels(plans[:5], 1, ROOM)] == [3, 3]  # not 4 and 2


def test_letters_are_no_smaller_than_the_number_of_blocks_asks_for() -> None:
    plans = [replace(AMOUNT, label=f"c{at}", total="sum") for at in range(16)]
    found = fitted(plans, [["1,234,567.89"]] * 16, keep=1)
    assert len(panels(found, 1, ROOM)) == 2
    assert found[0].font_size >= SMALLEST + 1
