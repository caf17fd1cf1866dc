"""What tests look at that no job made: a document with every kind of text in it, and a spreadsheet."""

from __future__ import annotations

import io
import zipfile
from decimal import Decimal

from gonnet.jobs.style import Style
from gonnet.reports.layout.charts import ChartLayout, SeriesLayout
from gonnet.reports.layout.models import FactsLayout, HeadingLayout, Layout, TableLayout, TextLayout
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import Look, PageForm
from gonnet.wording.formats import House
from gonnet.wording.marked import paragraphs

LOOK = Look(style=Style(organisation="Tarnvale"), house=House(locale="en"))
FORM = PageForm(paper="A4", landscape=False, width=595, height=842, margins=(51,) * 4, watermark=None)
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
        title=first, sheet=first, header=first, footer=first, page=FORM, blocks=blocks, merged=(),
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
