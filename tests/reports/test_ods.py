"""Reports as OpenDocument spreadsheets: another program finds the same values, as numbers and dates."""

from __future__ import annotations

import io
import shutil
import zipfile
from decimal import Decimal
from pathlib import Path

import openpyxl
import pytest
from babel.dates import format_date
from babel.numbers import format_decimal
from hypothesis import given
from hypothesis import strategies as st

from gonnet.errors import JobError
from gonnet.reports import draw
from gonnet.reports.ods_formats import date_style, number_style
from opened import laid, many_rows, saved_again
from support import AS_OF, Dairy

TEXT_BLOCK = '      - text: "Collected in October."\n'
BLOCKS = """\
      - heading: Your milk
      - chart: {kind: bars, over: day, series: {value: litres}, title: By day, alt: Litres of each day}
      - table:
          title: Every collection
          group: [{by: remark}]
          columns: [{field: day}, {field: litres, total: sum}, {field: amount, total: sum}, {field: remark, link: "https://tarnvale.example/{{ row.litres }}"}]
"""
AS_ODS = ("[{report: statement, as: pdf}, {report: statement, as: xlsx}]", "[{report: statement, as: ods}]")


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
def test_another_program_finds_the_same_as_in_the_workbook(dairy: Dairy, tmp_path: Path) -> None:
    many_rows(dairy, 60, "<&>  =1+1")
    layout, look = laid(dairy, "117", (TEXT_BLOCK, BLOCKS))
    (tmp_path / "made.ods").write_bytes(draw(layout, "ods", look).data)
    theirs = openpyxl.load_workbook(saved_again(tmp_path / "made.ods", "xlsx")).worksheets[0]
    ours = openpyxl.load_workbook(io.BytesIO(draw(layout, "xlsx", look).data)).worksheets[0]

    def rows(sheet: object) -> list[list[object]]:
        found = ([cell.value for cell in row if cell.value is not None] for row in sheet.iter_rows())  # type: ignore[attr-defined]
        return [row for row in found if row]

    assert rows(theirs) == rows(ours)
    formats = {
        cell.number_format
        for row in theirs.iter_rows()
        for cell in row
        if cell.value == Decimal("780.51") or cell.value == 1.25
    }
    assert formats == {"#,##0.00"}
    links = [cell.hyperlink.target for row in theirs.iter_rows() for cell in row if cell.hyperlink]
    assert links[0] == "https://tarnvale.example/1"


def test_the_same_layout_is_the_same_bytes_which_begin_with_what_they_are(dairy: Dairy) -> None:
    layout, look = laid(dairy, "117", (TEXT_BLOCK, BLOCKS))
    made = draw(layout, "ods", look).data
    assert draw(layout, "ods", look).data == made
    assert made[30:84] == b"mimetypeapplication/vnd.oasis.opendocument.spreadsheet"
    with zipfile.ZipFile(io.BytesIO(made)) as parts:
        content, meta = parts.read("content.xml").decode(), parts.read("meta.xml").decode()
    assert "<svg:desc>Litres of each day. Litres: 1 Oct 2026 800" in content
    assert content.count("<table:table-header-rows>") == 2
    assert "<dc:title>Statement of Łąka Górna</dc:title>" in meta
    assert "en-IE" in meta


def test_it_is_searched_like_any_document(dairy: Dairy) -> None:
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, AS_ODS, (TEXT_BLOCK, BLOCKS)))
        assert {key: found[key].reason for key in ("00042", "117")} == {"00042": "", "117": ""}
        (made,) = found["117"].documents
        assert (made.name, made.format, made.rows) == ("117 statement.ods", "ods", 2)
    dairy.write("milk.csv", (dairy.folder / "milk.csv").read_text().replace("=1+1", "ask Zoë's Dairy"))
    with dairy.tools() as tools:
        held = dairy.by_key(tools, dairy.prepared(tools, AS_ODS, (TEXT_BLOCK, BLOCKS)))["117"]
    assert "'Zoë's Dairy'" in held.reason
    assert "in the ods" in held.reason


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
@pytest.mark.parametrize("locale", ["en_IE", "de_DE"])
def test_formats_show_what_patterns_say(locale: str, tmp_path: Path) -> None:
    numbers = ["#,##0.00", "0", "#,##0", "0.0%", "'no. '000", "#,##0.00 'EUR'", "0.##"]
    dates = ["d MMM y", "dd.MM.yyyy", "EEEE d MMMM yy", "MMM ''yy", "y-MM-dd"]
    from odfdo import Document, Element

    document = Document("spreadsheet")
    document.body.clear()
    cells = []
    for at, pattern in enumerate(numbers + dates):
        is_number = at < len(numbers)
        style = (
            number_style(f"p{at}", pattern) if is_number else date_style(f"p{at}", pattern, locale.replace("_", "-"))
        )
        of = f'<style:style style:name="c{at}" style:family="table-cell" style:data-style-name="p{at}"/>'
        document.content.get_element("//office:automatic-styles").append(Element.from_tag(style))  # type: ignore[union-attr]
        document.content.get_element("//office:automatic-styles").append(Element.from_tag(of))  # type: ignore[union-attr]
        value = (
            'office:value-type="float" office:value="1234.56"'
            if is_number
            else f'office:value-type="date" office:date-value="{AS_OF}"'
        )
        cells.append(f'<table:table-row><table:table-cell table:style-name="c{at}" {value}/></table:table-row>')
    document.body.append(Element.from_tag(f'<table:table table:name="t">{"".join(cells)}</table:table>'))
    document.set_language(locale.replace("_", "-"))
    document.save(tmp_path / "made.ods")
    shown = (
        saved_again(tmp_path / "made.ods", "csv:Text - txt - csv (StarCalc):9,34,76,1,,0,false,true")
        .read_text("utf-8-sig")
        .splitlines()
    )
    for pattern, text in zip(numbers + dates, shown, strict=True):
        if pattern in numbers:
            assert text.replace(",", "") == format_decimal(Decimal("1234.56"), pattern, locale="en_IE").replace(
                ",", ""
            ), pattern
        else:
            said = format_date(AS_OF, pattern, locale=locale)  # who abbreviates "Nov." writes "Nov"
            assert text.strip('"').replace(".", "") == said.replace(".", ""), pattern


@given(st.text(st.sampled_from("#0,.'% EURyMdHm;¤<&\"")))
def test_no_pattern_makes_broken_xml(pattern: str) -> None:
    from xml.etree import ElementTree as ET

    names = 'xmlns:number="n" xmlns:style="s"'
    for style in (number_style("N", pattern), date_style("N", pattern, "en-IE")):
        if style:
            ET.fromstring(style.replace(" ", f" {names} ", 1))


def test_without_its_library_the_line_that_installs_it_is_told(dairy: Dairy, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("gonnet.jobs.consistency.find_spec", lambda name: None if name == "odfdo" else name)
    with pytest.raises(JobError, match="`as: ods` is not installed") as said:
        laid(dairy, "117", AS_ODS)
    assert "pip install 'gonnet[ods]'" in said.value.fix
