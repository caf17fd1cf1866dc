"""The made-up list that the cooperative's office keeps in a workbook."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import xlsxwriter

_INES = ("Ines Calloway", "ines.calloway@tarnvale.example", "x", "")
_PEOPLE = (
    ("Name", "Address", "Managers", "Board", "region", "adviser", "Documents", "File name", "Subject"),
    ("Jonas Lund", "jonas.lund@tarnvale.example", "x", "", "Upper Tarn", "*", "figures", "Upper Tarn", "Your region"),
    ("Hana Graham", "hana.graham@tarnvale.example", "x", "", "Lower Vale; Eastmoor", "*", "table", "", ""),
    (*_INES, "*", "Ines Calloway", "", "My farms", "Your farms' milk"),
    (*_INES, "Skerrow", "*", "figures", "Skerrow", "The milk of Skerrow"),
    ("Maren Holt", "maren.holt@tarnvale.example", "", "x", "*", "*", "", "", ""),
)  # fmt: skip
_CIRCLES = (
    ("Circle", "What it is for", "Way", "Format", "Documents", "Message", "Language", "Copy to"),
    ("Managers", "The milk of a region", "", "", "figures; table", "", "", "office@tarnvale.example"),
    ("Board", "Everything", "", "", "figures", "", "", ""),
)  # fmt: skip


def write(path: Path) -> None:
    """Write the list."""
    book = xlsxwriter.Workbook(str(path), {"strings_to_formulas": False, "strings_to_urls": False})
    book.set_properties({"created": dt.datetime(2026, 10, 31)})  # noqa: DTZ001  workbooks know no zones
    head = book.add_format({"bold": True, "bottom": 1})
    for name, lines in (("People", _PEOPLE), ("Circles", _CIRCLES)):
        sheet = book.add_worksheet(name)
        sheet.freeze_panes(1, 1)
        for row, line in enumerate(lines):
            for column, text in enumerate(line):
                if text:
                    sheet.write_string(row, column, text, None if row else head)
        for column, cells in enumerate(zip(*lines, strict=True)):
            sheet.set_column(column, column, max(map(len, cells)) + 2)
    book.close()
