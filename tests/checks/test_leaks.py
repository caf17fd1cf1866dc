"""The leak check finds what names somebody else, and nothing else."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.checks import Identity, ReadBack, Watch, described

WATCH = Watch(
    [
        Identity(key="00042", values=(("key", "00042"), ("address", "zoe@members.example"), ("farm_name", "Hill"))),
        Identity(key="117", values=(("key", "117"), ("address", "laka@members.example"), ("farm_name", "Hill Top"))),
        Identity(key="118", values=(("key", "118"), ("address", "office@x.example"), ("farm_name", "Łąka Górna"))),
        Identity(
            key="119", values=(("key", "119"), ("address", "office@x.example"), ("farm_name", "The Old Dairy Farm"))
        ),
        Identity(key="7", values=(("key", "7"),)),
        Identity(key="2026", values=(("key", "2026"),)),
    ],
    harmless=["2026"],
)


def hits(key: str, text: str, *own_numbers: str) -> list[str]:
    own = [(number, (number,)) for number in own_numbers]
    found = WATCH.search((key,), "the pdf", ReadBack(parts=(("page 1", text),)), own)
    return [hit.value for hit in found]


@pytest.mark.parametrize(
    ("key", "text", "found"),
    [
        ("117", "tank shared with 00042 today", ["00042"]),
        ("117", "write to ZOE@members.example.", ["zoe@members.example"]),
        ("117", "see (118)", ["118"]),
        ("117", "The Old\nDairy   Farm", ["The Old Dairy Farm"]),
        ("117", "the old dairy", []),
        ("117", "11800 and 3,118.50 and 118.5 and A118", []),
        ("117", "117 laka@members.example", []),
        ("00042", "litres 117", ["117"]),
        ("117", "office@x.example", []),  # two keys share it: it names neither
        ("118", "page 7 of 2026", []),  # too short, and declared harmless
        ("117", "Hill Top", []),  # the other's name lies inside its own
        ("117", "Hill", ["Hill"]),
        ("00042", "Hill Top", ["Hill Top"]),
        ("117", "zoe@mem\r\nbers.example", ["zoe@members.example"]),  # broken inside a narrow cell
        ("117", "zoe@members.\nexample", ["zoe@members.example"]),
        ("117", "1\n18", []),
    ],
)
def test_values_of_others_are_found(key: str, text: str, found: list[str]) -> None:
    assert hits(key, text) == found


def test_own_amounts_account_for_as_many_places_as_they_stand_in() -> None:
    assert hits("00042", "litres 117 117", "117", "117") == []
    assert hits("00042", "litres 117 117 remark 117", "117", "117") == ["117"]
    assert hits("00042", "page 117 of 118", "117 118") == []


def test_hits_are_told_with_value_owner_and_place() -> None:
    found = WATCH.search(("117",), "the pdf", ReadBack(parts=(("page 2", "Łąka Górna, 118"),)))
    assert described(found) == (
        "'Łąka Górna', the farm_name of 118, stands in the pdf (page 2); "
        "'118', the key of another recipient, stands in the pdf (page 2)"
    )


@given(
    st.lists(st.sampled_from(["00042", "118", "119", "milk", "1", "Hill", "Top", "Łąka", "Górna", "-"]), max_size=8),
    st.sampled_from([" ", "\n", "\r\n", "\t"]),
)
def test_a_value_that_stands_in_a_text_is_found_wherever_it_stands(words: list[str], blank: str) -> None:
    text = blank.join([*words, "zoe@members.example", *words])
    assert "zoe@members.example" in hits("117", text)
    assert ("00042" in hits("117", text)) == ("00042" in words)


@given(
    st.lists(st.sampled_from(["1", "18", "1.", "-", "zoe@members", ".example", "The Old Dai", "ry Farm", "x y"])),
    st.lists(st.sampled_from(["\r\n", "-\r\n", " \r\n", "\n", " ", "\u00ad"]), min_size=30, max_size=30),
)
def test_a_word_broken_at_the_end_of_a_line_is_made_whole(parts: list[str], breaks: list[str]) -> None:
    text = "".join(f"{part}{end}" for part, end in zip(parts, breaks, strict=False))
    joined = re.sub("\u00ad|(?<=\\w)-?\r?\n(?=\\w)", "", text)
    whole = [value for value in hits("117", joined) if len(re.sub(r"\W", "", value)) >= 8]
    assert set(whole) <= set(hits("117", text))
