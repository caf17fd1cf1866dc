"""How a workbook's sheet is set up, and that what stands out and what is totalled stays so in it."""

from __future__ import annotations

import io
import re
import zipfile
from dataclasses import replace
from decimal import Decimal
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gonnet.checks import read_back
from gonnet.demo import logo
from gonnet.reports import draw
from gonnet.reports.layout.row_texts import RowTexts
from gonnet.reports.layout.tables import TableLayoutMaker
from gonnet.reports.plans.models import GroupPlan, TablePlan
from gonnet.reports.workbook.document import sheet_name
from gonnet.wording.filling import Wording
from gonnet.wording.formats import House, rounded_half_up
from made import AMOUNT, LOOK, TEXT, document
from opened import HEAD, laid
from support import SETTINGS, Dairy

TEXT_BLOCK = '      - text: "Collected in October."\n'
TABLE = (
    "table: {columns: [{field: day}, {field: litres, format: '#,##0', total: sum}, {field: remark, total: count}], "
    "OPTIONS}"
)


def book(dairy: Dairy, *blocks: str, **report: str) -> Any:  # noqa: ANN401
    """The opened workbook of farm 117 with these blocks alone."""
    changes = [(TEXT_BLOCK, "".join(f"      - {block}\n" for block in blocks))]
    changes += [("    blocks:", "".join(f"    {name}: {value}\n" for name, value in report.items()) + "    blocks:")]
    layout, look = laid(dairy, "117", *changes)
    return openpyxl.load_workbook(io.BytesIO(draw(layout, "xlsx", look).data))


def found(sheet: Any, value: object) -> Any:  # noqa: ANN401
    """The first cell that holds a value."""
    return next(cell for row in sheet.iter_rows() for cell in row if cell.value == value)


def test_what_stands_out_keeps_its_number_and_wears_its_look(dairy: Dairy) -> None:
    options = (
        "emphasise: [{when: litres > 795, cells: [litres], as: [bold, tint, mark]}, {when: remark = '=1+1', as: bold}]"
    )
    sheet = book(dairy, TABLE.replace("OPTIONS", options)).active
    loud, quiet = found(sheet, 800), found(sheet, 790)
    assert (loud.font.b, quiet.font.b) == (True, False)
    assert (loud.fill.patternType, quiet.fill.patternType) == ("solid", None)
    assert loud.number_format == '"‣ "#,##0'
    assert found(sheet, "=1+1").font.b
    assert found(sheet, "=1+1").data_type == "s"


def test_totals_may_be_formulas_over_their_rows_and_groups(dairy: Dairy) -> None:
    dairy.write("milk.csv", HEAD + "117,2026-10-01,1,1.00,a\n117,2026-10-02,2,1.00,b\n117,2026-10-03,4,1.00,a\n")
    options = "group: {by: remark}, totals: formulas"
    sheet = book(dairy, TABLE.replace("OPTIONS", options)).active
    cells = {str(cell.value): cell.row for row in sheet.iter_rows() for cell in row if cell.data_type == "f"}
    first = found(sheet, 1).row
    assert list(cells)[:2] == [f"=SUBTOTAL(9,B{first}:B{first + 1})", f"=SUBTOTAL(3,C{first}:C{first + 1})"]
    whole = [formula for formula in cells if formula.startswith(f"=SUBTOTAL(9,B{first}:")][-1]
    assert cells[whole] == max(cells.values())
    assert whole == f"=SUBTOTAL(9,B{first}:B{first + 4})"


@pytest.mark.parametrize(
    ("blocks", "frozen", "filtered"),
    [([], True, True), ([TABLE.replace("OPTIONS", "sort: day")], False, False)],
)
def test_a_sheet_with_one_table_is_frozen_and_has_a_filter(
    dairy: Dairy, blocks: list[str], frozen: bool, filtered: bool
) -> None:
    sheet = book(dairy, *blocks).active
    assert (sheet.freeze_panes is not None, sheet.auto_filter.ref is not None) == (frozen, filtered)
    if filtered:
        head, last = found(sheet, "Litres").row, found(sheet, "Total").row - 1
        assert sheet.auto_filter.ref == f"A{head}:D{last}"


def test_the_print_set_up_is_that_of_the_report(dairy: Dairy) -> None:
    sheet = book(dairy, "space: 5", landscape="true", paper="A3").active
    assert (sheet.page_setup.orientation, sheet.page_setup.paperSize) == ("landscape", 8)
    assert sheet.sheet_properties.pageSetUpPr.fitToPage
    assert (sheet.page_setup.fitToWidth or 1, sheet.page_setup.fitToHeight) == (1, 0)


def test_a_sheet_has_the_name_that_the_report_gives_made_legal(dairy: Dairy) -> None:
    assert book(dairy, "space: 5", sheet='"Milk [{{ key }}] of / {{ recipient.farm_name }}"').sheetnames == [
        "Milk 117 of Łąka Górna"
    ]


@pytest.mark.parametrize(
    ("text", "name"),
    [("'quoted'", "quoted"), ("History", "Report"), ("", "Report"), ("a:b?c*d", "a b c d"), ("x" * 40, "x" * 31)],
)
def test_any_text_becomes_a_name_that_a_sheet_may_have(text: str, name: str) -> None:
    assert sheet_name(text) == name


def test_a_picture_is_as_large_as_on_the_page_and_says_what_it_shows(dairy: Dairy) -> None:
    logo.write(dairy.folder / "logo.png")
    sheet = book(dairy, "{image: logo.png, alt: A drop of milk, width: 25.4}").active
    (image,) = sheet._images
    rows = image.anchor.to.row - image.anchor._from.row
    assert rows == pytest.approx(72 / 15, abs=1)  # an inch, in rows of 15 points
    assert found(sheet, "Day").row > image.anchor.to.row


def test_the_houses_colour_and_language_reach_the_workbook(dairy: Dairy) -> None:
    settings = SETTINGS.replace("PORT", "1").replace("locale: en_IE", "locale: de_AT, accent: '#7a1f1f'")
    dairy.write("gonnet.yaml", settings)
    opened = book(dairy, 'heading: "{{ figures.payable | money }}"')
    assert opened.active["A1"].font.color.rgb == "FF7A1F1F"
    assert found(opened.active, "€\u00a0780,51").font.b
    assert opened.properties.creator == "Tarnvale Dairy Cooperative"


def test_its_printed_pages_have_the_head_and_the_foot_of_the_report(dairy: Dairy) -> None:
    layout, look = laid(
        dairy, "117", ("    blocks:", '    header: "Cream & {{ key }}"\n    footer: "12 && more"\n    blocks:')
    )
    data = draw(layout, "xlsx", look).data
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        written = packed.read("xl/worksheets/sheet1.xml").decode()
    assert "<oddHeader>&amp;LTarnvale Dairy Cooperative&amp;RCream &amp;&amp; 117</oddHeader>" in written
    assert "<oddFooter>&amp;L12 &amp;&amp;&amp;&amp; more&amp;Rpage &amp;P of &amp;N</oddFooter>" in written
    (texts,) = (found for place, found in read_back(data, "xlsx").parts if place == "sheet1")
    assert {"Cream & 117", "12 && more"} <= set(texts)
    long, look = laid(dairy, "117", ("    blocks:", f'    header: "{"&" * 300}"\n    blocks:'))
    assert found_again(draw(long, "xlsx", look).data)


def found_again(data: bytes) -> bool:
    """Whether a workbook opens."""
    return openpyxl.load_workbook(io.BytesIO(data)).active is not None


amounts = st.one_of(
    st.none(), st.decimals(-(10**6), 10**6, places=8), st.sampled_from([Decimal("0.005"), Decimal("0.335")])
)


@given(st.lists(st.tuples(st.sampled_from(["a", "b"]), amounts), min_size=1, max_size=30))
def test_what_a_workbook_adds_up_is_what_the_page_says(rows: list[tuple[object, ...]]) -> None:
    columns = (TEXT, replace(AMOUNT, total="sum"), replace(AMOUNT, total="average", pattern="0.000"))
    group = GroupPlan(at=0, ranks={}, column=TEXT, label="", subtotals=True, new_page=False)
    plan = TablePlan(title=None, columns=columns, at=(0, 1, 1), empty="", groups=(group,), total="Total", formulas=True)
    table = TableLayoutMaker(plan, House()).lay(rows, RowTexts(Wording(House()), {}, "117"))
    page = replace(document(["x"], [Decimal(1)]), blocks=(table,))
    sheet: Any = openpyxl.load_workbook(io.BytesIO(draw(page, "xlsx", LOOK).data)).active
    said = {line.texts[:1]: line.texts for line in (*table.lines, *table.totals) if line.is_total}
    for row in sheet.iter_rows():
        for index, cell in enumerate(row):
            if cell.data_type == "f":
                _, number, *area = re.findall(r"\w+", cell.value)
                cells = (one for (one,) in sheet[f"{area[0]}:{area[-1]}"])
                found = [Decimal(str(one.value)) for one in cells if one.data_type == "n" and one.value is not None]
                total = Decimal(sum(found)) if number == "9" else sum(found) / len(found)
                places = 2 if number == "9" else 3
                shown = House().number(rounded_half_up(Decimal(total), places), columns[index].pattern or "")
                assert shown == said[(row[0].value,)][index]
