"""Whether everything a job names is there: data sets, reports, columns, merge fields."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence

from gonnet.errors import JobError, meant
from gonnet.jobs.blocks import Column, FactsBlock, HeadingBlock, TableBlock, TextBlock
from gonnet.jobs.models import Job
from gonnet.jobs.reports import Report
from gonnet.jobs.secrets import is_reference
from gonnet.jobs.sources import SPANS
from gonnet.wording.filling import Wording
from gonnet.wording.template import Template

RESERVED = frozenset(
    {"key", "recipient", "figures", "run", "rows", "phrases", "reports", "past", "parts", "links", "row"}
)
_REPORT = re.compile(r"\breports\.(\w+)")


def to_the_data(job: Job, columns: Mapping[str, Sequence[str]], wording: Wording) -> Iterator[JobError]:
    """Mistakes that need the data sets' columns: table columns and merge fields.

    Args:
        job: The job.
        columns: Data set → the names of its columns.
        wording: What texts are checked with.
    """
    for name, report in job.file.reports.items():
        rows = report.rows or job.file.split.rows
        for place, column in _columns_of(report, "reports", name):
            yield from _column(job, column, rows, columns[rows], place)
    yield from texts_to_the_data(job, columns, wording)
    every = sorted({name for table in columns.values() for name in table})
    for name in job.file.in_order:
        if name not in every:
            what = f"no data set has a column '{name}'"
            yield JobError(what, where=job.at("in_order", name), fix=meant(name, every, noun="column"))


def texts_to_the_data(job: Job, columns: Mapping[str, Sequence[str]], wording: Wording) -> Iterator[JobError]:
    """Mistakes in the merge fields of the texts that a job has in one language."""
    known = known_names(job, columns)
    for index, rule in enumerate(job.file.rules):
        listed = _shared(job, columns, rule.applies)
        for part in ("to", "cc", "bcc"):
            for name in getattr(rule, part):
                if "@" not in name and name not in listed:
                    fix = f"{meant(name, listed, noun='column')}; or write an address"
                    yield JobError(f"the list has no column '{name}'", where=job.at("rules", index, part), fix=fix)
    for name in job.file.reports:
        for template in texts_of_report(job, name):
            yield from wording.check(template, known)
        rows = job.file.reports[name].rows or job.file.split.rows
        for template in texts_of_rows(job, name):
            yield from wording.check(template, known | {"row": tuple(columns[rows])})
    for template in package_texts(job):
        yield from wording.check(template, known)
    for template in folder_texts(job):
        yield from wording.check(template, known, of_folders=True)
    for name, message in job.file.messages.items():
        yield from wording.check(job.text(message.subject, "messages", name, "subject"), known)
        more = {"reports": tuple(job.file.reports)} if message.page is None else {}
        yield from wording.check(job.body(name), known | more | {"links": None})
        for header, text in message.headers.items():
            yield from wording.check(job.text(text, "messages", name, "headers", header), known)


def _column(
    job: Job, column: Column, rows: str, known: Sequence[str], place: tuple[str | int, ...]
) -> Iterator[JobError]:
    if column.field is not None and column.field not in known:
        yield JobError(
            f"data set '{rows}' has no column '{column.field}'",
            where=job.at(*place, "field"),
            fix=meant(column.field, known, noun="column"),
        )


def _shared(job: Job, columns: Mapping[str, Sequence[str]], kind: str = "all") -> tuple[str, ...]:
    """The columns that every list has whose packages are of a kind: what rules may name, whoever it is."""
    lists = [columns[table] for table, spec in job.lists if kind in ("all", "bundles" if spec.bundled else "keys")]
    return tuple(name for name in lists[0] if all(name in other for other in lists)) if lists else ()


def _merged(job: Job, columns: Mapping[str, Sequence[str]]) -> tuple[str, ...]:
    """The columns of lists that texts may name: those that every list has.

    Where lists bundle, a text may be for some of them alone: those that any list has.
    """
    if all(spec.bundled is None for spec in job.file.recipients):
        return _shared(job, columns)
    return tuple(dict.fromkeys(name for table, _ in job.lists for name in columns[table]))


def known_names(job: Job, columns: Mapping[str, Sequence[str]]) -> dict[str, tuple[str, ...] | None]:
    """What a text of this job may name, and the fields of each name."""
    known: dict[str, tuple[str, ...] | None] = {
        "key": None,
        "recipient": _merged(job, columns),
        "figures": ("rows", *job.file.figures),
        "run": ("date", "job", "started"),
        "phrases": tuple(job.file.phrases),
        "past": ("times", "sent_on", "days", "message"),
        "parts": None,
    }
    for name, parameter in job.file.parameters.items():
        known[name] = ("id", "label", "start", "end", "days") if parameter.kind in SPANS else None
    return known


def texts_of_report(job: Job, name: str, hidden: Collection[int] = ()) -> Iterator[Template]:
    """The texts of a report, but for those of the blocks that are left out, by number."""
    report, at = job.file.reports[name], ("reports", name)
    yield job.text(report.title, *at, "title")
    for part, source in (("sheet", report.sheet), ("header", report.header), ("footer", report.footer)):
        if source is not None:
            yield job.text(source, *at, part)
    for cell, source in report.form.cells.items() if report.form else ():
        yield job.text(source, *at, "form", "cells", cell)
    for number, source in enumerate(report.form.sheets if report.form else ()):
        yield job.text(source, *at, "form", "sheets", number)
    for index, block in enumerate(report.blocks):
        if index in hidden:
            continue
        match block:
            case FactsBlock():
                for name_of, fact in block.facts.items():
                    yield job.text(fact.value, *at, "blocks", index, "facts", name_of, "value")
            case TextBlock():
                yield job.text(block.text, *at, "blocks", index, "text")
            case HeadingBlock():
                yield job.text(block.heading, *at, "blocks", index, "heading")
            case _:
                pass


def texts_of_rows(job: Job, name: str) -> Iterator[Template]:
    """The texts of a report that are filled for each row: links and currencies of the columns of its tables."""
    for place, column in _columns_of(job.file.reports[name], "reports", name):
        for part, source in (("link", column.link), ("currency", column.currency)):
            if source is not None:
                yield job.text(source, *place, part)


def _columns_of(report: Report, *at: str | int) -> Iterator[tuple[tuple[str | int, ...], Column]]:
    """The columns of its tables, each with its place in the job."""
    for index, block in enumerate(report.blocks):
        if isinstance(block, TableBlock):
            for number, column in enumerate(block.table.columns):
                yield (*at, "blocks", index, "table", "columns", number), column


def folder_texts(job: Job) -> Iterator[Template]:
    """The folders below those of the workspace."""
    for at, way in enumerate(job.file.deliver):
        if way.puts is not None:
            yield job.text(way.puts.path, "deliver", at, way.kind, "path")


def package_texts(job: Job) -> Iterator[Template]:
    """The names of files, those of files that are enclosed, and passwords."""
    yield job.text(job.file.package.name, "package", "name")
    for at, spec in enumerate(job.file.recipients):
        if spec.bundle is not None and spec.bundle.name is not None:
            yield job.text(spec.bundle.name, *job.place_of_list(at), "bundle", "name")
    package = job.file.package
    if package.zip is not None and package.zip.password and not is_reference(package.zip.password):
        yield job.text(package.zip.password, "package", "zip", "password")
    for index, enclosure in enumerate(package.enclose):
        if enclosure.is_own:
            yield job.text(enclosure.file, "package", "enclose", index, "file")
    for index, document in enumerate(package.documents):
        if document.file is not None:
            yield job.text(document.file, "package", "documents", index, "file")
        if document.password and not is_reference(document.password.open):
            yield job.text(document.password.open, "package", "documents", index, "password", "open")


def reports_in_messages(job: Job) -> tuple[str, ...]:
    """The reports that stand in the bodies of messages."""
    return reports_in(" ".join(message.body or "" for message in job.file.messages.values()), job)


def reports_in(body: str, job: Job) -> tuple[str, ...]:
    """The reports that stand in the body of a message, as `{{ reports.name }}`."""
    return tuple(name for name in dict.fromkeys(_REPORT.findall(body)) if name in job.file.reports)


def messages(job: Job) -> Iterator[Template]:
    """The texts of every message of the job."""
    for name in job.file.messages:
        yield from texts_of_message(job, name)


def texts_of_message(job: Job, name: str) -> Iterator[Template]:
    """The texts of a message; none where the job has none of that name."""
    if (message := job.file.messages.get(name)) is not None:
        yield job.text(message.subject, "messages", name, "subject")
        yield job.body(name)
        for header, text in message.headers.items():
            yield job.text(text, "messages", name, "headers", header)
