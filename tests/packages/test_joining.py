"""Several reports as one PDF or one workbook: in order, with a cover, contents, bookmarks and page numbers that run on."""

from __future__ import annotations

import io
from decimal import Decimal
from typing import Any

import openpyxl
import pypdfium2
import pytest

from gonnet.errors import JobError
from opened import many_rows, pdf_pages
from support import Dairy

DOCUMENTS = "documents: [{report: statement, as: pdf}, {report: statement, as: xlsx}]"
REPORTS = """\
  front: {title: "Pack of {{ recipient.farm_name }}", sheet: Front, blocks: [{text: Everything of October.}]}
  days:
    title: Days
    landscape: true
    blocks:
      - heading: By day
      - table: {columns: [{field: day, format: d MMM}, {field: litres, format: "#,##0", total: sum}]}
package:
"""
ALL = "documents: [{report: statement, as: pdf}, {report: days, as: pdf}, {report: statement, as: xlsx}, {report: days, as: xlsx}]"


def made(dairy: Dairy, join: str, documents: str = ALL, key: str = "117") -> tuple[Any, dict[str, bytes]]:
    change = (DOCUMENTS, f"join: {join}\n  {documents}")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, ("package:\n", REPORTS), change)
        package = dairy.by_key(tools, run)[key]
        return package, {document.name: tools.store.get(document.sha256) for document in package.documents}


def test_pdfs_become_one_with_cover_contents_bookmarks_and_running_numbers(dairy: Dairy) -> None:
    many_rows(dairy, 90)
    package, files = made(dairy, "{cover: front, contents: true}")
    assert (str(package.state), list(files)) == ("ready", ["117 statement.pdf", "117 statement.xlsx"])
    assert package.documents[0].report == "front + statement + days"
    pages = pdf_pages(files["117 statement.pdf"])
    count = len(pages)
    assert package.documents[0].pages == count > 5
    assert "page" not in pages[0]
    assert "Tarnvale Dairy Cooperative" not in pages[0]
    assert [f"page {number} of {count}" in pages[number - 1] for number in range(2, count + 1)] == [True] * (count - 1)
    days = next(at for at, text in enumerate(pages) if at > 1 and "By day" in text)
    assert pages[1].splitlines()[-3:] == ["Contents", "Statement of Łąka Górna 3", f"Days {days + 1}"]
    document = pypdfium2.PdfDocument(files["117 statement.pdf"])
    entries = [(part.level, part.get_title(), part.get_dest().get_index()) for part in document.get_toc()]
    assert entries == [(0, "Statement of Łąka Górna", 2), (0, "Days", days), (1, "By day", days)]
    sizes = [document[at].get_size() for at in (0, days)]
    assert sizes[0] == sizes[1][::-1]


def test_workbooks_become_one_with_a_sheet_each(dairy: Dairy) -> None:
    _, files = made(dairy, "{as: xlsx}")
    assert list(files) == ["117 statement statement.pdf", "117 statement days.pdf", "117 statement.xlsx"]
    book = openpyxl.load_workbook(io.BytesIO(files["117 statement.xlsx"]))
    assert book.sheetnames == ["Report", "Report (2)"]
    sums = [Decimal(str(row[1].value)) for sheet in book for row in sheet.iter_rows() if row[0].value == "Total"]
    assert sums == [1590, 1590]


@pytest.mark.parametrize(("join", "names"), [("{}", ["117 statement.pdf", "117 statement.xlsx"]), ("{as: pdf}", [
    "117 statement.pdf", "117 statement statement.xlsx", "117 statement days.xlsx"])])  # fmt: skip
def test_what_is_joined_is_the_same_every_time(dairy: Dairy, join: str, names: list[str]) -> None:
    first, second = made(dairy, join), made(dairy, join)
    assert list(first[1]) == names
    assert first[1] == second[1]


def test_a_single_document_is_joined_with_nothing(dairy: Dairy) -> None:
    _, files = made(dairy, "{contents: true}", DOCUMENTS)
    assert list(files) == ["117 statement.pdf", "117 statement.xlsx"]
    assert len(pdf_pages(files["117 statement.pdf"])) == 1


def test_a_leak_in_any_part_holds_the_whole(dairy: Dairy) -> None:
    milk = (dairy.folder / "milk.csv").read_text("utf-8")
    dairy.write("milk.csv", milk.replace("117,2026-10-02,790,388.11,", "117,2026-10-02,790,388.11,shared with 00042"))
    package, _ = made(dairy, "{contents: true}")
    assert str(package.state) == "held"
    assert "00042" in package.reason


def test_a_password_on_one_part_protects_the_whole(dairy: Dairy) -> None:
    secret = ALL.replace(
        "{report: days, as: pdf}", '{report: days, as: pdf, password: {open: "{{ recipient.farm_no }}"}}'
    )
    _, files = made(dairy, "{as: pdf}", secret)
    with pytest.raises(pypdfium2.PdfiumError):
        pypdfium2.PdfDocument(files["117 statement.pdf"])
    assert len(pypdfium2.PdfDocument(files["117 statement.pdf"], password="117")) == 2


@pytest.mark.parametrize(
    ("join", "says"),
    [("{cover: frnt}", "there is no report 'frnt'. Did you mean 'front'?"), ("{as: html}", "'html' is not a value")],
)
def test_a_join_that_cannot_be_is_told(dairy: Dairy, join: str, says: str) -> None:
    with dairy.tools() as tools, pytest.raises(JobError) as caught:
        dairy.prepared(tools, ("package:\n", REPORTS), (DOCUMENTS, f"join: {join}\n  {ALL}"))
    assert any(says in str(mistake) for mistake in caught.value.mistakes), caught.value.mistakes
