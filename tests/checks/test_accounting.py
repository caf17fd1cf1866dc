"""Rows read = delivered + withheld; parts = whole; and a file read back says what stands in it."""

from __future__ import annotations

import io
from decimal import Decimal

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from gonnet.checks import read_back
from gonnet.checks.accounting import Bookkeeper

AMOUNTS = st.decimals(min_value=-10_000, max_value=10_000, places=2)
PARTS = st.lists(st.tuples(st.booleans(), st.integers(min_value=1, max_value=50), AMOUNTS), max_size=20)


@given(PARTS)
def test_parts_that_are_the_whole_agree(parts: list[tuple[bool, int, Decimal]]) -> None:
    books = Bookkeeper()
    for delivered, rows, total in parts:
        if delivered:
            books.deliver(rows, {"amount": total})
        else:
            books.withhold("rule", rows, {"amount": total})
    account = books.close(sum(rows for _, rows, _ in parts), {"amount": sum((t for *_, t in parts), Decimal(0))})
    assert account.agrees
    assert account.delivered == sum(rows for delivered, rows, _ in parts if delivered)


@pytest.mark.parametrize(("read", "whole"), [(2, "3.00"), (3, "3.01"), (4, "3.00")])
def test_a_cent_or_a_row_too_many_or_too_few_does_not_agree(read: int, whole: str) -> None:
    books = Bookkeeper()
    books.deliver(2, {"amount": Decimal("2.00")})
    books.withhold("no key", 1, {"amount": Decimal("1.00")})
    assert books.close(3, {"amount": Decimal("3.00")}).agrees
    assert not books.close(read, {"amount": Decimal(whole)}).agrees


def test_a_workbook_is_read_with_its_sheet_names_properties_and_page_head() -> None:
    target = io.BytesIO()
    book = xlsxwriter.Workbook(target)
    book.set_properties({"title": "the title", "comments": "a comment", "author": "the author"})
    sheet = book.add_worksheet("named 117")
    sheet.write_string(0, 0, "shared text")
    sheet.write_number(1, 0, 42.5)
    sheet.write_rich_string(2, 0, "in ", book.add_format({"bold": True}), "parts")
    sheet.set_header("&Lpage head")
    book.close()
    parts = dict(read_back(target.getvalue(), "xlsx").parts)
    assert {"shared text", "42.5", "in parts", "page head"} <= set(parts["sheet1"])
    assert {"named 117", "the title", "a comment", "the author"} <= set(parts["properties"])


@pytest.mark.parametrize("form", ["pdf", "xlsx", "odt"])
def test_what_is_no_file_of_its_kind_is_refused(form: str) -> None:
    with pytest.raises(ValueError, match=r"not a|no reader"):
        read_back(b"nothing", form)
