"""Cutting what others made by key, against the script that one would write: `python benchmarks/cutting.py [WHAT [N]]`.

WHAT is `pdf` (N pages, two for each key) or `workbook` (N rows, a hundred for each key). The script for a PDF reads the
text of each page with pypdf, finds the key and writes the pages of each key with pypdf; that for a workbook reads it
with openpyxl and writes the rows of each key, with their formats and the widths of columns. No script searches for
other people's values, keeps a record or writes messages. Gonnet does. Each in a process of its own, in turns.
"""

from __future__ import annotations

import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path

import xlsxwriter
from reportlab.pdfgen.canvas import Canvas

_TURNS = 3
_PDF_SCRIPT = """\
import re, sys
from collections import defaultdict
from pathlib import Path
from pypdf import PdfReader, PdfWriter

reader, pages = PdfReader("run.pdf"), defaultdict(list)
for page in reader.pages:
    pages[re.search(r"Farm no\\. (\\w+)", page.extract_text())[1]].append(page)
Path("parts").mkdir(exist_ok=True)
for key, found in pages.items():
    writer = PdfWriter()
    for page in found:
        writer.add_page(page)
    writer.write(f"parts/{key}.pdf")
"""
_BOOK_SCRIPT = """\
from collections import defaultdict
from copy import copy
from pathlib import Path
from openpyxl import Workbook, load_workbook

source = load_workbook("run.xlsx")["Visits"]
top, *rows = source.iter_rows()
found = defaultdict(list)
for row in rows:
    found[row[0].value].append(row)
Path("parts").mkdir(exist_ok=True)
for key, mine in found.items():
    book = Workbook()
    sheet = book.active
    sheet.title = "Visits"
    for row in (top, *mine):
        sheet.append([cell.value for cell in row])
        for cell, was in zip(sheet[sheet.max_row], row):
            if was.has_style:
                cell.number_format, cell.font, cell.fill = was.number_format, copy(was.font), copy(was.fill)
    for letter, width in source.column_dimensions.items():
        sheet.column_dimensions[letter].width = width.width
    sheet.freeze_panes = source.freeze_panes
    book.save(f"parts/{key}.xlsx")
"""
_JOB = """\
title: Certificates
data: {members: {file: members.csv}}
arrivals: {run: ARRIVAL}
recipients: {rows: members, key: farm_no, name: name, to: email}
package: {documents: [{arrival: run}], name: "{{ key }}"}
messages: {standard: {subject: Certificate, body: Your certificate is attached.}}
deliver: [{email: {from: lab@tarnvale.example}}]
checks: {identifying: [name]}
"""


def main() -> None:
    """Make a run and print what each takes."""
    what = sys.argv[1] if len(sys.argv) > 1 else "pdf"
    make, arrival, script, usual, each = _CASES[what]
    count = int(sys.argv[2]) if len(sys.argv) > 2 else usual
    keys = count // each
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make(folder, count, keys)
        _make_workspace(folder, arrival, keys)
        (folder / "by_hand.py").write_text(script)
        by_hand, gonnet = [sys.executable, "by_hand.py"], [sys.executable, "-m", "gonnet", "prepare", "cut", "--quiet"]
        found: dict[str, list[tuple[float, float, float]]] = {"by hand": [], "gonnet": []}
        for _ in range(_TURNS):
            for who, command in (("by hand", by_hand), ("gonnet", gonnet)):
                shutil.rmtree(folder / "parts", ignore_errors=True)
                shutil.rmtree(folder / ".gonnet", ignore_errors=True)
                found[who].append(_timed(command, folder))
    for who, turns in found.items():
        wall, cpu, memory = (statistics.median(column) for column in zip(*turns, strict=True))
        print(f"{who:<8} {wall:7.1f} s   {cpu:7.1f} s of processor time   {memory:6.0f} MB")
    ratios = [one[0] / other[0] for one, other in zip(found["by hand"], found["gonnet"], strict=True)]
    spread = f"{statistics.median(ratios):.1f} times as fast ({min(ratios):.1f}–{max(ratios):.1f})"
    print(f"{what}, {count:,} for {keys:,} keys: {spread}")


def _make_pdf(folder: Path, count: int, keys: int) -> None:
    canvas = Canvas(str(folder / "run.pdf"), pageCompression=1)
    for number in range(count):
        key = f"F{number * keys // count:06d}"
        canvas.setFont("Helvetica-Bold", 14)
        canvas.drawString(60, 780, f"Certificate for Farm no. {key}")
        canvas.setFont("Helvetica", 10)
        for line in range(35):
            canvas.drawString(
                60,
                740 - 18 * line,
                f"Sample {number * 35 + line}: fat 4.{line:02d}, protein 3.{line:02d}, cells {150 + line}",
            )
        canvas.showPage()
    canvas.save()


def _make_book(folder: Path, count: int, keys: int) -> None:
    with xlsxwriter.Workbook(str(folder / "run.xlsx")) as book:
        sheet, bold = book.add_worksheet("Visits"), book.add_format({"bold": True, "bg_color": "#d5e3dc"})
        day, money = book.add_format({"num_format": "d mmm yyyy"}), book.add_format({"num_format": "#,##0.00"})
        heads = ("Farm no.", "Day", "Reason", "Cows", "Hours", "Fee", "Medicine", "Remark")
        sheet.write_row(0, 0, heads, bold)
        for at in range(count):
            sheet.write_string(at + 1, 0, f"F{at % keys:06d}")
            sheet.write_number(at + 1, 1, 46296 + at % 31, day)
            sheet.write_string(at + 1, 2, ("lameness", "calving", "check", "mastitis")[at % 4])
            sheet.write_number(at + 1, 3, at % 9 + 1)
            sheet.write_number(at + 1, 4, at % 7 / 2)
            sheet.write_number(at + 1, 5, (at * 37 % 30_000) / 100, money)
            sheet.write_number(at + 1, 6, (at * 11 % 9_000) / 100, money)
            sheet.write_string(at + 1, 7, f"Visit {at} of the month")
        sheet.set_column(0, 7, 14)
        sheet.freeze_panes(1, 1)


def _make_workspace(folder: Path, arrival: str, keys: int) -> None:
    people = "".join(f"F{n:06d},Farm {n} of the vale,f{n}@members.tarnvale.example\n" for n in range(keys))
    (folder / "members.csv").write_text("farm_no,name,email\n" + people)
    (folder / "gonnet.yaml").write_text("mail_servers: {office: {host: 127.0.0.1, port: 2525, security: none}}\n")
    (folder / "jobs").mkdir()
    (folder / "jobs/cut.yaml").write_text(_JOB.replace("ARRIVAL", arrival))


_CASES: dict[str, tuple[Callable[[Path, int, int], None], str, str, int, int]] = {
    "pdf": (_make_pdf, "{pdf: run.pdf, key: {text: 'Farm no\\. (\\w+)'}}", _PDF_SCRIPT, 10_000, 2),
    "workbook": (_make_book, "{workbook: run.xlsx, key: {column: Farm no.}}", _BOOK_SCRIPT, 200_000, 100),
}


def _timed(command: Sequence[str], folder: Path) -> tuple[float, float, float]:
    """Seconds, seconds of processor time, and the largest memory of a process so far in megabytes."""
    before, began = resource.getrusage(resource.RUSAGE_CHILDREN), time.monotonic()
    subprocess.run(command, cwd=folder, check=True, stdout=subprocess.DEVNULL)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return time.monotonic() - began, cpu, after.ru_maxrss / 1024


if __name__ == "__main__":
    main()
