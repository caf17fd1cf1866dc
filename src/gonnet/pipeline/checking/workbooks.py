"""What of a form somebody cannot use who has its workbook read aloud, or whose program does not calculate."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator
from itertools import islice
from typing import Any

from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.pipeline.tools import Tools

_PICTURED = re.compile(rb"<(?:\w+:)?cNvPr\b([^>]*)")
_SAID = re.compile(rb"\b(?:descr|title)=\"[^\"]+\"")
_UNNAMED = re.compile(r"(Sheet|Tabelle|Feuil|Hoja|Foglio|Arkusz)\d+")
_SHOWN = 3


def troubles(job: Job, tools: Tools) -> Iterator[Finding]:
    """A note for each thing that a form lacks."""
    seen: set[str] = set()
    for report in job.file.reports.values():
        if report.form is not None and report.form.file not in seen:
            seen.add(report.form.file)
            path = tools.workspace.folder / report.form.file
            if path.is_file():
                for text in _lacks(path.read_bytes()):
                    yield Finding(weight=Weight.NOTE, text=f"the form {report.form.file}: {text}")


def _lacks(data: bytes) -> Iterator[str]:
    """What a workbook lacks."""
    import openpyxl

    book: Any = openpyxl.load_workbook(io.BytesIO(data))
    beyond = list(_beyond(book))
    if beyond:
        more = f" and {len(beyond) - _SHOWN} more" if len(beyond) > _SHOWN else ""
        yield (
            f"formulas that are not computed here: {', '.join(beyond[:_SHOWN])}{more}; programs that do not calculate, "
            "such as previews, show nothing there"
        )
    silent = _silent(data)
    if silent:
        many = "a picture or chart" if silent == 1 else f"{silent} pictures and charts"
        yield f"{many} without alternative text: who cannot see the sheet hears nothing of it"
    unnamed = [name for name in book.sheetnames if _UNNAMED.fullmatch(name)]
    if unnamed and len(book.sheetnames) > 1:
        yield f"the sheet {unnamed[0]} has no name that says what is on it"
    merged = [f"{sheet.title}!{found.coord}" for sheet in book.worksheets for found in sheet.merged_cells.ranges]
    if merged:
        yield f"merged cells ({merged[0]}{' …' if len(merged) > 1 else ''}): what is read aloud loses its place there"


def _beyond(book: Any) -> Iterator[str]:  # noqa: ANN401  openpyxl is loaded late
    """The cells whose formulas are not computed, each with why; one for each reason."""
    from gonnet.reports.workbook.formulas import BeyondError, Calculator

    told: set[str] = set()
    for (title, row, column), value in Calculator(book).cells():
        if isinstance(value, BeyondError) and str(value) not in told:
            told.add(str(value))
            yield f"{title}!{book[title].cell(row, column).coordinate} ({value})"


def _silent(data: bytes) -> int:
    """How many pictures and charts say nothing of themselves (ECMA-376, part 1, 20.5.2.8)."""
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        drawings = (parts.read(name) for name in parts.namelist() if name.startswith("xl/drawings/drawing"))
        return sum(
            not _SAID.search(found[1]) for part in drawings for found in islice(_PICTURED.finditer(part), 10_000)
        )
