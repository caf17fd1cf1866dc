"""Every row with a key is in exactly one slice; keys are text; empty ones go to nobody."""

from __future__ import annotations

import unicodedata
from contextlib import closing
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gonnet.data import Engine
from gonnet.errors import DataError
from gonnet.split import Slices, bring_together, by_key
from gonnet.split.slices import rows_of

CELLS = st.one_of(
    st.none(), st.sampled_from(["", " ", "42", "00042", " 42", "42\u00a0", "B1", "b1", "Ω"]), st.text(max_size=4)
)


def split(values: list[object], kind: str = "varchar") -> tuple[Slices, dict[str, list[Any]]]:
    with closing(Engine()) as engine:
        engine.query(
            f"create table milk as select unnest($v::{kind}[]) as k, unnest(range(len($v::{kind}[]))) as n",
            {"v": values},
        )
        slices = by_key(engine, "milk", ("k",))
        keys = list(slices.counts)
        found = dict(rows_of(engine, ["n"], keys))
        bring_together(engine)
        assert dict(rows_of(engine, ["n"], keys)) == found
        assert dict(rows_of(engine, ["n"], keys[1::2])) == {key: found[key] for key in keys[1::2]}
        return slices, {key: [n for (n,) in rows] for key, rows in found.items()}


@settings(max_examples=60)
@given(st.lists(CELLS, max_size=30))
def test_every_row_is_in_exactly_one_slice_in_its_order_or_has_no_key(cells: list[str | None]) -> None:
    slices, rows = split(list(cells))
    delivered = [n for found in rows.values() for n in found]
    assert len(delivered) == len(set(delivered))
    assert slices.read == len(cells) == len(delivered) + slices.without_key
    assert list(rows) == sorted(rows) == list(slices.counts)
    for key, found in rows.items():
        assert not blank(key[0])
        assert not blank(key[-1])
        assert found == sorted(found)
        assert slices.counts[key] == len(found)
    assert sorted(delivered) == [n for n, cell in enumerate(cells) if not all(map(blank, cell or ""))]


def blank(sign: str) -> bool:
    return unicodedata.category(sign) in ("Zs", "Zl", "Zp", "Cc")


def test_what_is_odd_about_keys_is_counted() -> None:
    slices, rows = split(["00042", " 00042", None, "", "42"])
    assert rows == {"00042": [0, 1], "42": [4]}
    assert (slices.without_key, slices.first_without_key, slices.trimmed) == (2, (3, 4), 1)


@pytest.mark.parametrize("kind", ["double", "decimal(9, 2)", "bigint"])
def test_a_key_that_arrives_as_a_number_has_no_decimals(kind: str) -> None:
    _, rows = split([1042, 7], kind)
    assert list(rows) == ["1042", "7"]


@pytest.mark.parametrize(
    ("kind", "value"), [("double", 1.5), ("decimal(9, 2)", 1.10), ("double", 2.0**60), ("double", float("nan"))]
)
def test_numbers_that_cannot_be_told_apart_are_no_keys(kind: str, value: float) -> None:
    with pytest.raises(DataError, match="the key 'k'"):
        split([value], kind)


def test_a_floating_amount_becomes_a_decimal_and_one_that_is_none_is_refused() -> None:
    with closing(Engine()) as engine:
        engine.query("create table milk as select 'a' as k, unnest([0.1, 0.2, 0.3]) as v")
        by_key(engine, "milk", ("k",))
        assert str(engine.query("select sum(v) from gonnet_rows")[0][0]).rstrip("0") == "0.6"
        engine.query("create table sour as select 'a' as k, unnest([1.0, 'nan'::double]) as v")
        with pytest.raises(DataError, match="row 2 of data set 'sour' has nan in column 'v'"):
            by_key(engine, "sour", ("k",))
