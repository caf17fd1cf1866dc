"""Reading the arrivals of a job: each is a data set of its pages or files, and later what parts are taken from."""

from __future__ import annotations

import datetime as dt
import importlib.util
import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from itertools import takewhile
from pathlib import Path

from gonnet.arrivals import Arrived, read_folder, read_run
from gonnet.arrivals.kept import KeptPages
from gonnet.arrivals.models import files_of, stamps_of
from gonnet.arrivals.runs import Run, Spread
from gonnet.arrivals.workbooks.reading import read_workbook
from gonnet.data import Engine
from gonnet.data.files.kept import READINGS
from gonnet.data.loading import Ready
from gonnet.errors import AbsentError, DataError, JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.arrivals import FILE, KEY, PAGE, ROW, SHEET, Arrival, Folder, PdfRun, TextRun, WorkbookRun
from gonnet.jobs.workspace import Workspace
from gonnet.split.slices import KEY as SPLIT_KEY

_WILD = re.compile(r"[*?\[]")
_PLACES = {FILE: "text", PAGE: "whole", SHEET: "text", ROW: "whole"}
"""Column that says where something stands → its type."""


def arrived(job: Job, workspace: Workspace, most: int | None = None, spread: Spread = map) -> dict[str, Arrived]:
    """Every arrival of a job, read.

    Args:
        job: The job.
        workspace: Whose folder file names count from.
        most: Only so many pages of each; None for all.
        spread: Has the pages of PDFs read.

    Raises:
        DataError: one cannot be read, or the key of a page is in doubt.
        JobError: a file lies outside of the workspace, or a password is not there.
    """
    return {name: _read(name, spec, job, workspace, most, spread) for name, spec in job.file.arrivals.items()}


def require_cutting(where: str) -> None:
    """Refuse where the library that cuts PDFs is not installed.

    Raises:
        JobError: names the line that installs it.
    """
    if importlib.util.find_spec("pikepdf") is None:
        what = "the library that cuts PDFs is not installed"
        raise JobError(what, where=where, fix="Install it: pip install 'gonnet[arrivals]'")


def source_of(job: Job, workspace: Workspace, name: str, spec: Run) -> tuple[Path, Path | None, str]:
    """The path of a run's file or files, that of the list of its pages, and what opens it.

    Raises:
        JobError: a file lies outside of the workspace, or a password is not there.
    """
    place = "arrivals", name
    listed = spec.key.list
    kind, file = ("text", spec.text) if isinstance(spec, TextRun) else ("pdf", spec.pdf)
    path = workspace.reach.file(file, job.at(*place, kind))
    index = workspace.reach.file(listed, job.at(*place, "key", "list")) if listed is not None else None
    secret = spec.password if isinstance(spec, PdfRun) else None
    password = workspace.secrets.resolve(secret, job.at(*place, "password")) if secret else ""
    return path, index, password


def _read(name: str, spec: Arrival, job: Job, workspace: Workspace, most: int | None, spread: Spread) -> Arrived:
    if isinstance(spec, WorkbookRun):
        if any(one.arrival == name and one.format == "pdf" for one in job.file.package.documents):
            require_cutting(job.at("arrivals", name))
        path = workspace.reach.file(spec.workbook, job.at("arrivals", name, "workbook"))
        if not path.is_file():
            raise AbsentError(f"there is no file {path.name}", where=str(path.parent), fix="Check its name")
        return read_workbook(name, spec, path, most)
    require_cutting(job.at("arrivals", name))
    if isinstance(spec, Folder):
        return _read_folder(name, spec, job, workspace, most)
    if isinstance(spec, TextRun):
        path, index, _ = source_of(job, workspace, name, spec)
        return read_run(name, spec, path, index, "", most)
    return _read_pdf_run(name, spec, job, workspace, most, spread)


def _read_folder(name: str, spec: Folder, job: Job, workspace: Workspace, most: int | None) -> Arrived:
    reach, where = workspace.reach, job.at("arrivals", name, "files")
    pattern = Path(spec.files)
    base = Path(*takewhile(lambda part: not _WILD.search(part), pattern.parts[:-1]))
    top = reach.file(base, where)
    found = sorted(path for path in top.glob(str(pattern.relative_to(base))) if path.is_file())
    files = [reach.file(path, where) for path in found if not path.name.startswith(".")][:most]
    everybodys = {
        reach.file(enclosed.file, job.at("package", "enclose", at))
        for at, enclosed in enumerate(job.file.package.enclose)
        if not enclosed.is_own
    }
    return read_folder(name, spec, reach.folder, files, everybodys)


def _read_pdf_run(name: str, spec: PdfRun, job: Job, workspace: Workspace, most: int | None, spread: Spread) -> Arrived:
    path, index, password = source_of(job, workspace, name, spec)
    kept, files = KeptPages(workspace.kept / READINGS), files_of(path)
    stamps, key = stamps_of(files), kept.key(name, files, spec, index) if most is None else None
    if key is not None and (taken := kept.take(key)) is not None:
        reading, made = taken
        found = read_run(name, spec, path, index, password, known=reading)
        if found.stamps == stamps:  # else it was changed since its digest was taken
            when = f"{made.astimezone(workspace.zone):%Y-%m-%d %H:%M}"
            return replace(found, notes=(f"{name}: taken from what was read of the same file on {when}",))
    found = read_run(name, spec, path, index, password, most, spread=spread)
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
    """The data sets that arrivals are: a row for each page or file."""
    return {
        name: Ready(
            names=(KEY, *part.spec.places, *part.spec.read),
            rows=[(page.key, *part.place(page), *page.values) for page in part.pages],
            where=job.at("arrivals", name),
            fixed={KEY: "text", **{place: _PLACES[place] for place in part.spec.places}}
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
                raise DataError(what, where=part.where(page), fix=fix)


def files(engine: Engine, view: str) -> dict[str, list[str]]:
    """Key → its files, of an arrival that is a folder."""
    found: dict[str, list[str]] = {}
    for key, file in engine.query(f"select {SPLIT_KEY}, {FILE} from {view} order by {FILE}"):
        if key is not None:
            found.setdefault(str(key), []).append(str(file))
    return found


def views(job: Job, found: Mapping[str, Arrived]) -> Iterator[tuple[str, str]]:
    """Arrival that documents show parts of, and the view of its pages or files."""
    wanted = {document.arrival for document in job.file.package.documents if document.arrival}
    for name in found:
        if name in wanted:
            yield name, job.file.split.cuts[name].view
