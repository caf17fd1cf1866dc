"""Whatever stands in the data: a document that opens and says it, or an error that names the place."""

from __future__ import annotations

import contextlib
import csv
import io
from decimal import Decimal
from typing import Any

import openpyxl
import pypdfium2
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from gonnet.errors import DataError, GonnetError
from gonnet.jobs.values import CsvForm
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.survey import Request
from gonnet.reports import Painter, UnprintableError, draw
from gonnet.reports.csv_rows import draw_csv
from made import LOOK, document
from opened import HEAD, laid, pdf_pages, sheet
from support import AS_OF, Dairy

VALUES = {
    "a formula": ('=HYPERLINK("http://evil.example")', "remark"),
    "a name of 10,000 characters": ("Łąka " * 2000, "remark"),
    "zero width": ("a\u200b\u200db", "remark"),
    "bidi overrides": ("abc\u202edef", "remark"),
    "nothing": ("", "remark"),
    "nothing where a number is": ("", "amount"),
    "a huge number": ("123456789012345678901234567.89", "amount"),
    "a tiny number": ("0.000000000000001", "amount"),
    "a day before 1900": ("1899-12-30", "day"),
    "the last day": ("9999-12-31", "day"),
    "a huge whole number": ("99999999999999999", "litres"),
}


@pytest.mark.parametrize("name", VALUES)
def test_a_hostile_value_makes_a_document_that_opens_in_every_format(dairy: Dairy, name: str) -> None:
    value, field = VALUES[name]
    row = {"farm_no": "117", "day": "2026-10-01", "litres": "5", "amount": "1.00", "remark": "plain"} | {field: value}
    target = io.StringIO()
    csv.writer(target, lineterminator="\n").writerow(row.values())
    dairy.write("milk.csv", HEAD + target.getvalue() + "117,2026-10-02,6,2.00,other\n")
    layout, look = laid(dairy)
    assert len(pdf_pages(draw(layout, "pdf", look).data)) >= 1
    rows = sheet(draw(layout, "xlsx", look).data)
    assert any("other" in map(str, row) for row in rows)
    assert b"other" in draw(layout, "html", look).data
    lines = list(csv.reader(io.StringIO(draw_csv(layout, CsvForm(delimiter=";", decimal=",")).decode("utf-8-sig"))))
    assert len(lines) == 3


@pytest.mark.parametrize("value", ["NaN", "Infinity", "-Infinity"])
def test_what_is_no_amount_is_refused_with_its_row(dairy: Dairy, value: str) -> None:
    dairy.write("milk.csv", HEAD + f"117,2026-10-01,5,{value},x\n117,2026-10-02,6,2.00,y\n")
    with pytest.raises(GonnetError, match=r"figure 'payable' does not run: .*sum\(VARCHAR\)"):
        laid(dairy)
    fixed = ("milk: {file: milk.csv}", 'milk: {file: milk.csv, types: {amount: "decimal(9,2)"}}')
    with pytest.raises(GonnetError, match=rf"column 'amount' .* does not fit decimal\(9,2\) \(row 1: '{value}'\)"):
        laid(dairy, "117", fixed)


def test_a_float_that_is_no_amount_is_refused_with_its_row_and_column(dairy: Dairy) -> None:
    sql = "select *, case when day = '2026-10-02' then 'nan'::double else 1.5::double end as rate from raw"
    change = (
        ("milk: {file: milk.csv}", f'raw: {{file: milk.csv}}\n  milk: {{sql: "{sql}"}}'),
        ("{field: remark}", "{field: rate}"),
    )
    with pytest.raises(DataError, match="row 2 of data set 'milk' has nan in column 'rate', which is no amount"):
        laid(dairy, "117", *change)


@pytest.mark.parametrize("heading", ["Wort " * 800, "W" * 4000])
def test_a_heading_may_be_longer_than_a_page(dairy: Dairy, heading: str) -> None:
    job = dairy.job(("      - text:", f"      - heading: {heading}\n      - text:"))
    with dairy.tools() as tools:
        run = prepare(job, tools, Request(as_of=AS_OF, asked={}, only=("117",)))
        (package,) = tools.ledger.packages(run.id)
        data = tools.store.get(package.documents[0].sha256)
    text = "".join(page.get_textpage().get_text_bounded() for page in pypdfium2.PdfDocument(data))
    assert text.count("W") >= heading.count("W"), "none of it is lost"


texts = st.text(st.characters(exclude_categories=["Cs"]), max_size=30)
numbers = st.decimals(-(10**15), 10**15, places=2)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.tuples(texts, numbers), min_size=1, max_size=6))
@example([("0" * 20 + "𐀀" * 6, Decimal(1))])  # the name of the sheet: 31 characters in UTF-16
@example([("\0", Decimal(1))])  # the font has a glyph for it
@example([("\ufffe", Decimal(1))])  # and none that XML does not have
def test_any_words_in_every_place_make_documents_that_open(rows: list[tuple[str, Decimal]]) -> None:
    layout = document([word for word, _ in rows], [amount for _, amount in rows])
    painter = Painter(LOOK)
    with contextlib.suppress(UnprintableError):
        assert len(pypdfium2.PdfDocument(painter.draw(layout, "pdf").data)) >= 1
    book: Any = openpyxl.load_workbook(io.BytesIO(painter.draw(layout, "xlsx").data))
    amounts = [cell.value for row in book.active.iter_rows() for cell in row if isinstance(cell.value, (int, float))]
    assert amounts.count(float(rows[0][1])) >= 2 or abs(rows[0][1]) >= 10**13
    page = painter.draw(layout, "html").data.decode()
    assert page.count("<table>") == page.count("</table>") == 1
    assert "<script" not in page
