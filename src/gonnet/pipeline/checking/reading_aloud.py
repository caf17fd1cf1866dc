"""Which PDFs of a job nobody can have read aloud, or archive, and why: what `check` says beforehand."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pypdfium2
from pypdfium2 import raw

from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.arrivals import TextRun, WorkbookRun
from gonnet.jobs.blocks.charts import ChartBlock
from gonnet.jobs.contents import DocumentSpec
from gonnet.pipeline.tools import Tools


def unclaimed(job: Job, tools: Tools) -> Iterator[Finding]:
    """A note for what does not conform to PDF/UA-1, or to PDF/A-2b; none where the style asks for plain PDFs."""
    if tools.look(job).style.pdf == "plain":
        return
    package = job.file.package
    for name, report in job.file.reports.items():
        silent = sum(isinstance(block, ChartBlock) and block.chart.alt is None for block in report.blocks)
        if silent:
            charts = "a chart" if silent == 1 else f"{silent} charts"
            has = "has" if silent == 1 else "have"
            yield _note(f"{charts} of '{name}' {has} no `alt`: who cannot see it hears which values it shows, not why")
    drawn = [part for part in package.documents if part.format == "pdf" and part.report is not None]
    arrived = [part for part in package.documents if part.format == "pdf" and part.arrival is not None]
    listed = [part for part in arrived if isinstance(job.file.arrivals[part.shows], TextRun | WorkbookRun)]
    elsewhere = [part for part in arrived if part not in listed]
    is_joined = package.join is not None and "pdf" in package.join.formats
    if arrived and drawn and is_joined:
        text = f"the joined PDF has pages of {_named(arrived)} in it, which another program made"
        yield _note(f"{text}: it does not say that it can be read aloud (PDF/UA) or archived (PDF/A)")
        listed = elsewhere = []
    if listed:
        text = f"{_named(listed)} as PDF can be archived, but does not say that it can be read aloud (PDF/UA)"
        yield _note(f"{text}: nobody knows which lines are heads")
    if elsewhere:
        yield _note(f"{_named(elsewhere)} stays as another program made it: whether it can be read aloud is not known")
    locked = [part for part in drawn if part.password is not None]
    if locked:
        yield _note(f"{_named(locked)} as PDF has a password: it can be read aloud, but no archive takes it (PDF/A)")
    for file in (part.file for part in package.enclose if not part.is_own and part.file.casefold().endswith(".pdf")):
        if not _is_tagged(tools.workspace.folder / file):
            yield _note(f"the enclosure {file} is not tagged: it cannot be read aloud as it should be (PDF/UA)")


def _named(parts: list[DocumentSpec]) -> str:
    return ", ".join(f"'{part.shows}'" for part in parts)


def _note(text: str) -> Finding:
    return Finding(weight=Weight.NOTE, text=text)


def _is_tagged(path: Path) -> bool:
    """Whether a PDF has a structure; one that cannot be read is told elsewhere."""
    try:
        with closing(pypdfium2.PdfDocument(path)) as document:
            return bool(raw.FPDFCatalog_IsTagged(document.raw))
    except (OSError, pypdfium2.PdfiumError):
        return True
