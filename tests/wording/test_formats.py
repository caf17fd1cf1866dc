"""Numbers and dates as the house writes them, and texts that no value can take over."""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal
from html import unescape

import pytest
from babel import numbers
from hypothesis import given
from hypothesis import strategies as st
from markdown_it import MarkdownIt

from gonnet.delivery import Body
from gonnet.errors import DataError
from gonnet.wording.filling import Wording
from gonnet.wording.formats import (
    House,
    decimals_of,
    excel_pattern,
    is_date_pattern,
    is_number_pattern,
    rounded_half_up,
)
from gonnet.wording.template import Template

IRISH = House(locale="en_IE", currency="EUR")


@pytest.mark.parametrize(
    ("house", "value", "pattern", "text"),
    [
        (IRISH, Decimal("2.675"), "0.00", "2.68"),
        (IRISH, Decimal("2.665"), "0.00", "2.67"),
        (IRISH, Decimal("-2.665"), "0.00", "-2.67"),
        (IRISH, 2.675, "0.00", "2.68"),
        (IRISH, 1234567, "#,##0", "1,234,567"),
        (House(locale="de"), Decimal("1234.5"), "#,##0.00", "1.234,50"),
        (IRISH, Decimal("0.12345"), "0.0%", "12.3%"),
        (IRISH, Decimal("123456789012345678901.255"), "0.00", "123456789012345678901.26"),
    ],
)
def test_numbers(house: House, value: Decimal | float, pattern: str, text: str) -> None:
    assert house.number(value, pattern) == text


@given(
    value=st.decimals(-(10**20), 10**20, places=5),
    pattern=st.sampled_from(
        ["0", "0.00", "#,##0", "#,##0.0", "#,##0.0000", "#,##0.###", "#,##0.0##", "#.##", "'a 0'#,##0.00' b'", "0;(0)"]
    ),
    locale=st.sampled_from(["en", "de", "de_CH", "fr", "pl", "es", "pt_PT", "hi", "ar_EG", "sv", "bg"]),
)
def test_a_number_is_written_as_the_locale_has_it(value: Decimal, pattern: str, locale: str) -> None:
    rounded = rounded_half_up(value, decimals_of(pattern))
    expected = numbers.format_decimal(rounded, format=pattern, locale=locale)
    assert House(locale=locale).number(value, pattern) == expected


def test_money_has_the_decimals_of_its_currency() -> None:
    assert IRISH.money(Decimal("1234.565")) == "€1,234.57"
    assert House(locale="en", currency="JPY").money(Decimal("99.5")) == "¥100"
    assert House().money(5) == "5.00"
    assert IRISH.money(Decimal("99.5"), "JPY") == "JP¥100"
    assert (
        fill("{{ 5 | money(c) }} {{ 5 | money('CHF') }} {{ 5 | money(n) }}", c="GBP", n=None) == "£5.00 CHF5.00 €5.00"
    )


@pytest.mark.parametrize(
    ("pattern", "is_date", "excel"),
    [
        ("#,##0.00", False, "#,##0.00"),
        ("d MMM yyyy", True, "d mmm yyyy"),
        ("EEE d. MMMM yy", True, "ddd d. mmmm yy"),
        ("dd/MM/y HH:mm", True, "dd/mm/yyyy hh:mm"),
        ("d 'de' MMM", True, 'd "de" mmm'),
    ],
)
def test_a_workbook_shows_what_the_pattern_says(pattern: str, is_date: bool, excel: str) -> None:
    assert excel_pattern(pattern, is_date=is_date) == excel
    assert is_date_pattern(pattern) is is_date
    assert is_number_pattern(pattern) is not is_date


def test_decimals_of_a_pattern() -> None:
    assert [decimals_of(p) for p in ("0", "#,##0.00", "0.0##", "0.00;(0.00)", "'kr.' #,##0")] == [0, 2, 3, 2, 0]


@given(
    st.sampled_from(["en_IE", "de_DE", "de_CH", "nl_NL", "fr_FR", "en_IN", "ar_EG", "da_DK", "pl_PL"]),
    st.sampled_from(sorted(numbers.list_currencies())),
    st.decimals(-(10**12), 10**12, places=4),
)
def test_money_of_a_column_is_written_as_money_of_a_text(locale: str, currency: str, value: Decimal) -> None:
    house = House(locale=locale)
    rounded = rounded_half_up(value, numbers.get_currency_precision(currency))
    assert house.money(value, currency) == numbers.format_currency(rounded, currency, locale=locale)
    assert house.number(value, house.money_pattern(currency)) == house.money(value, currency)


def fill(source: str, markup: bool = False, **values: object) -> str:
    wording = Wording(IRISH)
    template = Template(source=source, where="job.yaml:1:1")
    return (wording.fill_markup if markup else wording.fill)(template, values, key="42").text


def test_a_value_is_never_a_template_nor_markup_nor_a_second_line() -> None:
    assert fill("Dear {{ name }}", name="{{ 7 * 7 }}") == "Dear {{ 7 * 7 }}"
    assert fill("Dear {{ name }}", name="Ann\r\nBcc: x@y.example") == "Dear Ann Bcc: x@y.example"
    body = fill("Dear **{{ name }}**", markup=True, name="*Ann* [x](http://evil.example) <b>&")
    assert Body.of(body).html == "<p>Dear <strong>*Ann* [x](http://evil.example) &lt;b&gt;&amp;</strong></p>\n"
    assert Body.of(body).text == "Dear *Ann* [x](http://evil.example) <b>&\n"


@pytest.mark.parametrize(
    ("source", "says"),
    [
        ("{{ nobody }}", "'nobody' is undefined"),
        ("{{ none | money }}", "an empty value is not a number"),
        ("{{ name | date }}", "a text is not a date"),
        ("{{ name.__class__.__mro__ }}", "cannot be filled|has no value"),
        ("{{ 1 / 0 }}", "cannot be formatted"),
        ("{{ 5 | money('CHR') }}", "'CHR' is no currency; write its code of three letters"),
    ],
)
def test_a_text_that_cannot_be_filled_names_its_place_and_the_key(source: str, says: str) -> None:
    with pytest.raises(DataError, match=says) as caught:
        fill(source, none=None, name="Ann")
    assert caught.value.where == "job.yaml:1:1 for key 42"


def test_dates_and_plain_values() -> None:
    assert fill(
        "{{ d | date }} {{ d | date('d MMMM') }} {{ n }} {{ x }}", d=dt.date(2026, 10, 1), n=Decimal("1234.50"), x=None
    ) == ("1 Oct 2026 1 October 1,234.50 ")


@pytest.mark.parametrize(
    ("markup", "text"),
    [
        ("Dear *Ann*,\n\nsee\nbelow", "Dear Ann,\n\nsee\nbelow\n"),
        ("- one\n- **two**\n\nend", "- one\n- two\n\nend\n"),
        ("3. three\n4. four", "3. three\n4. four\n"),
        ("- a\n  - b", "- a\n  - b\n"),
        ("[here](https://x.example) <https://y.example>", "here (https://x.example) https://y.example\n"),
        ("> said", "> said\n"),
        ("    code *as is*", "code *as is*\n"),
    ],
)
def test_the_plain_text_says_what_the_html_says(markup: str, text: str) -> None:
    assert Body.of(markup).text == text


LINES = ["Dear Ann,", "1.50 is due", "10", '(c) "now"', "'x", "€ 5: yes!", "Straße\u00a0é", "x=", "$5", "“x”", ""]
MARKED = [
    "1. x",
    "12) y",
    "- z",
    "=",
    "-",
    "# h",
    " lead",
    "trail  ",
    "a&b",
    "a_b_c",
    "*e*",
    "\u00a0",
    "a\\",
    "<b>",
    "+ 1",
]


@given(st.lists(st.sampled_from(LINES * 3 + MARKED), max_size=8).map("\n".join))
def test_a_body_without_markup_is_what_a_reader_of_markup_makes_of_it(markup: str) -> None:
    body = Body.of(markup)
    assert body.html == MarkdownIt("commonmark", {"html": False, "breaks": True}).render(markup)
    if set(re.findall("<[^>]*>", body.html)) <= {"<p>", "</p>", "<br />"}:
        said = unescape(re.sub("<[^>]*>", "", body.html.replace("</p>", "\n")))
        assert body.text.strip("\n") == said.strip("\n")
