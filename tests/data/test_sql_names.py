"""Which names SQL uses is asked of DuckDB's parser: strings, comments, quoting and case make no difference."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.data import names_in, names_in_order, quoted


@pytest.mark.parametrize(
    ("sql", "asks"),
    [
        ("past.changed", True),
        ("PAST.Changed", True),
        ('"past"."changed"', True),
        ("past . /* what? */ changed", True),
        ("past['changed']", True),  # a field by its name in a string: all fields count as asked for
        ("(past).changed", True),
        ("not exists (from lines where past.changed)", True),
        ("list_transform([1], lambda n: past.changed)", True),
        ("case when litres > 1 then past.changed end", True),
        ("past.times > 1", False),
        ("note = 'past.changed'", False),
        ("litres > 1 -- past.changed\n", False),
        ("earlier.changed", False),
        ("past_changed", False),
        ("past.changed +", False),  # not SQL: whoever runs it is told
    ],
)
def test_a_field_is_asked_for_or_not(sql: str, asks: bool) -> None:
    assert names_in(sql).asks_for("past", "changed") is asks


def test_every_kind_of_name_is_found_once_in_its_order() -> None:
    found = names_in("sum(l.amount) filter (l.no <> $key) / count(*)", "(select max(amount) from lines) > $limit")
    assert found.columns == (("l", "amount"), ("l", "no"), ("amount",))
    assert found.tables == ("lines",)
    assert found.parameters == ("key", "limit")
    assert {"sum", "count_star", "max"} <= set(found.functions)


def test_an_order_is_read_too() -> None:
    assert names_in_order('recipient."farm name" desc nulls last, litres').columns == (
        ("recipient", "farm name"),
        ("litres",),
    )


@given(st.text(st.characters(blacklist_categories=["Cs"], blacklist_characters="\0"), min_size=1))
def test_any_quoted_name_is_found_as_it_is(name: str) -> None:
    found = names_in(f"{quoted(name)} > 1 and 'a' <> {quoted('x')}").columns
    assert list(found) == list(dict.fromkeys([(name,), ("x",)]))
