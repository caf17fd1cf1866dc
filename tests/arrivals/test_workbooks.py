"""Workbooks of other systems: every row and sheet has one key or one reason, and a part has nothing of the rest."""

from __future__ import annotations

import datetime as dt
import io
import re
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import python_calamine
import xlsxwriter
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl.comments import Comment
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.datavalidation import DataValidation

from gonnet.arrivals.models import Arrived
from gonnet.arrivals.workbooks.cutting import part_of
from gonnet.arrivals.workbooks.reading import read_workbook
from gonnet.errors import DataError
from gonnet.jobs.arrivals import WorkbookRun
from gonnet.reports.workbook.packing import zipped

HEADS = ("Farm", "Day", "Reason", "Cows", "Amount")
ROWS = [
    ("00042", dt.date(2026, 10, 1), "late check", 3, 120.25),
    ("117", dt.date(2026, 10, 2), "calving", 1, 80.5),
    ("00042", dt.date(2026, 10, 3), "mastitis & more", 2, 60.0),
    ("118", dt.date(2026, 10, 4), "Kirkland's bull", 4, 310.0),
    ("117", dt.date(2026, 10, 5), "late check", 9, 40.75),
]
BY_ROW = {"workbook": "x.xlsx", "key": {"column": "Farm"}, "totals": "^Total"}


def written(path: Path, rows: list[tuple[Any, ...]] = ROWS, *, total: bool = True) -> Path:
    """Rows below their headings and, as the last one, their sums; as one program writes them."""
    with xlsxwriter.Workbook(str(path)) as book:
        sheet, day = book.add_worksheet("Visits"), book.add_format({"num_format": "d mmm yyyy"})
        sheet.write_row(0, 0, HEADS)
        for at, row in enumerate(rows, 1):
            sheet.write_string(at, 0, row[0])
            sheet.write_datetime(at, 1, dt.datetime.combine(row[1], dt.time()), day)
            sheet.write_string(at, 2, row[2])
            sheet.write_number(at, 3, row[3])
            sheet.write_formula(at, 4, f"={row[4]}+0", None, row[4])
        if total:
            last = len(rows)
            sheet.write_string(last + 1, 0, "Total")
            sheet.write_formula(last + 1, 3, f"=SUM(D2:D{last + 1})")
            sheet.write_number(last + 1, 4, sum(row[4] for row in rows))
        sheet.set_column(2, 2, 31)
        sheet.freeze_panes(1, 1)
        sheet.autofilter(0, 0, len(rows), 4)
        sheet.set_landscape()
        sheet.repeat_rows(0)
        sheet.print_area(0, 0, len(rows) + 1, 4)
    return path


def read(path: Path, **spec: object) -> Arrived:
    return read_workbook("visits", WorkbookRun.model_validate({**BY_ROW, **spec}), path)


def parts(found: Arrived) -> dict[str, bytes]:
    """Key → its part."""
    assert found.book is not None
    wanted: dict[str, dict[str, list[int]]] = {}
    for page in found.pages:
        if page.key is not None:
            wanted.setdefault(page.key, {}).setdefault(page.sheet, []).append(page.number)
    return {key: zipped(part_of(found.book, rows, f"{key} visits")) for key, rows in wanted.items()}


def values(data: bytes, sheet: int = 0) -> list[list[Any]]:
    """What one reader finds; another must find the same."""
    found = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data)).get_sheet_by_index(sheet).to_python()
    other = openpyxl.load_workbook(io.BytesIO(data), data_only=True).worksheets[sheet]
    again = [[_plain(value) for value in row] for row in other.iter_rows(values_only=True)]
    assert again == [[_plain(value) for value in row] for row in found]
    return again


def _plain(value: object) -> object:
    if isinstance(value, dt.datetime):
        return value.date()
    return "" if value is None else float(value) if isinstance(value, int | float) else value


def everything(data: bytes) -> str:
    """All that any member of a workbook says, and what its members are called."""
    with zipfile.ZipFile(io.BytesIO(data)) as book:
        return " ".join([name + " " + book.read(name).decode("utf-8") for name in book.namelist()])


def rewritten(path: Path, change: Callable[[str, str], str]) -> Path:
    """The workbook with the XML of each member changed."""
    with zipfile.ZipFile(path) as book:
        found = {name: change(name, book.read(name).decode("utf-8")) for name in book.namelist()}
    with zipfile.ZipFile(path, "w") as book:
        for name, text in found.items():
            book.writestr(name, text)
    return path


def _prefixed(name: str, text: str) -> str:
    if not re.search(r"worksheets/sheet|sharedStrings", name):
        return text
    text = re.sub(r"<(/?)(\w+)(?=[\s/>])", r"<\1x:\2", text)
    return text.replace(
        ' xmlns="http://schemas.openxmlformats.org/spreadsheetml',
        ' xmlns:x="http://schemas.openxmlformats.org/spreadsheetml',
    )


def _spaced(name: str, text: str) -> str:
    return re.sub(r"(<(?:row|c|v|/row|/c)\b)", r"\n  \1", text) if "worksheets/sheet" in name else text


def _turned(name: str, text: str) -> str:
    return re.sub(r'<c (r="\w+") (s="\d+")', r"<c \2 \1", text) if "worksheets/sheet" in name else text


def _typed(name: str, text: str) -> str:
    if "worksheets/sheet" not in name:
        return text
    return re.sub(r'<c (r="\w+"(?: s="\d+")?)>', r'<c \1 t="n">', text).replace("<f>", '<f aca="false">')


CHANGES = {"plain": None, "prefixed": _prefixed, "spaced": _spaced, "turned": _turned, "typed": _typed}


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES)
def test_each_gets_its_rows_with_the_sums_of_them(tmp_path: Path, change: Callable[[str, str], str] | None) -> None:
    path = written(tmp_path / "x.xlsx")
    found = read(rewritten(path, change) if change else path, read={"amount": {"column": "amount", "as": "number"}})
    assert [(page.key, page.number, page.values) for page in found.pages] == [
        (row[0], at, (str(float(row[4])),)) for at, row in enumerate(ROWS, 2)
    ]
    mine = values(parts(found)["117"])
    assert mine == [
        list(HEADS),
        *[[*row[:3], float(row[3]), row[4]] for row in ROWS if row[0] == "117"],
        ["Total", "", "", 10.0, 121.25],
    ]
    assert not found.findings


def test_what_it_looks_like_and_how_it_is_printed_is_kept(tmp_path: Path) -> None:
    part = openpyxl.load_workbook(io.BytesIO(parts(read(written(tmp_path / "x.xlsx")))["117"]))
    sheet = part["Visits"]
    assert (sheet.column_dimensions["C"].width // 1, sheet.freeze_panes, sheet["B2"].number_format) == (
        31,
        "B2",
        "d mmm yyyy",
    )
    assert (sheet.auto_filter.ref, sheet.print_title_rows, sheet.page_setup.orientation) == (
        "A1:E3",
        "$1:$1",
        "landscape",
    )
    assert (sheet.print_area, sheet["D4"].value, sheet["E4"].value) == (
        "'Visits'!$A$1:$E$4",
        "=SUM(D2:D3)",
        "=SUM(E2:E3)",
    )


def test_merged_cells_and_conditional_formats_move_with_their_rows(tmp_path: Path) -> None:
    path = tmp_path / "x.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet, red = book.add_worksheet("Visits"), book.add_format({"bold": True})
        sheet.merge_range("A1:C1", "Visits")
        sheet.write_row(1, 0, ("Farm", "Reason", "Amount"))
        for top, key in ((2, "117"), (4, "118"), (6, "117")):
            sheet.merge_range(top, 0, top + 1, 0, key)
            sheet.write_column(top, 1, ("one", "two"))
            sheet.write_column(top, 2, (top, top + 1))
        sheet.conditional_format("C3:C8", {"type": "cell", "criteria": ">", "value": 5, "format": red})
        sheet.conditional_format("B5:C8", {"type": "formula", "criteria": "=$C5>$C$7", "format": red})
        sheet.conditional_format("B3:C8", {"type": "formula", "criteria": '=$B3="Kirkland"', "format": red})
        sheet.conditional_format("B3:C8", {"type": "formula", "criteria": "=Visits!$C$5>$C$3", "format": red})
    data = parts(read(path, header=2, unmarked="refuse"))
    mine = openpyxl.load_workbook(io.BytesIO(data["117"]))["Visits"]
    assert {str(area) for area in mine.merged_cells.ranges} == {"A1:C1", "A3:A4", "A5:A6"}
    rules = {str(area.sqref): [rule.formula for rule in area.rules] for area in mine.conditional_formatting}
    assert rules == {"C3:C6": [["5"]], "B5:C6": [["$C5>$C$5"]]}
    assert [row[2] for row in values(data["118"])[2:]] == [4.0, 5.0]


def test_nothing_of_others_is_in_a_part(tmp_path: Path) -> None:
    """In names, comments, hidden sheets, validations, chosen filters, formats, properties, formulas, links and strings."""
    path = written(tmp_path / "x.xlsx")
    book = openpyxl.load_workbook(path)
    sheet = book["Visits"]
    sheet["A2"].comment = Comment("As for Kirkland", "Kirkland")
    book.create_sheet("Kirkland")["A1"] = "Kirkland"
    book.create_sheet("Hidden").sheet_state = "veryHidden"
    book.defined_names["Kirkland"] = DefinedName("Kirkland", attr_text="Visits!$A$5")
    choice = DataValidation(type="list", formula1='"Kirkland,Other"')
    choice.add("C2:C6")
    sheet.add_data_validation(choice)
    sheet.auto_filter.add_filter_column(2, ["Kirkland's bull"])
    sheet["E2"] = '=IF(C5="Kirkland",1,Kirkland!A1)'
    sheet["C3"].hyperlink = "#Kirkland!A1"
    sheet["C4"].hyperlink = "https://tarnvale.example/117"
    book.properties.title = book.properties.creator = "Kirkland"
    book.save(path)
    rewritten(
        path,
        lambda _, text: re.sub(
            r"<f>IF.*?</f><v ?/>|<f>IF.*?</f><v></v>", "<f>IF(C5=1,1,Kirkland!A1)</f><v>120.25</v>", text
        ),
    )
    rewritten(path, lambda _, text: re.sub(r"<f>([\d.]+)\+0</f><v ?/?>(?:</v>)?", r"<f>\1+0</f><v>\1</v>", text))
    with zipfile.ZipFile(path, "a") as whole:
        for name in (
            "xl/pivotCache/pivotCacheDefinition1.xml",
            "xl/externalLinks/externalLink1.xml",
            "xl/calcChain.xml",
        ):
            whole.writestr(name, "<all>Kirkland</all>")
        whole.writestr("docProps/custom.xml", "<Properties>Kirkland</Properties>")
        whole.writestr("xl/vbaProject.bin", b"Kirkland")
    found = read(path, sheet="Visits")
    data = parts(found)
    assert "Kirkland" in everything(data["118"]), "the row of 118 says so itself"
    for key in ("00042", "117"):
        said = everything(data[key])
        assert "Kirkland" not in said
        assert all(row[2] in said.replace("&amp;", "&") for row in ROWS if row[0] == key)
    assert "https://tarnvale.example/117" not in everything(data["117"]), "that link is of a row of 00042"
    assert "https://tarnvale.example/117" in everything(data["00042"])
    assert "do not have its comments (1 sheet), validations (1 sheet)" in str(found.findings)


def test_a_sheet_for_each_keeps_formulas_that_need_no_other_sheet(tmp_path: Path) -> None:
    path = tmp_path / "x.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        for key in ("F117", "F118"):
            sheet = book.add_worksheet(key)
            sheet.write_column(0, 0, (f"Farm {key}", 4, 6))
            sheet.write_formula("A4", "=SUM(A2:A3)", None, 10)
            sheet.write_formula("A5", "=F118!A2+A2", None, 8)
            sheet.write_formula("A6", "=Rate*A2", None, 2)
            sheet.write_formula("A7", '=INDIRECT("F118!A1")', None, "Farm F118" if key == "F118" else "gone")
        book.define_name("Rate", "=0.5")
        book.add_worksheet("Notes").write(0, 0, "for the office")
        book.add_worksheet("F999").hide()
    spec = {"unmarked": "leave out", "read": {"sum": {"cell": "a4", "as": "number"}}, "key": {"sheet": r"^F(\d+)"}}
    by_name = read_workbook("visits", WorkbookRun.model_validate({"workbook": "x", **spec}), path)
    assert [(page.key, page.values) for page in by_name.pages] == [
        ("117", ("10",)),
        ("118", ("10",)),
        (None, (None,)),
        (None, (None,)),
    ]
    told = str(by_name.findings)
    assert "nobody's: no key in Notes" in told
    assert "1 sheet of 'visits' is hidden, and nobody's: F999" in told
    data = parts(by_name)["117"]
    sheet = openpyxl.load_workbook(io.BytesIO(data)).active
    assert sheet is not None
    assert [sheet[f"A{at}"].value for at in (4, 5, 6, 7)] == ["=SUM(A2:A3)", 8, 2, "gone"]
    assert [row[0] for row in values(data)[3:]] == [10.0, 8.0, 2.0, "gone"]
    assert "F118" not in everything(data)
    by_cell = WorkbookRun.model_validate({"workbook": "x", "key": {"cell": "A1"}, "unmarked": "leave out"})
    assert [page.key for page in read_workbook("visits", by_cell, path).pages] == [
        "Farm F117",
        "Farm F118",
        "for the office",
        None,
    ]


@pytest.mark.parametrize(
    ("spec", "change", "told"),
    [
        ({"key": {"column": "Far"}}, None, "no column is headed 'Far'"),
        ({"sheet": "Visit"}, None, "there is no sheet 'Visit'"),
        ({"totals": "^Sum"}, None, "this formula has no value"),
        ({"again": "refuse"}, None, "key '00042' of 'visits' comes back here"),
        ({}, lambda _, text: re.sub(r"(<f>80.5\+0</f>)<v>[^<]*</v>", r"\1", text), "this formula has no value"),
        ({}, lambda _, text: re.sub(r'<c r="A3"[^>]*>.*?</c>', "", text), "this row of 'visits' has no key"),
        ({}, lambda _, text: text.replace('<row r="3"', '<row r="9"'), "row 4 comes after row 9"),
        ({}, lambda name, text: text[:200] if name.endswith("sheet1.xml") else text, "this workbook cannot be read"),
        ({}, lambda name, text: text.replace("<worksheet", "<!DOCTYPE x []><worksheet"), "it has a document type"),
    ],
)
def test_what_is_in_doubt_is_refused_with_its_place(
    tmp_path: Path, spec: dict[str, Any], change: Callable[[str, str], str] | None, told: str
) -> None:
    path = written(tmp_path / "x.xlsx")
    if change is not None:
        rewritten(path, change)
    with pytest.raises(DataError, match=re.escape(told)) as error:
        read(path, **spec)
    assert "x.xlsx" in str(error.value.where)


CELLS = st.tuples(
    st.sampled_from(["117", "118", "00042", ""]),
    st.dates(dt.date(2026, 1, 1), dt.date(2026, 12, 31)),
    st.text(st.sampled_from("ab&<> é\"'\n=F1"), min_size=1, max_size=8).filter(
        lambda text: text.strip() and text.isprintable()
    ),
    st.integers(-5, 5),
    st.integers(-10_000, 10_000).map(lambda cents: cents / 100),
)


@settings(max_examples=60)
@given(rows=st.lists(CELLS, min_size=1, max_size=12))
def test_every_row_is_in_one_part_and_the_sums_add_up(rows: list[tuple[Any, ...]]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        found = read(written(Path(folder, "x.xlsx"), rows), unmarked="leave out")
    assert [page.key for page in found.pages] == [row[0] or None for row in rows]
    seen = {key: values(data) for key, data in parts(found).items()}
    for key, lines in seen.items():
        assert [[*row[:3], float(row[3]), row[4]] for row in rows if row[0] == key] == lines[1:-1]
    whole = [sum(row[at] for row in rows if row[0]) for at in (3, 4)]
    for at, total in zip((3, 4), whole, strict=True):
        assert sum(lines[-1][at] for lines in seen.values() if lines[-1][at] != "") == pytest.approx(total)


def test_a_whole_sheet_keeps_the_range_of_its_filter_and_shows_all(tmp_path: Path) -> None:
    path = written(tmp_path / "x.xlsx", total=False)
    chosen = '<autoFilter ref="A1:E6"><filterColumn colId="2"><filters><filter val="Kirkland"/></filters></filterColumn></autoFilter>'
    rewritten(
        path,
        lambda _, text: re.sub(r"<autoFilter [^>]*/>", chosen, text).replace('<row r="3"', '<row r="3" hidden="1"'),
    )
    found = read_workbook("visits", WorkbookRun.model_validate({"workbook": "x", "key": {"sheet": "^.*$"}}), path)
    said = everything(parts(found)["Visits"])
    assert '<autoFilter ref="A1:E6"/>' in said
    assert "hidden" not in said
    assert len(values(parts(found)["Visits"])) == 6


def test_a_total_that_is_not_the_last_row_takes_its_place_below_the_others(tmp_path: Path) -> None:
    path = tmp_path / "x.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet("Visits")
        sheet.write_row(0, 0, ("Farm", "Fee"))
        for at, row in enumerate((("Total", 6), ("117", 1), ("118", 2), ("117", 3)), 1):
            sheet.write_string(at, 0, row[0])
            sheet.write_number(at, 1, row[1])
        sheet.autofilter(0, 0, 4, 1)
    data = parts(read(path))["117"]
    assert values(data) == [["Farm", "Fee"], ["117", 1.0], ["117", 3.0], ["Total", 4.0]]
    assert '<autoFilter ref="A1:B4"/>' in everything(data)
