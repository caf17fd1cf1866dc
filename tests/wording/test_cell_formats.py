"""Numbers and dates of cells as their formats show them, in the signs of the house."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.wording.cell_formats import BUILT_IN, shown
from gonnet.wording.formats import House


@pytest.mark.parametrize(
    ("value", "code", "english", "german"),
    [
        ("1234.5", "General", "1234.5", "1234,5"),
        ("0.1", "General", "0.1", "0,1"),
        ("123456789012", "General", "1.23457E+11", "1.23457E+11"),
        ("1234.5", "#,##0.00", "1,234.50", "1.234,50"),
        ("1234.5", '#,##0.00 "EUR"', "1,234.50 EUR", "1.234,50 EUR"),
        ("1234.5", "#,##0.00\\ [$€-407]", "1,234.50 €", "1.234,50 €"),
        ("-1234.5", "#,##0.00_);[Red](#,##0.00)", "(1,234.50)", "(1.234,50)"),
        ("-3", "0.0", "-3.0", "-3,0"),
        ("0", '0.00;-0.00;"none"', "none", "none"),
        ("0.256", "0.0%", "25.6%", "25,6%"),
        ("42", "00000", "00042", "00042"),
        ("1234567", '#,##0,"k"', "1,235k", "1.235k"),
        ("0.5", "#.00", ".50", ",50"),
        ("46296", "dd.mm.yyyy", "01.10.2026", "01.10.2026"),
        ("46296", "ddd d mmm yyyy", "Thu 1 Oct 2026", "Do. 1 Okt. 2026"),
        ("46296.3125", "d/m/yy h:mm", "1/10/26 7:30", "1/10/26 7:30"),
        ("46296.8125", "h:mm AM/PM", "7:30 pm", "7:30 PM"),
        ("0.5217", "mm:ss", "31:15", "31:15"),
        ("46296", 'yyyy"-Q"', "2026-Q", "2026-Q"),
        ("n/a", "0.00", "n/a", "n/a"),
    ],
)
def test_a_format_shows_what_an_office_program_shows(value: str, code: str, english: str, german: str) -> None:
    assert (shown(value, code, House(locale="en_IE")), shown(value, code, House(locale="de"))) == (english, german)


def test_dates_may_count_from_1904() -> None:
    assert shown("44834", "yyyy-mm-dd", House(), since_1904=True) == "2026-10-01"


@given(
    st.one_of(st.integers(-(10**14), 10**14).map(str), st.floats(-1e12, 1e12).map(repr)),
    st.one_of(st.sampled_from(list(BUILT_IN.values())), st.text('#0?.,;"\\\\%[]$€-dmyhs EG@_*', max_size=12)),
)
def test_no_format_is_a_mistake(value: str, code: str) -> None:
    assert isinstance(shown(value, code, House()), str)
