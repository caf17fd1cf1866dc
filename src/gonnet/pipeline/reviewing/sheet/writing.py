"""Writing the sheet of a review: as a workbook with room for decisions, or as CSV."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import xlsxwriter
from xlsxwriter.format import Format

from gonnet.ledger import RunRecord
from gonnet.pipeline.reviewing.sheet.lines import DECISION, LONGEST, MESSAGE, STATE, VERBS, Table, Use, Value
from gonnet.wording.harmless import as_cell

SHEET = "Packages"
_HEAD = {"bold": True, "text_wrap": True, "valign": "top", "bottom": 1}
_FILLS = {Use.TELLS: "#dde6e1", Use.NUMBER: "#dde6e1", Use.DECIDES: "#f3d98b", Use.MARKS: "#e6e6e6"}
_ALARM = "#a4420d"
_LINE, _MOST_LINES = 15, 4
_MOST_PLACES = 6
OPEN = ("unsure", "failed", "held")
_ROOM = "#fdf6e0"  # of what is decided
_HOW = (
    "How to decide",
    "Write under the yellow headings only; the rest tells. What stays empty stays as it is.",
    "Decision: send lets a package go with the next send; hold keeps it back; skip leaves it out. Say a reason.",
    "Other To, Cc, Bcc: addresses, several with `;` between them. `nobody` under Other Cc or Bcc takes them away.",
    "Other message: one of the job's. Other subject, Other text: these words instead, as they are.",
    "One more file: a file of the workspace that goes with the package, such as notes/tank.pdf.",
    "To sort, delete lines or add columns, take off the protection first: it has no password.",
    "Leave Key, Run and Mark as they are: by them each line is known.",
)


def workbook(table: Table) -> bytes:
    """The sheet as a workbook: packages on the first page, the run as a whole on the second."""
    target = io.BytesIO()
    options = {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
    with xlsxwriter.Workbook(target, options) as book:
        book.set_properties({"title": f"Review of run {table.run.id}: {table.run.title}"})
        _packages(book, table)
        _about(book, table.run)
    return target.getvalue()


def text(table: Table) -> bytes:
    """The sheet as CSV in UTF-8."""
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\r\n")
    writer.writerow([column.heading for column in table.columns])
    for line in table.lines():
        writer.writerow(["" if value is None else as_cell(str(value)) for value in line])
    return target.getvalue().encode("utf-8-sig")


def _packages(book: xlsxwriter.Workbook, table: Table) -> None:
    sheet, count, last = book.add_worksheet(SHEET), len(table.packages), len(table.columns) - 1
    looks = {
        Use.TELLS: book.add_format({"valign": "top", "text_wrap": True}),
        Use.NUMBER: None,
        Use.DECIDES: book.add_format({"locked": False, "bg_color": _ROOM, "num_format": "@", "valign": "top"}),
        Use.MARKS: book.add_format({"valign": "top", "font_color": "#8a8a8a"}),
    }
    amounts = _amounts(book)
    alarming = {state: book.add_format({"valign": "top", "bold": True, "font_color": _ALARM}) for state in OPEN}
    for at, column in enumerate(table.columns):
        head = book.add_format({**_HEAD, "bg_color": _FILLS[column.use]})
        sheet.set_column(at, at, column.width)
        sheet.write_string(0, at, column.heading, head)
    for row, line in enumerate(table.lines(), 1):
        if (height := _height(table, line)) > 1:
            sheet.set_row(row, _LINE * height)
        for at, (column, value) in enumerate(zip(table.columns, line, strict=True)):
            look = alarming.get(str(value)) if column.heading == STATE else None
            _write(sheet, row, at, value, look or looks[column.use] or amounts[_places(value)])
    sheet.freeze_panes(1, 2)
    sheet.autofilter(0, 0, max(count, 1), last)
    for heading, choices in ((DECISION, VERBS), (MESSAGE, table.messages)):
        at = next(number for number, column in enumerate(table.columns) if column.heading == heading)
        if choices and sum(map(len, choices)) + len(choices) < 250:  # as much as a list of its own may say
            sheet.data_validation(1, at, max(count, 1), at, {"validate": "list", "source": list(choices)})
    allowed = ("autofilter", "format_columns", "format_rows")
    sheet.protect("", dict.fromkeys(allowed, True))
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(0)


def _amounts(book: xlsxwriter.Workbook) -> list[Format]:
    """Looks of numbers, by their decimal places."""
    formats = ("#,##0" + ("." + "0" * places if places else "") for places in range(_MOST_PLACES + 1))
    return [book.add_format({"valign": "top", "num_format": form}) for form in formats]


def _places(value: Value) -> int:
    exponent = value.as_tuple().exponent if isinstance(value, Decimal) else 0
    return min(_MOST_PLACES, max(0, -exponent)) if isinstance(exponent, int) else 0


def _height(table: Table, line: Sequence[Value]) -> int:
    """How many lines of text a line of the sheet needs before its decisions; not more than a few."""
    said = zip(table.columns[:5], line, strict=False)
    return min(_MOST_LINES, max(1 + len(str(value or "")) // (column.width + 4) for column, value in said))


def _write(sheet: xlsxwriter.worksheet.Worksheet, row: int, at: int, value: Value, look: Format | None) -> None:
    if value is None or value == "":
        sheet.write_blank(row, at, None, look)
    elif isinstance(value, str):
        sheet.write_string(row, at, value[:LONGEST], look)
    else:
        sheet.write_number(row, at, float(value) if isinstance(value, Decimal) else value, look)


def _about(book: xlsxwriter.Workbook, run: RunRecord) -> None:
    """Totals, findings, and how to decide."""
    sheet = book.add_worksheet("Run")
    bold, wrapped = book.add_format({"bold": True}), book.add_format({"text_wrap": True, "valign": "top"})
    amounts = _amounts(book)
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)
    sheet.set_column(0, 0, 24)
    sheet.set_column(1, 5, 18)
    row = 0
    for label, value in _facts(run):
        sheet.write_string(row, 0, label, bold)
        _write(sheet, row, 1, value, book.add_format({"align": "left"}))
        row += 1
    for heading, lines in (("Control totals", _controls(run)), ("Findings", run.findings)):
        if lines:
            row += 1
            sheet.write_string(row, 0, heading, bold)
            for line in lines:
                row += 1
                for at, part in enumerate(line):
                    _write(sheet, row, at, part, amounts[_places(part)] if at else None)
            row += 1
    row += 1
    sheet.write_string(row, 0, _HOW[0], bold)
    for advice in _HOW[1:]:
        row += 1
        sheet.merge_range(row, 0, row, 5, advice, wrapped)
        sheet.set_row(row, 30)
    sheet.protect("", {"format_columns": True})


def _facts(run: RunRecord) -> list[tuple[str, Value]]:
    facts: list[tuple[str, Value]] = [
        ("Run", run.id),
        ("Job", run.title),
        ("For", run.period),
        ("Prepared", run.prepared.strftime("%Y-%m-%d %H:%M")),
        *((f"{state}".capitalize(), count) for state, count in run.came.items()),
    ]
    return facts


def _controls(run: RunRecord) -> list[tuple[Value, ...]]:
    """The account of rows, and that each control total of the parts is that of the whole."""
    if not run.account:
        return []
    account: Any = run.account
    found: list[tuple[Value, ...]] = [("", "Read", "To leave, or left", "Withheld")]
    for name, part in (("", account), *account.get("others", {}).items()):
        of = f" of {name}" if name else ""
        found.append((f"Rows{of}", part["read"], part["delivered"], sum(part["withheld"].values())))
        for control in part["controls"]:
            sums = (Decimal(control[side]) for side in ("whole", "delivered", "withheld"))
            found.append((f"{control['column']}{of}", *sums))
    return found
