"""What tests look at that no job made: a document with every kind of text in it, and a spreadsheet."""

from __future__ import annotations

import io
import zipfile
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
from openpyxl.chart import BarChart, Reference
from openpyxl.formatting.rule import CellIsRule
from openpyxl.styles import Font
from openpyxl.workbook.defined_name import DefinedName

from gonnet.jobs.style import Style
from gonnet.reports.layout.charts import ChartLayout, SeriesLayout
from gonnet.reports.layout.models import FactsLayout, HeadingLayout, Layout, TableLayout, TextLayout
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import Look, PageForm
from gonnet.wording.formats import House
from gonnet.wording.marked import paragraphs

LOOK = Look(style=Style(organisation="Tarnvale"), house=House(locale="en"))
PAGE = PageForm(paper="A4", landscape=False, width=595, height=842, margins=(51,) * 4, watermark=None)
TEXT = ColumnPlan(
    field="remark", label="Remark", kind=ValueKind.TEXT, pattern=None, align="left", total=None, is_measure=False,
    width=200, font_size=8, characters=20,
)  # fmt: skip
AMOUNT = ColumnPlan(
    field="amount", label="Amount", kind=ValueKind.NUMBER, pattern="0.00", align="right", total=None, is_measure=True,
    width=120, font_size=8, characters=12,
)  # fmt: skip


def document(words: list[str], amounts: list[Decimal]) -> Layout:
    """A document with the same words everywhere."""
    first = words[0]
    shown = tuple(f"{amount}" for amount in amounts)
    table = TableLayout(
        columns=(TEXT, AMOUNT), title=first, empty=first, values=(tuple(words), tuple(amounts)),
        texts=(tuple(words), shown), rows=len(words),
    )  # fmt: skip
    chart = ChartLayout(
        kind="bars", title=first, over=first, places=tuple(words), measured=False,
        series=(SeriesLayout(label=first, values=tuple(amounts), texts=shown),), lines=(), unit=first,
        ticks=((min(Decimal(0), *amounts), "low"), (max(Decimal(1), *amounts), "high")), pattern="0.00", height=90,
        alt=first, empty=first,
    )  # fmt: skip
    blocks = (HeadingLayout(text=first), FactsLayout(facts=((first or "label", first),)), chart, table,
              TextLayout(paragraphs=paragraphs("**bold** text")))  # fmt: skip
    return Layout(
        title=first, sheet=first, header=first, footer=first, page=PAGE, blocks=blocks, merged=(),
    )  # fmt: skip


def ods(sheet: str, rows: list[list[object]]) -> bytes:
    """A minimal spreadsheet of the OpenDocument format (ISO/IEC 26300)."""

    def cell(value: object) -> str:
        if isinstance(value, str):
            return f'<table:table-cell office:value-type="string"><text:p>{value}</text:p></table:table-cell>'
        return f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{value}</text:p></table:table-cell>'

    body = "".join(
        f"<table:table-row>{''.join(map(cell, row)) or '<table:table-cell/>'}</table:table-row>" for row in rows
    )
    name = "urn:oasis:names:tc:opendocument:xmlns"
    content = (
        f'<?xml version="1.0"?><office:document-content xmlns:office="{name}:office:1.0" xmlns:table="{name}:table:1.0" '
        f'xmlns:text="{name}:text:1.0"><office:body><office:spreadsheet><table:table table:name="{sheet}">{body}'
        "</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    target = io.BytesIO()
    with zipfile.ZipFile(target, "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("content.xml", content)
        entry = '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>'
        head = f'<manifest:manifest xmlns:manifest="{name}:manifest:1.0">'
        book.writestr("META-INF/manifest.xml", f'<?xml version="1.0"?>{head}{entry}</manifest:manifest>')
    return target.getvalue()


FORM = """\
    form:
      file: form.xlsx
      cells: {Farm: "{{ recipient.farm_name }}", Payable: "{{ figures.payable }}", Said: "{{ figures.payable | money }}"}
      rows: Lines
    blocks:"""
FORM_CHANGE = ("    blocks:", FORM)


def form(folder: Path, **cells: object) -> None:
    """A form with a row of lines (7), totals (8), a mean, merged cells, a condition, a chart and a second sheet."""
    book = openpyxl.Workbook()
    sheet: Any = book.active
    sheet.title = "Milk 2026"
    usual = {
        "A1": "Tarnvale", "A6": "Day", "B4": 0, "A7": "day", "B7": "litres", "C7": "amount", "D7": "=C7/B7", "E7": "remark",
        "B8": "=SUM(B7:B7)", "C8": "=SUM(C$7:C$7)", "B10": "=B8/COUNT(B7:B7)", "C10": "wide",
    }  # fmt: skip
    for place, value in (usual | cells).items():
        sheet[place] = value
    for place, look in {"B4": '0.00 "€"', "A7": "ddd d mmm", "C7": "#,##0.00", "C8": "#,##0.00"}.items():
        sheet[place].number_format = look
    sheet["B7"].font = Font(italic=True)
    sheet.row_dimensions[7].height, sheet.row_dimensions[10].height = 18, 30
    sheet.merge_cells("C10:D10")
    rule: Any = CellIsRule
    sheet.conditional_formatting.add("B7:B7", rule(operator="greaterThan", formula=["795"], font=Font(bold=True)))
    chart = BarChart()
    chart.add_data(Reference(sheet, min_col=2, min_row=6, max_row=7), titles_from_data=True)
    chart.set_categories(Reference(sheet, min_col=1, min_row=7))
    sheet.add_chart(chart, "A12")
    book.create_sheet("Sum")["A1"] = "=SUM('Milk 2026'!C7:C7)+'Milk 2026'!C8"
    for name, place in {
        "Farm": "$B$3",
        "Payable": "$B$4",
        "Said": "$B$5",
        "Lines": "$A$7:$E$7",
        "Mean": "$B$10",
    }.items():
        book.defined_names[name] = DefinedName(name, attr_text=f"'Milk 2026'!{place}")
    book.save(folder / "form.xlsx")
