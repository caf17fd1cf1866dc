"""Reduced faces and cells written without a detour: what a reader gets out is what was put in."""

from __future__ import annotations

import datetime as dt
import io
import re
import unicodedata
from decimal import Decimal
from typing import Any

import openpyxl
import pypdfium2
import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import DataError
from gonnet.reports.fonts import BOLD, REGULAR, family
from gonnet.reports.pdf.file import PdfFile
from gonnet.reports.pdf.metadata import About
from gonnet.reports.pen import INK, Pen
from gonnet.reports.workbook.cells import LONGEST, ROWS, CellWriter, RowsSheet, addressed, text_cell


def drawn(lines: list[str], signs: frozenset[str]) -> str:
    """The text that a reader finds on a page with `lines`, drawn with faces of `signs`."""
    alphabet = family().reduced(signs)
    file = PdfFile(alphabet, (REGULAR, BOLD))
    file.begin_page(595, 842)
    pen = Pen(family(), alphabet)
    for number, line in enumerate(lines):
        pen.text(20, 800 - 12 * number, line, BOLD if number % 2 else REGULAR, 6, INK)
    pen.put_on(file)
    return str(pypdfium2.PdfDocument(file.finish(About(title="", author="")))[0].get_textpage().get_text_bounded())


# A reader takes ligatures apart, and what else is another way to write the same.
LETTERS = sorted(sign for sign in family().signs if sign.isalpha() and unicodedata.is_normalized("NFKD", sign))


@given(st.sets(st.sampled_from(LETTERS), min_size=1, max_size=600))
def test_every_character_of_a_page_can_be_read_back_however_many_there_are(signs: set[str]) -> None:
    ordered = sorted(signs)
    lines = ["(\\)" + "".join(ordered[at : at + 40]) for at in range(0, len(ordered), 40)]
    assert drawn(lines, frozenset({*signs, *"(\\)"})).split() == lines


def test_a_line_is_as_wide_as_it_is_measured() -> None:
    assert family().width("Łódź 12.50", REGULAR, 10) == pytest.approx(2 * family().width("Łódź 12.50", REGULAR, 5))
    assert family().width("W", BOLD, 10) > family().width("i", BOLD, 10) > 0


def reopened(shown: list[tuple[str, object]]) -> list[Any]:
    """The values of a row of cells, as another reader finds them."""
    target = io.BytesIO()
    book = xlsxwriter.Workbook(target, {"in_memory": True})
    dates: Any = book.add_format({"num_format": "yyyy-mm-dd hh:mm"})
    styles = [dates._get_xf_index() if isinstance(value, dt.date) else 0 for _, value in shown]
    sheet: Any = book.add_worksheet("Report", RowsSheet)
    cells = [
        (at, CellWriter(style, "Remark")(pair)) for at, (pair, style) in enumerate(zip(shown, styles, strict=True))
    ]
    sheet.put_row(0, addressed(0, cells), len(cells))
    book.close()
    active = openpyxl.load_workbook(target).active
    assert active is not None
    return [cell.value for cell in active[1]]


@pytest.mark.parametrize(
    ("text", "value", "found"),
    [
        ("", None, None),
        ("=1+1", "=1+1", "=1+1"),
        ("<r><t>x</t></r>", "<r><t>x</t></r>", "<r><t>x</t></r>"),
        ("  a & b  ", "  a & b  ", "  a & b  "),
        ("a\nb", "a\nb", "a\nb"),
        ("12.50", Decimal("12.50"), 12.5),
        ("1234567890123456.78", Decimal("1234567890123456.78"), "1234567890123456.78"),
        ("31 Dec 1899", dt.date(1899, 12, 31), "31 Dec 1899"),
        ("28 Feb", dt.date(1900, 2, 28), dt.datetime(1900, 2, 28)),
        ("1 Mar", dt.date(1900, 3, 1), dt.datetime(1900, 3, 1)),
        ("9:30", dt.datetime(2026, 10, 31, 9, 30), dt.datetime(2026, 10, 31, 9, 30)),
        ("yes", True, "yes"),
    ],
)
def test_a_cell_holds_what_it_was_given(text: str, value: object, found: object) -> None:
    assert reopened([(text, value), ("end", "end")]) == [found, "end"]


@given(st.text(max_size=60))
def test_any_text_is_a_text_in_a_workbook(text: str) -> None:
    text = text.encode("utf-8", "ignore").decode()  # lone surrogates are no text
    (found, _) = reopened([("x" + text, "x" + text), ("end", "end")])
    assert re.sub("_x([0-9A-F]{4})_", lambda spelt: chr(int(spelt[1], 16)), str(found)) == "x" + text


def test_what_does_not_fit_a_workbook_is_refused() -> None:
    with pytest.raises(DataError, match="a text under 'Remark' has 32,768 characters"):
        text_cell("x" * (LONGEST + 1), 0, "Remark")
    with pytest.raises(DataError, match="1,048,576 rows at most"):
        RowsSheet().put_row(ROWS, "", 1)
