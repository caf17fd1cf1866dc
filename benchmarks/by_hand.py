"""The administrator's script, written decently with the usual libraries: as one writes it first, and as the able do.

A pandas group-by; for each farm a Platypus document with a table and "page x of y", a styled openpyxl workbook, and a
message over a connection of its own; one farm after the other. What one writes first wraps every cell of the table in a
paragraph; the able wrap only the column that needs it, and share everything that has a style.
"""

from __future__ import annotations

import io
import smtplib
from email.message import EmailMessage
from pathlib import Path

import pandas as pd
from openpyxl import Workbook
from openpyxl.styles import Alignment, Border, Font, Side
from reportlab.lib.colors import HexColor
from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

_FONTS = Path(__file__).parents[1] / "src" / "gonnet" / "reports" / "fonts"
_HEADINGS = ("Day", "Tanker and driver", "Litres", "Fat %", "Protein %", "Price", "Amount")
_WIDTHS = [24 * mm, 50 * mm, 18 * mm, 16 * mm, 20 * mm, 18 * mm, 24 * mm]
_BODY = ParagraphStyle("body", fontName="Script", fontSize=8.5, leading=11)
_RIGHT = ParagraphStyle("right", parent=_BODY, alignment=TA_RIGHT)
_TITLE = ParagraphStyle("title", parent=_BODY, fontName="Script-Bold", fontSize=18, leading=24)


_LINES = TableStyle([("LINEBELOW", (0, 0), (-1, 0), 1, HexColor("#2f5d50")), ("VALIGN", (0, 0), (-1, -1), "TOP")])
_PLAIN = TableStyle(
    [
        *_LINES.getCommands(),
        ("FONT", (0, 0), (-1, -1), "Script", 8.5, 11),
        ("FONT", (0, 0), (-1, 0), "Script-Bold", 8.5, 11),
        ("FONT", (0, -1), (-1, -1), "Script-Bold", 8.5, 11),
        ("ALIGN", (2, 0), (-1, -1), "RIGHT"),
    ]
)


class _Counted(Canvas):
    """Keeps every page until the number of pages is known."""

    def __init__(self, *arguments: object, **named: object) -> None:
        super().__init__(*arguments, **named)  # type: ignore[arg-type]
        self._kept: list[dict[str, object]] = []

    def showPage(self) -> None:  # noqa: N802
        self._kept.append(dict(self.__dict__))
        self._startPage()  # type: ignore[attr-defined]

    def save(self) -> None:
        for state in self._kept:
            self.__dict__.update(state)
            self.setFont("Script", 8)
            self.drawRightString(A4[0] - 18 * mm, 12 * mm, f"page {self._pageNumber} of {len(self._kept)}")  # type: ignore[attr-defined]
            super().showPage()
        super().save()


def read(folder: Path) -> list[tuple[pd.Series, pd.DataFrame]]:
    """Every farm with its collections."""
    if "Script" not in pdfmetrics.getRegisteredFontNames():
        pdfmetrics.registerFont(TTFont("Script", str(_FONTS / "NotoSans-Regular.ttf")))
        pdfmetrics.registerFont(TTFont("Script-Bold", str(_FONTS / "NotoSans-Bold.ttf")))
    farms = pd.read_csv(folder / "farms.csv", dtype=str).set_index("farm_no")
    milk = pd.read_csv(folder / "milk.csv", dtype={"farm_no": str}, parse_dates=["day"])
    return [(farms.loc[key].copy(), rows) for key, rows in milk.groupby("farm_no")]


def first_pdf(farm: pd.Series, rows: pd.DataFrame) -> bytes:
    """The farm's statement, with a paragraph in every cell."""
    cells = [[Paragraph(f"<b>{heading}</b>", _BODY if at < 2 else _RIGHT) for at, heading in enumerate(_HEADINGS)]]
    for row in rows.itertuples():
        cells.append(
            [
                Paragraph(f"{row.day:%d %b %Y}", _BODY),
                Paragraph(row.tanker, _BODY),
                Paragraph(f"{row.litres:,}", _RIGHT),
                Paragraph(f"{row.fat_pct:.2f}", _RIGHT),
                Paragraph(f"{row.protein_pct:.2f}", _RIGHT),
                Paragraph(f"{row.price:.4f}", _RIGHT),
                Paragraph(f"{row.amount:,.2f}", _RIGHT),
            ]
        )
    blank = Paragraph("", _BODY)
    total = [Paragraph(f"<b>{text}</b>", _RIGHT) for text in (f"{rows.litres.sum():,}", f"{rows.amount.sum():,.2f}")]
    cells.append([Paragraph("<b>Total</b>", _BODY), blank, total[0], blank, blank, blank, total[1]])
    return _document(farm, rows, Table(cells, colWidths=_WIDTHS, repeatRows=1, style=_LINES))


def pdf(farm: pd.Series, rows: pd.DataFrame) -> bytes:
    """The same with plain texts where nothing is ever wrapped."""
    cells: list[list[object]] = [list(_HEADINGS)]
    for row in rows.itertuples():
        cells.append(
            [
                f"{row.day:%d %b %Y}",
                Paragraph(row.tanker, _BODY),
                f"{row.litres:,}",
                f"{row.fat_pct:.2f}",
                f"{row.protein_pct:.2f}",
                f"{row.price:.4f}",
                f"{row.amount:,.2f}",
            ]
        )
    cells.append(["Total", "", f"{rows.litres.sum():,}", "", "", "", f"{rows.amount.sum():,.2f}"])
    return _document(farm, rows, Table(cells, colWidths=_WIDTHS, repeatRows=1, style=_PLAIN))


def _document(farm: pd.Series, rows: pd.DataFrame, table: Table) -> bytes:
    target = io.BytesIO()
    facts = f"{farm.farm_name}<br/>Litres: {rows.litres.sum():,}<br/>To be paid: €{rows.amount.sum():,.2f}"
    story = [Paragraph(f"Milk statement, {farm.farm_name}", _TITLE), Paragraph(facts, _BODY), Spacer(1, 12), table]
    SimpleDocTemplate(target, pagesize=A4, leftMargin=18 * mm, rightMargin=18 * mm).build(story, canvasmaker=_Counted)
    return target.getvalue()


def xlsx(farm: pd.Series, rows: pd.DataFrame) -> bytes:
    """The farm's workbook."""
    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Statement"
    sheet["A1"] = f"Milk statement, {farm.farm_name}"
    sheet["A1"].font = Font(bold=True, size=15)
    bold, line = Font(bold=True), Border(bottom=Side(style="medium"))
    for at, heading in enumerate(_HEADINGS, 1):
        cell = sheet.cell(row=3, column=at, value=heading)
        cell.font, cell.border = bold, line
    formats = ("d mmm yyyy", None, "#,##0", "0.00", "0.00", "0.0000", "#,##0.00")
    wrap = Alignment(wrap_text=True, vertical="top")
    for number, row in enumerate(rows.itertuples(), 4):
        values = (row.day.date(), row.tanker, row.litres, row.fat_pct, row.protein_pct, row.price, row.amount)
        for at, (value, form) in enumerate(zip(values, formats, strict=True), 1):
            cell = sheet.cell(row=number, column=at, value=value)
            if form:
                cell.number_format = form
            else:
                cell.alignment = wrap
    last = 4 + len(rows)
    for at, value in ((1, "Total"), (3, int(rows.litres.sum())), (7, float(rows.amount.sum()))):
        cell = sheet.cell(row=last, column=at, value=value)
        cell.font = bold
    for letter, width in zip("ABCDEFG", (14, 40, 12, 10, 12, 12, 14), strict=True):
        sheet.column_dimensions[letter].width = width
    sheet.freeze_panes = "A4"
    target = io.BytesIO()
    book.save(target)
    return target.getvalue()


def mail(farm: pd.Series, files: dict[str, bytes], port: int) -> None:
    """Send the files over a connection of their own."""
    message = EmailMessage()
    message["From"], message["To"] = "Milk office <milk@tarnvale.example>", farm.email
    message["Subject"] = f"Your milk statement, {farm.farm_name}"
    message.set_content(f"Dear {farm.farm_name},\n\nyour statement is attached.\n\nTarnvale milk office\n")
    for name, data in files.items():
        message.add_attachment(data, maintype="application", subtype="octet-stream", filename=name)
    with smtplib.SMTP("127.0.0.1", port) as server:
        server.send_message(message)
