"""Workbooks of a user's own, filled in: formats, formulas, conditions and charts follow the rows."""

from __future__ import annotations

import datetime as dt
import io
import shutil
import subprocess
from dataclasses import replace
from decimal import Decimal
from typing import Any

import openpyxl
import pytest
from openpyxl.comments import Comment

from gonnet.errors import JobError
from gonnet.reports import draw
from gonnet.reports.workbook.growing import grown
from made import FORM, FORM_CHANGE, form
from opened import laid, many_rows
from support import RULES, Dairy


def filled(dairy: Dairy, *changes: tuple[str, str]) -> tuple[bytes, Any]:
    layout, look = laid(dairy, "117", FORM_CHANGE, *changes)
    data = draw(layout, "xlsx", look).data
    assert draw(layout, "xlsx", look).data == data
    return data, openpyxl.load_workbook(io.BytesIO(data))


def test_cells_are_filled_and_everything_follows_the_rows(dairy: Dairy) -> None:
    form(dairy.folder)
    many_rows(dairy, 40, "=1+1")
    _, book = filled(dairy)
    sheet = book["Milk 2026"]
    assert (sheet["B3"].value, sheet["B4"].value, sheet["B5"].value) == ("Łąka Górna", 830, "€830.00")
    assert sheet["B4"].number_format == '0.00 "€"'
    rows = [[cell.value for cell in line] for line in sheet["A7:E46"]]
    assert rows[0] == [dt.datetime(2026, 10, 2), 1, 1.25, "=C7/B7", "=1+1"]
    assert [row[3] for row in rows] == [f"=C{at}/B{at}" for at in range(7, 47)]
    assert sum(Decimal(str(row[2])) for row in rows) == 830
    assert (sheet["E46"].data_type, sheet["D46"].data_type) == ("s", "f")
    assert (sheet["A46"].number_format, sheet["B46"].font.italic, sheet.row_dimensions[46].height) == (
        "ddd d mmm",
        True,
        18,
    )
    assert [sheet[place].value for place in ("B47", "C47", "B49")] == [
        "=SUM(B7:B46)",
        "=SUM(C$7:C$46)",
        "=B47/COUNT(B7:B46)",
    ]
    assert [str(area) for area in sheet.merged_cells.ranges] == ["C49:D49"]
    assert (sheet["C49"].value, sheet.row_dimensions[49].height) == ("wide", 30)
    assert [str(area.sqref) for area in sheet.conditional_formatting] == ["B7:B46"]
    assert book["Sum"]["A1"].value == "=SUM('Milk 2026'!C7:C46)+'Milk 2026'!C47"
    assert book.defined_names["Mean"].attr_text == "'Milk 2026'!$B$49"
    (chart,) = sheet._charts
    assert (chart.series[0].val.numRef.f, chart.series[0].cat.numRef.f) == (
        "'Milk 2026'!$B$7:$B$46",
        "'Milk 2026'!$A$7:$A$46",
    )
    assert chart.anchor._from.row == 11 + 39


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
def test_values_of_a_form_lead_where_those_of_its_table_do(dairy: Dairy) -> None:
    form(dairy.folder)
    linked = "{field: remark, link: 'https://pool.tarnvale.example/{{ row.litres }}'}"
    layout, look = laid(dairy, "117", FORM_CHANGE, ("{field: remark}", linked))
    sheet: Any = openpyxl.load_workbook(io.BytesIO(draw(layout, "xlsx", look).data)).worksheets[0]
    found = [cell.hyperlink.target for row in sheet.iter_rows() for cell in row if cell.hyperlink]
    assert found == ["https://pool.tarnvale.example/800"]  # the other remark is empty


def test_another_program_computes_the_totals(dairy: Dairy) -> None:
    form(dairy.folder)
    many_rows(dairy, 40)
    dairy.write("filled.xlsx", filled(dairy)[0])
    place = f"-env:UserInstallation=file://{dairy.folder}/office"
    words = [
        "soffice",
        place,
        "--headless",
        "--convert-to",
        "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,2",
    ]
    subprocess.run([*words, "--outdir", str(dairy.folder), "filled.xlsx"], cwd=dairy.folder, check=True, timeout=120)
    assert next(dairy.folder.glob("filled*.csv")).read_text().strip() == "1660"


def test_no_rows_and_one_row(dairy: Dairy) -> None:
    form(dairy.folder)
    for count, cells in ((1, (1, "=SUM(B7:B7)")), (2, (1, "=SUM(B7:B8)"))):
        many_rows(dairy, count)
        sheet = filled(dairy)[1]["Milk 2026"]
        assert (sheet["B7"].value, sheet.cell(7 + count, 2).value) == cells
    layout, look = laid(dairy, "117", FORM_CHANGE)
    (table,) = layout.tables()
    none = replace(table, texts=((),) * 4, values=((),) * 4, rows=0)
    blocks = tuple(none if block is table else block for block in layout.blocks)
    empty = openpyxl.load_workbook(io.BytesIO(draw(replace(layout, blocks=blocks), "xlsx", look).data))["Milk 2026"]
    assert [cell.value for cell in empty[7]] == ["No rows.", None, None, "=C7/B7"]


@pytest.mark.parametrize("place", ["a hidden sheet", "a comment", "a cell"])
def test_what_was_left_in_a_form_of_somebody_else_holds_the_others(dairy: Dairy, place: str) -> None:
    form(dairy.folder)
    book = openpyxl.load_workbook(dairy.folder / "form.xlsx")
    sheet: Any = book.worksheets[0]
    match place:
        case "a hidden sheet":
            book.create_sheet("Old")["A1"] = "Hallbank"
            book["Old"].sheet_state = "veryHidden"
        case "a comment":
            sheet["A1"].comment = Comment("as Hallbank has it", "maren")
        case _:
            sheet["F20"] = "Hallbank"
    book.save(dairy.folder / "form.xlsx")
    with dairy.tools() as tools:
        found = dairy.by_key(
            tools, dairy.prepared(tools, FORM_CHANGE, ("{report: statement, as: pdf}, ", ""), (RULES, "  []\n"))
        )
    assert {key: str(package.state) for key, package in found.items() if package.rows} == {
        "00042": "held", "117": "held", "118": "ready",
    }  # fmt: skip
    assert "'Hallbank', the farm_name of 118, stands in" in found["117"].reason


def test_a_form_is_read_back_like_any_document(dairy: Dairy) -> None:
    form(dairy.folder, A1="Compare with 00042")
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, FORM_CHANGE))
    assert (str(found["117"].state), str(found["00042"].state)) == ("held", "ready")
    assert "in the xlsx" in found["117"].reason


@pytest.mark.parametrize(
    ("cells", "change", "says"),
    [
        ({"B7": "liters"}, ("", ""), "cell B7: the report's table has no column 'liters'"),
        ({}, ("Farm:", "Frm:"), "has no cell or row that is named 'Frm'"),
        ({}, ("rows: Lines", "rows: Line"), "has no cell or row that is named 'Line'"),
        ({}, ("form.xlsx", "nothing.xlsx"), "the form nothing.xlsx cannot be read"),
        ({}, ("form.xlsx", "milk.csv"), "milk.csv is not a workbook"),
        ({}, ("{{ figures.payable }}", "{{ figures.paid }}"), "'figures' has no field 'paid'"),
    ],
)
def test_a_form_that_does_not_fit_is_told(
    dairy: Dairy, cells: dict[str, str], change: tuple[str, str], says: str
) -> None:
    form(dairy.folder, **cells)
    with pytest.raises(JobError) as caught:
        laid(dairy, "117", ("    blocks:", FORM.replace(*change)))
    assert says in " ".join(str(mistake) for mistake in (caught.value, *caught.value.others))


@pytest.mark.parametrize(
    ("reference", "own", "after"),
    [
        ("B7", True, "B7"), ("B8", True, "B11"), ("B6", True, "B6"), ("$B$7:$B$7", True, "$B$7:$B$10"), ("A1:B7", True, "A1:B10"),
        ("A8:B9", True, "A11:B12"), ("A1:B6", True, "A1:B6"), ("Milk!B8", False, "Milk!B11"), ("Other!B8", True, "Other!B8"),
        ("B8", False, "B8"), ("'Milk'!B7:C9", False, "'Milk'!B7:C12"), ("B:B", True, "B:B"), ("Payable", True, "Payable"),
    ],
)  # fmt: skip
def test_a_reference_follows_a_row_that_became_four(reference: str, own: bool, after: str) -> None:
    assert grown(reference, "Milk", own, 7, 3) == after
