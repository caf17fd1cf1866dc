"""Formulas come to what calculating programs make of them, or to nothing."""

from __future__ import annotations

import datetime as dt
import io
import re
import shutil
import subprocess
import zipfile
from typing import Any

import openpyxl
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from openpyxl.drawing.image import Image as Picture
from openpyxl.workbook.defined_name import DefinedName
from PIL import Image

from gonnet.errors import DataError
from gonnet.pipeline.check import check
from gonnet.pipeline.survey import Request
from gonnet.reports.timeless import timeless
from gonnet.reports.workbook.choosing import keep_sheets
from gonnet.reports.workbook.formulas import BeyondError, Calculator, ErrorValue
from made import FORM_CHANGE, form
from opened import laid, many_rows
from support import AS_OF, Dairy

CELLS: dict[str, Any] = {
    "A1": 1200, "A2": 1180.5, "A3": None, "A4": "North", "A5": True, "A6": dt.date(2026, 10, 1), "A7": 0.1, "A8": 0.2,
    "B1": "North", "B2": "south", "B3": "North-East", "B4": 5, "B5": "5", "B6": "#N/A",
    "C1": "=SUM(A1:A2)", "C2": "=SUBTOTAL(9,A1:A2)", "C3": "=C1+1", "C4": "=VLOOKUP(1,A1:B2,2)", "C5": "=C5+1",
}  # fmt: skip


def book_with(cells: dict[str, Any]) -> Any:  # noqa: ANN401
    book: Any = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Milk 2026"
    for place, value in (CELLS | cells).items():
        sheet[place] = value
        if value == "#N/A":
            sheet[place].data_type = "e"
    book.create_sheet("Other")["A1"] = 7
    book.defined_names["Litres"] = DefinedName("Litres", attr_text="'Milk 2026'!$A$1:$A$2")
    return book


@pytest.mark.parametrize(
    ("formula", "value"),
    [
        ("=1+2*3", 7), ("=-2^2", 4), ("=2^3^2", 64), ("=10%", 0.1), ("=(1+2)*-3", -9), ("=A7+A8-0.3", 0), ("=1/0", "#DIV/0!"),
        ("=SUM(A1:A8)", 1200 + 1180.5 + 46296 + 0.3), ("=SUM(Litres)", 2380.5), ("=SUM(A:A)-A6", 2380.8), ("=SUM('Milk 2026'!A1,Other!A1,3)", 1210),
        ("=SUM(B5)", 0), ("=SUM(B4:B6)", "#N/A"), ("=COUNT(A1:B6)", 4), ("=COUNTA(A1:A8)", 7), ("=AVERAGE(A1:A3)", 1190.25),
        ("=AVERAGE(A3)", "#DIV/0!"), ("=MIN(A3)", 0), ("=MAX(A1:A2,5000)", 5000), ("=SUBTOTAL(9,A1:C2)", 4761), ("=SUBTOTAL(101,A1:A2)", 1190.25),
        ('=SUMIF(B1:B3,"north",A1:A3)', 1200), ('=SUMIF(B1:B3,"<>North",A1:A3)', 1180.5), ('=SUMIF(B1:B3,"nor*",A1:A3)', 1200), ('=SUMIF(A1:A2,">1190")', 1200),
        ('=COUNTIF(A1:A8,">=1180.5")', 3), ("=COUNTIF(A1:A2,1200)", 1), ("=ROUND(2.675,2)", 2.68), ("=ROUND(-1250,-2)", -1300), ("=ABS(-3)", 3),
        ('=IF(A1>1000,"much","little")', "much"), ("=IF(A1>1000,1,1/0)", 1), ("=IFERROR(B6,0)", 0), ("=AND(A1>0,NOT(A2>5000))", True), ("=OR(A1<0,A2<0)", False),
        ('=A4&" "&A1/1000', "North 1.2"), ("=A3&A5", "TRUE"), ('=A4="NORTH"', True), ("=A3=0", True), ('=A3=""', True), ("=A4>A1", True), ("=B6=1", "#N/A"),
        ("=A4+1", "#VALUE!"), ("=A3", 0), ("=C3*2", 4763), ("=A6+1", 46297), ('="a""b"', 'a"b'),
    ],
)  # fmt: skip
def test_what_a_formula_comes_to(formula: str, value: object) -> None:
    found = dict(Calculator(book_with({"D1": formula})).cells())["Milk 2026", 1, 4]
    if isinstance(found, ErrorValue):
        assert found.text == value
    elif isinstance(value, bool | str):
        assert found == value
        assert type(found) is type(value)
    else:
        assert found == pytest.approx(value, rel=1e-14, abs=0 if value == 0 else 1e-12)


@pytest.mark.parametrize(
    ("formula", "why"),
    [
        ("=VLOOKUP(1,A1:B2,2)", "the function VLOOKUP"), ("=C4+1", "the function VLOOKUP"), ("=SUM(C4,1)", "the function VLOOKUP"), ("=C5", "leads back to itself"),
        ("=B5+1", "a text is taken for a number"), ("=A1:A2+1", "several cells"), ("=Nothing*2", "'Nothing'"), ("=Gone!A1", "the sheet 'Gone'"),
        ("=SUBTOTAL(7,A1:A2)", "SUBTOTAL(7"), ("=TODAY()", "the function TODAY"), ("=A1:A2 A1", ""), ("=SUM(,1)", "left out"),
    ],
)  # fmt: skip
def test_what_is_beyond_is_told_and_has_no_value(formula: str, why: str) -> None:
    found = dict(Calculator(book_with({"D1": formula})).cells())["Milk 2026", 1, 4]
    assert isinstance(found, BeyondError)
    assert why in str(found)


def test_a_running_total_of_any_length_is_computed() -> None:
    many = 5000
    cells: dict[str, Any] = {f"E{at}": at for at in range(1, many + 1)} | {
        f"F{at}": f"=F{at - 1}+E{at}" for at in range(2, many + 1)
    }
    found = dict(Calculator(book_with(cells | {"F1": "=E1"})).cells())
    assert found["Milk 2026", many, 6] == many * (many + 1) / 2


LEAVES = st.one_of(
    st.integers(-9, 9).map(lambda number: f"({number})"),
    st.sampled_from(["A1", "A2", "A3", "A7", "A8", "C1", "C3", "0.5", "Other!A1", "SUM(A1:C2)", "SUMIF(B1:B3,\"n*\",A1:A3)",
                     "COUNT(A1:C3)", "SUBTOTAL(9,A1:C3)", "AVERAGE(Litres)", "MAX(A1:A8)", "MIN(A7:A8)", "ROUND(A2/7,2)"]),
)  # fmt: skip
FORMULAS = st.recursive(
    LEAVES,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map("".join),
        st.tuples(inner, st.sampled_from(["=", "<>", "<", ">="]), inner, inner, inner).map(lambda p: f"IF(({p[0]}){p[1]}({p[2]}),{p[3]},{p[4]})"),
        inner.map(lambda text: f"-({text})"),
        st.tuples(inner, inner).map(lambda p: f"SUM({p[0]},{p[1]})"),
    ),
    max_leaves=6,
)  # fmt: skip


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
@settings(max_examples=2, phases=(Phase.generate,))
@given(formulas=st.lists(FORMULAS, min_size=60, max_size=60))
def test_another_program_comes_to_the_same(formulas: list[str], tmp_path_factory: pytest.TempPathFactory) -> None:
    folder = tmp_path_factory.mktemp("office")
    book = book_with({f"H{at}": f"={text}" for at, text in enumerate(formulas, 1)})
    book.save(folder / "ours.xlsx")
    words = ["soffice", f"-env:UserInstallation=file://{folder}/office", "--headless", "--convert-to", "ods"]
    subprocess.run(
        [*words, "--outdir", str(folder), "ours.xlsx"], cwd=folder, check=True, capture_output=True, timeout=180
    )
    words[-1] = "xlsx"
    (folder / "theirs").mkdir()
    subprocess.run(
        [*words, "--outdir", str(folder / "theirs"), "ours.ods"],
        cwd=folder,
        check=True,
        capture_output=True,
        timeout=180,
    )
    theirs: Any = openpyxl.load_workbook(folder / "theirs" / "ours.xlsx", data_only=True)["Milk 2026"]
    ours = dict(Calculator(book).cells())
    for at, text in enumerate(formulas, 1):
        found, other = ours["Milk 2026", at, 8], theirs[f"H{at}"].value
        if isinstance(found, float):
            assert other == pytest.approx(found, rel=1e-9, abs=1e-9), text
        else:
            assert other == (found.text if isinstance(found, ErrorValue) else found), text


def filled(dairy: Dairy, *changes: tuple[str, str]) -> bytes:
    from gonnet.reports import draw

    layout, look = laid(dairy, "117", FORM_CHANGE, *changes)
    return draw(layout, "xlsx", look).data


def test_the_values_stand_beside_the_formulas_of_a_form(dairy: Dairy) -> None:
    form(dairy.folder, F8="=VLOOKUP(1,A1:B2,2)", G8='="Ö & "&B8')
    many_rows(dairy, 40)
    data = filled(dairy)
    values: Any = openpyxl.load_workbook(io.BytesIO(data), data_only=True)
    formulas: Any = openpyxl.load_workbook(io.BytesIO(data))
    sheet, written = values["Milk 2026"], formulas["Milk 2026"]
    assert written["B47"].value == "=SUM(B7:B46)"
    assert sheet["B47"].value == sum(sheet[f"B{at}"].value for at in range(7, 47)) > 0
    assert sheet["C47"].value == pytest.approx(830)
    assert sheet["B49"].value == pytest.approx(sheet["B47"].value / 40)
    assert sheet["D9"].value == pytest.approx(sheet["C9"].value / sheet["B9"].value)
    assert values["Sum"]["A1"].value == pytest.approx(1660)
    assert (written["F47"].value, sheet["F47"].value) == ("=VLOOKUP(1,A1:B2,2)", None)
    assert sheet["G47"].value == f"Ö & {sheet['B47'].value}"


def test_values_may_take_the_place_of_formulas(dairy: Dairy) -> None:
    form(dairy.folder)
    data = filled(dairy, ("rows: Lines", "rows: Lines\n      formulas: values"))
    book: Any = openpyxl.load_workbook(io.BytesIO(data))
    assert not [cell for sheet in book.worksheets for row in sheet.iter_rows() for cell in row if cell.data_type == "f"]
    assert book["Sum"]["A1"].value == pytest.approx(2 * 780.51)
    assert book["Milk 2026"]["C9"].number_format == "#,##0.00"


def test_a_formula_that_cannot_become_a_value_holds_its_package(dairy: Dairy) -> None:
    form(dairy.folder, F8="=VLOOKUP(1,A1:B2,2)")
    with dairy.tools() as tools:
        run = dairy.prepared(tools, FORM_CHANGE, ("rows: Lines", "rows: Lines\n      formulas: values"))
        reason = dairy.by_key(tools, run)["117"].reason
    assert "the formula in Milk 2026!F9 of the form is not computed here: the function VLOOKUP" in reason


def test_check_tells_what_a_form_lacks(dairy: Dairy) -> None:
    form(dairy.folder, F8="=VLOOKUP(1,A1:B2,2)", F9="=F8+1", F10="=TODAY()")
    job = dairy.job(FORM_CHANGE)
    with dairy.tools() as tools:
        told = [
            one.text for one in check(job, tools, Request(as_of=AS_OF, asked={})).findings if "the form" in one.text
        ]
    assert [text.removeprefix("the form form.xlsx: ")[:44] for text in told] == [
        "formulas that are not computed here: Milk 20",
        "a picture or chart without alternative text:",
        "merged cells (Milk 2026!C10:D10): what is re",
    ]
    assert "Milk 2026!F8 (the function VLOOKUP), Milk 2026!F10 (the function TODAY); programs" in told[0]


def test_what_pictures_and_charts_say_stays(dairy: Dairy) -> None:
    form(dairy.folder)
    picture = dairy.folder / "herd.png"
    Image.new("RGB", (9, 9)).save(picture)
    book: Any = openpyxl.load_workbook(dairy.folder / "form.xlsx")
    book["Milk 2026"].add_image(Picture(str(picture)), "H2")
    book["Sum"].add_image(Picture(str(picture)), "H2")
    book.save(dairy.folder / "plain.xlsx")
    says = {"Chart 1": "Litres <of> each day", "Image 2": "The herd", "Image 1": ""}  # as their maker wrote it

    def spoken(name: str, part: bytes) -> bytes:
        for called, text in says.items() if name.startswith("xl/drawings/drawing") else ():
            about = f' descr="{text}"'.replace("<of>", "&lt;of&gt;") if text else ""
            part = re.sub(f'name="{called}"[^/]*/>'.encode(), f'name="{called}"{about}/>'.encode(), part)
        return part

    dairy.write("form.xlsx", timeless((dairy.folder / "plain.xlsx").read_bytes(), spoken))
    with zipfile.ZipFile(io.BytesIO(filled(dairy))) as parts:
        drawn = [parts.read(f"xl/drawings/drawing{number}.xml").decode() for number in (1, 2)]
    assert 'name="Chart 1" descr="Litres &lt;of&gt; each day"/>' in drawn[0]
    assert 'name="Image 2" descr="The herd"/>' in drawn[0]
    assert 'name="Image 1"/>' in drawn[1]


SHEETS = ("rows: Lines", 'rows: Lines\n      sheets: ["Milk 2026", "{{ recipient.farm_name }}"]')


def own_sheets(dairy: Dairy) -> None:
    """A form with a sheet for each farm, and a sheet that adds them up."""
    form(dairy.folder)
    book: Any = openpyxl.load_workbook(dairy.folder / "form.xlsx")
    for name, litres in (("Zoë's Dairy", 4711), ("Łąka Górna", 815), ("Hallbank", 1234.5)):
        book.create_sheet(name)["A1"] = litres
        book[name]["A2"] = f"only of {name}"
    book["Milk 2026"]["F1"] = "='Zoë''s Dairy'!A1+Hallbank!A1"
    book["Milk 2026"]["F2"] = "='Łąka Górna'!A1"
    book["Milk 2026"]["F3"] = "more"
    book["Milk 2026"]["F3"].hyperlink = "#Hallbank!A1"
    book.defined_names["Theirs"] = DefinedName("Theirs", attr_text="Hallbank!$A$1")
    book["Milk 2026"]["F4"] = "=Theirs*2"
    book.save(dairy.folder / "form.xlsx")


def test_each_gets_their_sheets_and_nothing_tells_of_the_others(dairy: Dairy) -> None:
    own_sheets(dairy)
    data = filled(dairy, SHEETS)
    book: Any = openpyxl.load_workbook(io.BytesIO(data))
    assert book.sheetnames == ["Milk 2026", "Łąka Górna"]
    sheet = book["Milk 2026"]
    assert (sheet["F1"].value, sheet["F2"].value, sheet["F4"].value) == (5945.5, "='Łąka Górna'!A1", 2469)
    assert sheet["F3"].hyperlink is None
    assert openpyxl.load_workbook(io.BytesIO(data), data_only=True)["Milk 2026"]["F2"].value == 815
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        inside = b"".join(parts.read(name) for name in parts.namelist()).decode("utf-8", "replace")
    assert not [
        text
        for text in ("Hallbank", "Zoë", "4711", "only of Zoë", "Theirs", "Sum")
        if f">{text}" in inside or f'"{text}' in inside
    ]
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, FORM_CHANGE, SHEETS, ("{report: statement, as: pdf}, ", "")))
    assert [found[key].reason for key in ("00042", "117")] == ["", ""]


def test_a_sheet_that_is_not_there_holds_its_package(dairy: Dairy) -> None:
    form(dairy.folder)
    with dairy.tools() as tools:
        found = dairy.by_key(tools, dairy.prepared(tools, FORM_CHANGE, SHEETS))
    assert "the form has no sheet 'Łąka Górna'. It has Milk 2026, Sum" in found["117"].reason


def test_a_chart_of_a_sheet_that_goes_is_not_given_away(dairy: Dairy) -> None:
    form(dairy.folder)
    book: Any = openpyxl.load_workbook(dairy.folder / "form.xlsx")
    book["Sum"].add_chart(book["Milk 2026"]._charts[0], "C3")
    found = dict(Calculator(book).cells())
    with pytest.raises(DataError, match="a chart on the sheet 'Sum'"):
        keep_sheets(book, ["Sum"], found)
