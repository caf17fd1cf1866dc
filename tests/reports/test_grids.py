"""Sheets of workbooks as pages: all that is seen of them can be read there, and what is hidden cannot."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path

import outloud
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
from gonnet.reports import GridPainter, Look, TypedPainter
from gonnet.wording.formats import House
from opened import unpacked
from read_aloud import archived, claims, heard

SHEETS = WorkbookRun.model_validate({"workbook": "x", "key": {"sheet": "^.+$"}, "again": "together"})


def drawn(path: Path) -> list[str]:
    """What the pages of the first sheet say."""
    data, count = as_pdf(path)
    assert as_pdf(path)[0] == data
    pages = [page.get_textpage().get_text_range() for page in pypdfium2.PdfDocument(data)]
    assert len(pages) == count
    return pages


def as_pdf(path: Path) -> tuple[bytes, int]:
    book = read_workbook("x", SHEETS, path).book
    assert book is not None
    grids = [
        grid_of(sheet.name, sheet.data, sheet.names) for sheet in sheets_of(book, {name: () for name in book.sheets})
    ]
    look = Look(style=Style(organisation="Tarnvale"), house=House(locale="en_IE"))
    looks = looks_of(book.styles, book.theme)
    return GridPainter(look, looks, book.strings.signs(), since_1904=False).draw(grids, "x")


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


def test_it_is_a_table_for_who_hears_it_with_every_cell_in_its_column(tmp_path: Path) -> None:
    path = tmp_path / "x.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet("One")
        sheet.merge_range("A1:D1", "All visits")
        sheet.write_row(1, 0, ("Day", "Farm", "Secret", "Fee"))
        for at in range(2, 90):
            sheet.write_row(at, 0, (f"day {at}", "" if at == 5 else f"farm {at}", "Hallbank", at / 4))
        sheet.merge_range("A11:A12", "two days")
        sheet.set_column(2, 2, None, None, {"hidden": True})
        sheet.repeat_rows(0, 1)
        sheet.set_header("&LAll of them&R&P")
    data, pages = as_pdf(path)
    assert pages > 1
    (table,) = (tree := heard(data)).kids
    rows = [[cell.said() for cell in row] for row in table.rows()]
    assert rows[:2] == [["All visits"] * 3, ["Day", "Farm", "Fee"]]
    assert [(cell.kind, cell.scope) for cell in table.rows()[1]] == [("TH", "Column")] * 3
    assert (rows[5], rows[10], rows[11], len(rows)) == (
        ["day 5", "", "1.25"], ["two days", "farm 10", "2.5"], ["farm 11", "2.75"], 90,
    )  # fmt: skip
    assert "All of them" not in tree.said()
    assert (claims(data), archived(data)) == (["A-2B"], [])
    (tmp_path / "x.pdf").write_bytes(data)
    assert {
        found.rule for found in outloud.check(str(tmp_path / "x.pdf")).findings if found.severity == "error"
    } <= NOT_SAID


NOT_SAID = {"DOC-012"}
"""It does not say that it conforms to PDF/UA-1."""


def test_a_print_file_is_heard_paragraph_by_paragraph(tmp_path: Path) -> None:
    page = [["Statement", "Statement"], ["of Laka", "__"], [""], ["litres   830"], ["", "over it"]]
    look = Look(style=Style(organisation="Tarnvale"), house=House(locale="pl_PL"))
    painter = TypedPainter(20, 60, "A4", f"end{page}")
    data = painter.draw([page, [["end"]]], "x", look)
    assert [kid.said() for kid in heard(data).kids] == ["Statement of Laka", "litres 830 over it", "end"]
    assert (claims(data), archived(data)) == (["A-2B"], [])
    assert claims(painter.draw([page], "x", look, is_locked=True)) == []
    assert b"StructTreeRoot" not in unpacked(painter.draw([page], "x", replace(look, style=Style(pdf="plain"))))


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
