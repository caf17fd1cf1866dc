"""Reading the arrivals of a job: each is a data set of its pages, and later a file that parts are cut out of."""

from __future__ import annotations

import datetime as dt
import importlib.util
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path

from gonnet.arrivals import Arrived, read_pdf_run
from gonnet.arrivals.kept import KeptPages
from gonnet.arrivals.runs import files_of, stamps_of
from gonnet.data.files.kept import READINGS
from gonnet.data.loading import Ready
from gonnet.errors import DataError, JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.arrivals import FILE, KEY, PAGE, PdfRun
from gonnet.jobs.workspace import Workspace

NEEDED = (FILE, PAGE)
"""What must be known of each page to cut it out, in this order."""


def arrived(job: Job, workspace: Workspace, most: int | None = None) -> dict[str, Arrived]:
    """Every arrival of a job, read.

    Args:
        job: The job.
        workspace: Whose folder file names count from.
        most: Only so many pages of each; None for all.

    Raises:
        DataError: one cannot be read, or the key of a page is in doubt.
        JobError: a file lies outside of the workspace, or a password is not there.
    """
    return {name: _read(name, spec, job, workspace, most) for name, spec in job.file.arrivals.items()}


def require_cutting(where: str) -> None:
    """Refuse where the library that cuts PDFs is not installed.

    Raises:
        JobError: names the line that installs it.
    """
    if importlib.util.find_spec("pikepdf") is None:
        what = "the library that cuts PDFs is not installed"
        raise JobError(what, where=where, fix="Install it: pip install 'gonnet[arrivals]'")


def source_of(job: Job, workspace: Workspace, name: str) -> tuple[Path, Path | None, str]:
    """The path of an arrival's file or files, that of the list of its pages, and what opens it.

    Raises:
        JobError: a file lies outside of the workspace, or a password is not there.
    """
    spec, place = job.file.arrivals[name], ("arrivals", name)
    listed = spec.key.list
    path = workspace.reach.file(spec.pdf, job.at(*place, "pdf"))
    index = workspace.reach.file(listed, job.at(*place, "key", "list")) if listed is not None else None
    password = workspace.secrets.resolve(spec.password, job.at(*place, "password")) if spec.password else ""
    return path, index, password


def _read(name: str, spec: PdfRun, job: Job, workspace: Workspace, most: int | None) -> Arrived:
    require_cutting(job.at("arrivals", name))
    path, index, password = source_of(job, workspace, name)
    kept, files = KeptPages(workspace.kept / READINGS), files_of(path)
    stamps, key = stamps_of(files), kept.key(name, files, spec, index) if most is None else None
    if key is not None and (taken := kept.take(key)) is not None:
        reading, made = taken
        found = read_pdf_run(name, spec, path, index, password, known=reading)
        if found.stamps == stamps:  # else it was changed since its digest was taken
            when = f"{made.astimezone(workspace.zone):%Y-%m-%d %H:%M}"
            return replace(found, notes=(f"{name}: taken from what was read of the same file on {when}",))
    found = read_pdf_run(name, spec, path, index, password, most)
    found = replace(found, findings=(*found.findings, *_troubles(found)))
    if key is not None and found.stamps == stamps:
        kept.put(key, found.pages, found.findings, dt.datetime.now(dt.UTC))
    return found


def _troubles(found: Arrived) -> Iterator[Finding]:
    from gonnet.arrivals.cutting import troubles

    for path in found.files:
        for text in troubles(path, found.password):
            yield Finding(weight=Weight.ATTENTION, text=text)


def as_tables(job: Job, found: Mapping[str, Arrived]) -> dict[str, Ready]:
    """The data sets that arrivals are: a row for each page."""
    return {
        name: Ready(
            names=(KEY, FILE, PAGE, *part.spec.read),
            rows=[(page.key, part.files[page.file].name, page.number, *page.values) for page in part.pages],
            where=job.at("arrivals", name),
            fixed={KEY: "text", FILE: "text", PAGE: "whole"}
            | {value: "text" for value, named in part.spec.read.items() if named.kind == "text"},
            numbers={value: named.numbers for value, named in part.spec.read.items() if named.numbers},
            dates={value: named.dates for value, named in part.spec.read.items() if named.dates},
        )
        for name, part in found.items()
    }


def require_kinds(job: Job, found: Mapping[str, Arrived], types: Mapping[str, Mapping[str, str]]) -> None:
    """Refuse values of pages that are not what the job says they are.

    Args:
        job: The job.
        found: The arrivals.
        types: Arrival → column → what it became.

    Raises:
        DataError: one is not; names the first page that has it.
    """
    for name, part in found.items():
        for at, (value, named) in enumerate(part.spec.read.items()):
            is_there = any(page.values[at] is not None for page in part.pages)
            if is_there and named.kind != "text" and types[name][value] != named.kind:
                page = next(page for page in part.pages if page.values[at] is not None)
                what = f"'{page.values[at]}', the {value} of '{name}', is not read as a {named.kind}"
                key = "numbers: 1.234,56" if named.kind == "number" else "dates: dd.MM.yyyy"
                fix = f"Say at {job.at('arrivals', name, 'read', value)} how it is written, such as `{key}`"
                raise DataError(what, where=f"{part.files[page.file].name}, page {page.number}", fix=fix)


def views(job: Job, found: Mapping[str, Arrived]) -> Iterator[tuple[str, str]]:
    """Arrival that documents show parts of, and the view of its pages."""
    wanted = {document.arrival for document in job.file.package.documents if document.arrival}
    for name in found:
        if name in wanted:
            yield name, job.file.split.cuts[name].view
