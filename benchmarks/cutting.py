"""Cutting a PDF run by key, against the script that one would write: `python benchmarks/cutting.py [PAGES [KEYS]]`.

The script reads the text of each page with pypdf, finds the key and writes the pages of each key with pypdf: no
search for other people's values, no record, no message. Gonnet does all of it. Each in a process of its own, in turns.
"""

from __future__ import annotations

import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from reportlab.pdfgen.canvas import Canvas

_TURNS = 3
_SCRIPT = """\
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
_JOB = """\
title: Certificates
data: {members: {file: members.csv}}
arrivals: {run: {pdf: run.pdf, key: {text: 'Farm no\\. (\\w+)'}}}
split: {rows: run, by: key}
recipients: {rows: members, key: farm_no, name: name, to: email}
package: {documents: [{arrival: run}], name: "{{ key }}"}
messages: {standard: {subject: Certificate, body: Your certificate is attached.}}
deliver: [{email: {from: lab@tarnvale.example}}]
checks: {identifying: [name]}
"""


def main() -> None:
    """Make a run and print what each takes."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    keys = int(sys.argv[2]) if len(sys.argv) > 2 else count // 2
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        _make(folder, count, keys)
        (folder / "by_hand.py").write_text(_SCRIPT)
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
    print(f"{count:,} pages, {keys:,} keys: {spread}")


def _make(folder: Path, count: int, keys: int) -> None:
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
    people = "".join(f"F{n:06d},Farm {n} of the vale,f{n}@members.tarnvale.example\n" for n in range(keys))
    (folder / "members.csv").write_text("farm_no,name,email\n" + people)
    (folder / "gonnet.yaml").write_text("mail_servers: {office: {host: 127.0.0.1, port: 2525, security: none}}\n")
    (folder / "jobs").mkdir()
    (folder / "jobs/cut.yaml").write_text(_JOB)


def _timed(command: Sequence[str], folder: Path) -> tuple[float, float, float]:
    """Seconds, seconds of processor time, and the largest memory of a process so far in megabytes."""
    before, began = resource.getrusage(resource.RUSAGE_CHILDREN), time.monotonic()
    subprocess.run(command, cwd=folder, check=True, stdout=subprocess.DEVNULL)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return time.monotonic() - began, cpu, after.ru_maxrss / 1024


if __name__ == "__main__":
    main()
