"""Sheets of workbooks as pages: all that is seen of them can be read there, and what is hidden cannot."""

from __future__ import annotations

import tempfile
from pathlib import Path

import pypdfium2
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st

from gonnet.arrivals.workbooks.cutting import sheets_of
from gonnet.arrivals.workbooks.grid import grid_of
from gonnet.arrivals.workbooks.looks import looks_of
from gonnet.arrivals.workbooks.reading import read_workbook
from gonnet.jobs.arrivals import WorkbookRun
from gonnet.jobs.style import Style
from gonnet.reports import GridPainter, Look
from gonnet.wording.formats import House

SHEETS = WorkbookRun.model_validate({"workbook": "x", "key": {"sheet": "^.+$"}, "again": "together"})


def drawn(path: Path) -> list[str]:
    """What the pages of the first sheet say."""
    book = read_workbook("x", SHEETS, path).book
    assert book is not None
    grids = [
        grid_of(sheet.name, sheet.data, sheet.names) for sheet in sheets_of(book, {name: () for name in book.sheets})
    ]
    look = Look(style=Style(organisation="Tarnvale"), house=House(locale="en_IE"))
    looks = looks_of(book.styles, book.theme)
    data, count = GridPainter(look, looks, book.strings.signs(), since_1904=False).draw(grids, "x")
    assert GridPainter(look, looks, book.strings.signs(), since_1904=False).draw(grids, "x")[0] == data
    pages = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(data)]
    assert len(pages) == count
    return pages


def test_rows_go_on_below_their_headings_and_what_is_hidden_is_not_there(tmp_path: Path) -> None:
    with xlsxwriter.Workbook(str(tmp_path / "x.xlsx")) as book:
        sheet, wrapped = book.add_worksheet("One"), book.add_format({"text_wrap": True, "italic": True, "bold": True})
        sheet.write_row(0, 0, ("Day", "Remark", "Secret", "Fee"))
        for at in range(1, 120):
            sheet.write_row(at, 0, (f"day {at}", "some words that are wrapped", "Hallbank", at / 4))
            sheet.write_string(at, 1, f"some words {at} that wrap", wrapped)
        sheet.set_row(7, None, None, {"hidden": True})
        sheet.set_column(2, 2, None, None, {"hidden": True})
        sheet.repeat_rows(0)
        sheet.set_h_pagebreaks([10])
        sheet.set_header("&LAll visits&R&P of &N")
    pages = drawn(tmp_path / "x.xlsx")
    assert all("Remark" in page and "All visits" in page for page in pages)
    assert f"1 of {len(pages)}" in pages[0]
    whole = " ".join(pages)
    assert [f"day {at}\r\n" in whole or f"day {at} " in whole for at in (6, 7, 8, 119)] == [True, False, True, True]
    assert "day 9" in pages[0]
    assert "day 10" not in pages[0]
    assert "Secret" not in whole
    assert "Hallbank" not in whole


TEXTS = st.text(st.sampled_from("abcé &<'1Z"), min_size=1, max_size=30).filter(lambda text: text.strip())
ROWS = st.lists(st.lists(st.one_of(TEXTS, st.integers(0, 99_999)), min_size=1, max_size=6), min_size=1, max_size=9)


@settings(max_examples=60)
@given(ROWS, st.booleans())
def test_all_that_cells_say_can_be_read(rows: list[list[str | int]], is_wrapped: bool) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "x.xlsx")
        with xlsxwriter.Workbook(str(path)) as book:
            sheet, form = book.add_worksheet("One"), book.add_format({"text_wrap": is_wrapped, "border": 1})
            sheet.set_column(0, 6, 24)
            for at, row in enumerate(rows):
                for column, value in enumerate(row):
                    if isinstance(value, int):
                        sheet.write_number(at, column, value, form)
                    else:
                        sheet.write_string(at, column, value, form)
        seen = "".join("".join(drawn(path)).split())
    for value in (value for row in rows for value in row):
        assert "".join(str(value).split()) in seen
