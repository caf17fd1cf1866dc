"""Finished documents, opened by another reader than the one that wrote them."""

from __future__ import annotations

import datetime as dt
import hashlib
import io
import os
import re
import shutil
import subprocess
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import openpyxl
import pytest

from gonnet.reports import UnprintableError, draw
from opened import HEAD, laid, many_rows, pdf_pages, sheet
from support import Dairy

if TYPE_CHECKING:
    from pathlib import Path


def test_a_pdf_shows_what_the_slice_holds(dairy: Dairy) -> None:
    layout, look = laid(dairy)
    (page,) = pdf_pages(draw(layout, "pdf", look).data)
    text = " ".join(page.split())
    assert "Statement of Łąka Górna" in text
    assert "Farm number 117 Payable €780.51" in text
    assert "1 Oct 800 392.40 =1+1 2 Oct 790 388.11 Total 1,590 780.51" in text
    assert "page 1 of 1" in text


def test_a_long_table_repeats_its_heading_and_counts_its_pages(dairy: Dairy) -> None:
    many_rows(dairy, 150)
    layout, look = laid(dairy)
    drawn = draw(layout, "pdf", look)
    pages = pdf_pages(drawn.data)
    assert drawn.pages == len(pages) > 2
    for number, page in enumerate(pages, 1):
        assert f"page {number} of {len(pages)}" in page
        assert "Litres" in page
    amounts = re.findall(r"\d+\.25", "".join(pages))
    assert len(amounts) == 150
    assert f"{sum(range(1, 151)):,}" in pages[-1]


@pytest.mark.parametrize("landscape", [False, True])
@pytest.mark.parametrize("remark", ["lorem " * 60, "x" * 900, "one\ntwo", "word " * 600, "word " * 3000])
def test_a_long_text_wraps_and_nothing_is_cut_off(dairy: Dairy, remark: str, landscape: bool) -> None:
    dairy.write("milk.csv", HEAD + f'117,2026-10-01,5,1.00,"{remark.strip()}"\n117,2026-10-02,6,2.00,\n')
    turned = ("    blocks:", f"    landscape: {str(landscape).lower()}\n    blocks:")
    longer = ('"{{ key }}", Payable', '"' + remark.replace("\n", " ").strip() + '", Payable')
    layout, look = laid(dairy, "117", turned, longer)
    text = "".join("".join(pdf_pages(draw(layout, "pdf", look).data)).split())
    for word in ("lorem", "x", "word"):
        if remark.startswith(word):
            assert text.count(word) >= 2 * remark.count(word)
    assert "3.00" in text


def test_scripts_of_the_font_print_and_others_are_refused_by_name(dairy: Dairy) -> None:
    dairy.write("milk.csv", HEAD + "117,2026-10-01,5,1.00,Łódź Zoë Ωmega Молоко Größe\n")
    layout, look = laid(dairy)
    assert "Łódź Zoë Ωmega Молоко Größe" in pdf_pages(draw(layout, "pdf", look).data)[0]
    dairy.write("milk.csv", HEAD + "117,2026-10-01,5,1.00,牛乳\n")
    layout, look = laid(dairy)
    with pytest.raises(UnprintableError, match=r"in column 'Remark', '乳' \(U\+4E73, .*\) cannot be printed: the font"):
        draw(layout, "pdf", look)


@pytest.mark.parametrize(("text", "sign"), [("חלב", "hebrew letter"), ("حليب", "arabic letter"), ("दूध", "devanagari")])
def test_a_script_that_must_be_shaped_is_refused_by_name_and_told_by_check(dairy: Dairy, text: str, sign: str) -> None:
    dairy.write("milk.csv", HEAD + f"117,2026-10-01,5,1.00,{text}\n")
    layout, look = laid(dairy)
    with pytest.raises(UnprintableError, match=f"in column 'Remark', .*{sign}.* must be shaped or runs from right"):
        draw(layout, "pdf", look)
    assert text in draw(layout, "html", look).data.decode()
    said = dairy.gonnet("check", "statements", code=3).stdout
    assert sign in said
    assert "a PDF with it is held" in said


def test_markup_in_a_value_is_text(dairy: Dairy) -> None:
    layout, look = laid(
        dairy, "117", ('text: "Collected in October."', 'text: "<b>bold</b> & {{ recipient.farm_name }}"')
    )
    assert "<b>bold</b> & Łąka Górna" in pdf_pages(draw(layout, "pdf", look).data)[0]


def test_a_workbook_holds_real_numbers_and_dates_and_text_that_stays_text(dairy: Dairy) -> None:
    dairy.write("milk.csv", HEAD + "117,2026-10-01,800,392.40,=1+1\n117,2026-10-02,790,388.11,@cmd\n")
    layout, look = laid(dairy)
    data = draw(layout, "xlsx", look).data
    rows = sheet(data)
    head = next(n for n, row in enumerate(rows) if row[0] == "Day")
    assert rows[0][0] == "Statement of Łąka Górna"
    assert rows[head + 1 :] == [
        [dt.datetime(2026, 10, 1), 800, 392.4, "=1+1"],
        [dt.datetime(2026, 10, 2), 790, 388.11, "@cmd"],
        ["Total", 1590, 780.51, None],
    ]
    book = openpyxl.load_workbook(io.BytesIO(data))
    active = book.active
    assert active is not None
    assert active.freeze_panes == f"A{head + 2}"
    assert active.cell(head + 2, 4).data_type == "s"
    assert active.cell(head + 2, 3).number_format == "#,##0.00"
    assert active.cell(head + 2, 1).number_format == "[$-1809]d mmm"
    assert active.print_title_rows == f"${head + 1}:${head + 1}"


def test_one_rounding_rule_for_every_output(dairy: Dairy) -> None:
    dairy.write("milk.csv", HEAD + "117,2026-10-01,1,2.675,\n117,2026-10-02,1,0.125,\n117,2026-10-03,1,-2.675,\n")
    layout, look = laid(dairy, "117", ('Payable: "{{ figures.payable | money }}"', 'Payable: "{{ 2.675 | money }}"'))
    text = pdf_pages(draw(layout, "pdf", look).data)[0]
    assert "€2.68" in text
    assert all(amount in text for amount in ("2.68", "0.13", "-2.68"))
    values = [row[2] for row in sheet(draw(layout, "xlsx", look).data) if isinstance(row[0], dt.datetime)]
    assert values == [2.68, 0.13, -2.68]


def test_totals_are_exact_and_average_and_count_are_what_they_say(dairy: Dairy) -> None:
    layout, _ = laid(
        dairy,
        "117",
        ('{field: litres, format: "#,##0", total: sum}', '{field: litres, format: "0.0", total: average}'),
        ("{field: remark}", "{field: remark, total: count}"),
    )
    (table,) = layout.tables()
    assert table.totals[0].texts == ("Total", "795.0", "780.51", "1")
    assert table.exact == {'"amount"': Decimal("780.51")}


def test_a_table_too_wide_for_the_page_gets_smaller_but_loses_nothing(dairy: Dairy) -> None:
    columns = "".join(f"            - {{field: amount, label: Amount number {n}}}\n" for n in range(16))
    layout, look = laid(dairy, "117", ("            - {field: remark}\n", columns))
    (page,) = pdf_pages(draw(layout, "pdf", look).data)
    assert "".join(page.split()).count("392.40") == 17


@pytest.mark.parametrize("form", ["pdf", "xlsx"])
def test_the_same_layout_gives_the_same_bytes(dairy: Dairy, form: Any) -> None:  # noqa: ANN401
    layout, look = laid(dairy)
    digests = {hashlib.sha256(draw(layout, form, look).data).hexdigest() for _ in range(2)}
    assert len(digests) == 1


@pytest.mark.skipif(shutil.which("qpdf") is None and "CI" not in os.environ, reason="qpdf is not installed")
def test_a_second_reader_finds_nothing_wrong_with_a_pdf(dairy: Dairy, tmp_path: Path) -> None:
    many_rows(dairy, 90, "a remark that is long enough to wrap in its narrow cell of the table")
    layout, look = laid(dairy)
    (tmp_path / "a.pdf").write_bytes(draw(layout, "pdf", look).data)
    found = subprocess.run(["qpdf", "--check", "a.pdf"], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert found.returncode == 0, found.stdout
