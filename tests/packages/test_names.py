"""File names are safe on every system, whatever is merged into them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.packages import Names, safe_name


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("00042 statement", "00042 statement"),
        ("../../etc/passwd", "_.._etc_passwd"),
        ("a/b\\c:d*e?f", "a_b_c_d_e_f"),
        ("  .hidden. ", "hidden"),
        ("CON", "_CON"),
        ("aux.report", "_aux.report"),
        ("Zoë\u202ecod.exe", "Zoë_cod.exe"),
        ("Zoe\u0308", "Zoë"),
        ("a\x00b\nc", "a_b_c"),
        ("...", "document"),
        ("~$x", "_~$x"),
    ],
)
def test_a_name_is_made_safe(text: str, name: str) -> None:
    assert safe_name(text) == name


@given(st.text(max_size=300))
def test_no_text_makes_an_unsafe_name(text: str) -> None:
    name = safe_name(text)
    assert name
    assert len(name.encode("utf-8")) <= 121
    assert not set(name) & set('<>:"/\\|?*\x00\n\r\u202e')
    assert name == name.strip(" .")


@given(st.lists(st.sampled_from(["a", "A", "a (2)", "b", "x" * 120, "x" * 119 + "y"]), max_size=12))
def test_names_of_a_run_are_unique_whatever_their_case(stems: list[str]) -> None:
    names = Names()
    found = [names.unique(stem).casefold() for stem in stems]
    assert len(set(found)) == len(found)
