"""What of a job file does not fit together, as the file shows by itself."""

from __future__ import annotations

from collections.abc import Iterator
from importlib.util import find_spec

from gonnet.errors import JobError, meant
from gonnet.jobs.approval import MESSAGES
from gonnet.jobs.blocks import BandsBlock, CrosstabBlock, TableBlock
from gonnet.jobs.braces import unfilled
from gonnet.jobs.consistency import ways
from gonnet.jobs.contents import DocumentSpec, Enclosure
from gonnet.jobs.models import Job
from gonnet.jobs.references import RESERVED
from gonnet.jobs.sources import ChoicesFrom


def within_the_file(job: Job) -> Iterator[JobError]:
    """Mistakes that the file shows by itself: names of data sets, reports and parameters."""
    yield from _data_sets(job)
    yield from _documents(job)
    yield from _cuts(job)
    yield from _join(job)
    yield from _lists(job)
    yield from _rules(job)
    yield from _parameters(job)
    yield from _once_per(job)
    yield from _calendar(job)
    yield from _figures(job)
    yield from ways.mistakes(job)
    yield from _identifying(job)
    yield from _approval(job)
    yield from unfilled(job)


def _data_sets(job: Job) -> Iterator[JobError]:
    file = job.file
    places = [(file.split.rows, job.at("split", "rows"))]
    places += [(name, job.at("split", "also", name)) for name in file.split.also]
    places += [(spec.rows, job.at_list(index, "rows")) for index, spec in enumerate(file.recipients) if spec.rows]
    for name, where in places:
        if name not in file.tables:
            fix = meant(name, sorted(file.tables), noun="data set")
            yield JobError(f"there is no data set '{name}'", where=where, fix=fix)
    for name in (*file.data, *file.arrivals):
        where = job.at(*job.place_of_table(name))
        if name.casefold().startswith("gonnet_"):
            fix = "Names that begin with gonnet_ are the program's own"
            yield JobError(f"a data set cannot be called '{name}'", where=where, fix=fix)
    for name in file.arrivals:
        if name in file.data or name in file.reports:
            what = f"'{name}' is an arrival, and {'a data set' if name in file.data else 'a report'} too"
            yield JobError(what, where=job.at("arrivals", name), fix="Give one of them another name")


_LIBRARIES = {"docx": "docx", "ods": "odfdo"}
"""Format of documents → the module that writes it."""


def _documents(job: Job) -> Iterator[JobError]:
    seen: set[tuple[str, str]] = set()
    if not job.file.package.documents and not job.file.messages:
        fix = "List documents, or write a message that says it all"
        yield JobError("this job makes nothing: no document, no message", where=job.at("package", "documents"), fix=fix)
    ways = job.file.deliver
    if not job.file.package.documents and ways and not any(way.email or way.drafts for way in ways):
        fix = "List documents, or deliver by mail or as drafts"
        yield JobError("folders and printers get documents, and this job has none", where=job.at("deliver"), fix=fix)
    asked: set[str | None] = {
        *(rule.format for rule in job.file.rules),
        *(spec.settings.format for spec in job.file.recipients),
    }
    every = asked | {part.format for part in job.file.package.documents}
    for form, library in _LIBRARIES.items():
        if form in every and find_spec(library) is None:
            what, fix = (
                f"the library that writes documents `as: {form}` is not installed",
                f"pip install 'gonnet[{form}]'",
            )
            yield JobError(what, where=job.at("package", "documents"), fix=f"Install it: {fix}")
    for index, document in enumerate(job.file.package.documents):
        place = job.at("package", "documents", index)
        what, known = ("report", job.file.reports) if document.report else ("arrival", job.file.arrivals)
        if document.shows not in known:
            fix = meant(document.shows, sorted(known), noun=what)
            yield JobError(f"there is no {what} '{document.shows}'", where=place, fix=fix)
        if (document.shows, document.format) in seen:
            twice = f"{what} '{document.shows}' as {document.format} is listed twice"
            yield JobError(twice, where=place, fix="Keep one")
        elif (came := job.file.arrivals.get(document.arrival or "")) and document.format not in came.formats:
            allowed = " or ".join(f"`as: {form}`" for form in came.formats)
            what = f"a part of '{document.shows}' stays what it is: it cannot be `as: {document.format}`"
            yield JobError(what, where=place, fix=f"Write {allowed}, or nothing")
        seen.add((document.shows, document.format))
        if document.format == "csv":
            yield from _one_table(job, document.shows, place)


def _parameters(job: Job) -> Iterator[JobError]:
    for name, parameter in job.file.parameters.items():
        if isinstance(parameter.of, ChoicesFrom) and parameter.of.rows not in job.file.tables:
            what = f"there is no data set '{parameter.of.rows}'"
            fix = meant(parameter.of.rows, sorted(job.file.tables), noun="data set")
            yield JobError(what, where=job.at("parameters", name, "of"), fix=fix)
        if name in RESERVED or name == "as_of":
            what = f"a parameter cannot be called '{name}'"
            yield JobError(what, where=job.at("parameters", name), fix="Texts use this name already")


def _once_per(job: Job) -> Iterator[JobError]:
    for index, part in enumerate(job.file.once_per):
        known = [*job.file.parameters, *job.file.figures]
        if part not in known and "{{" not in part:
            where = job.at("once_per", index) if ("once_per", index) in job.positions.values else job.at("once_per")
            fix = f"{meant(part, known, noun='parameter or figure')}; a text has merge fields: {{{{ period.id }}}}"
            yield JobError(f"there is no parameter or figure '{part}'", where=where, fix=fix)


def _calendar(job: Job) -> Iterator[JobError]:
    """Parameters that entries set, and those that would have no value when nobody is there to give it."""
    for index, entry in enumerate(job.file.calendar):
        place = ("calendar", index) if ("calendar", index) in job.positions.values else ("calendar",)
        for name in entry.set:
            if name not in job.file.parameters:
                fix = meant(name, list(job.file.parameters), noun="parameter")
                yield JobError(f"this job has no parameter '{name}'", where=job.at(*place, "set", name), fix=fix)
        for name, parameter in job.file.parameters.items():
            if parameter.default is None and name not in entry.set:
                fix = f"Write `set: {{{name}: …}}`, or give it a default"
                yield JobError(
                    f"the parameter '{name}' has no value when nobody is there", where=job.at(*place), fix=fix
                )


def _figures(job: Job) -> Iterator[JobError]:
    file = job.file
    for name in sorted({"recipient", "run", "whole", "past", "earlier"} & set(file.figures)):
        what = f"a figure cannot be called '{name}'"
        yield JobError(what, where=job.at("figures", name), fix="Conditions use this name already")
    for name in file.guard.totals:
        if name not in ("rows", *file.figures):
            fix = meant(name, sorted(file.figures), noun="figure")
            yield JobError(f"there is no figure '{name}'", where=job.at("guard", "totals", name), fix=fix)
    if "rows" in file.figures:
        what = "'rows' is a figure of every job already"
        yield JobError(what, where=job.at("figures", "rows"), fix="Choose another name")


def _cuts(job: Job) -> Iterator[JobError]:
    """Data sets that are cut besides the main one, and the reports and figures over them."""
    split = job.file.split
    for name, by in split.also.items():
        where = job.at("split", "also", name)
        if name == split.rows:
            yield JobError(f"data set '{name}' is the one that is split already", where=where, fix="Leave this out")
        elif len(by) != len(split.by) and split.by:
            fix = f"Name a column for each of {', '.join(split.by)}"
            what = f"the key has {len(by)} columns here and {len(split.by)} where the job splits"
            yield JobError(what, where=where, fix=fix)
    parts = [(("reports", name), report.rows) for name, report in job.file.reports.items()]
    parts += [(("figures", name), figure.rows) for name, figure in job.file.figures.items()]
    for place, rows in parts:
        if rows is not None and rows not in split.cuts:
            known = rows in job.file.tables
            fix = f"Write `also: {{{rows}: {', '.join(split.by)}}}` under `split`, with its column for the key"
            what = f"data set '{rows}' is not split" if known else f"there is no data set '{rows}'"
            where = job.at(*place, "rows")
            yield JobError(what, where=where, fix=fix if known else meant(rows, list(split.cuts), noun="data set"))


def _join(job: Job) -> Iterator[JobError]:
    join = job.file.package.join
    if join is None:
        return
    if join.cover is not None and join.cover not in job.file.reports:
        fix = meant(join.cover, sorted(job.file.reports), noun="report")
        yield JobError(f"there is no report '{join.cover}'", where=job.at("package", "join", "cover"), fix=fix)
    if "xlsx" in join.formats:
        yield from _filled_cover(job, join.cover, job.at("package", "join", "cover"))
    yield from _cover(job, join.cover, set(join.formats), job.at("package", "join", "cover"))


def _filled_cover(job: Job, cover: str | None, where: str) -> Iterator[JobError]:
    """A cover that fills in a form: a workbook of one's own stays one, and is joined with no other."""
    if cover in job.file.reports and job.file.reports[cover].form is not None:
        what = f"report '{cover}' fills in a form, which cannot be the cover of another workbook"
        yield JobError(what, where=where, fix="Choose a report without a form, or leave the cover out")


def _cover(job: Job, cover: str | None, joined: set[str], where: str) -> Iterator[JobError]:
    """A cover that no document would have."""
    formats: set[str | None] = {document.format for document in job.file.package.documents}
    formats |= {*(rule.format for rule in job.file.rules), *(spec.settings.format for spec in job.file.recipients)}
    if cover is not None and not formats & joined:
        kinds = " or ".join(sorted(joined))
        yield JobError(f"nothing would have the cover: no document is {kinds}", where=where, fix="Leave it out")


def _misread(job: Job, index: int, *, is_fixed: bool) -> JobError:
    """A list that does not go with the split: addresses alone get all rows, other lists the rows of their keys."""
    where = job.at_list(index)
    if is_fixed:
        fix = "Leave out `by` of `split`; or name a list, whose lines say by a key which rows are theirs"
        return JobError(
            "addresses alone are for a report over all rows, and this job splits them", where=where, fix=fix
        )
    fix = "Write `split: {rows: DATA SET, by: COLUMN}`; or write addresses alone, which get all rows"
    return JobError("a list of recipients needs a column that says whose row it is", where=where, fix=fix)


def _lists(job: Job) -> Iterator[JobError]:
    """What recipient lists name: messages, documents, covers; as many key columns as the split has."""
    file = job.file
    called = sorted({name for document in file.package.documents for name in document.called})
    for index, spec in enumerate(file.recipients):
        if spec.is_fixed == bool(file.split.by):
            yield _misread(job, index, is_fixed=spec.is_fixed)
            continue
        if spec.key and len(spec.key) != file.split.width:
            fix = f"Name a column for each of {', '.join(file.split.by)}"
            what = f"the key has {len(spec.key)} columns here and {len(file.split.by)} where the job splits"
            yield JobError(what, where=job.at_list(index, "key"), fix=fix)
        yield from _roles(job, index)
        settings = spec.settings
        if settings.message is not None and settings.message not in file.messages:
            fix = meant(settings.message, sorted(file.messages), noun="message")
            where = job.at_list(index, "settings", "message")
            yield JobError(f"there is no message '{settings.message}'", where=where, fix=fix)
        for name in settings.documents:
            if name not in called:
                where = job.at_list(index, "settings", "documents")
                fix = meant(name, called, noun="document")
                yield JobError(f"the package has no document '{name}'", where=where, fix=fix)
        if spec.bundle is not None and spec.bundle.cover is not None and spec.bundle.cover not in file.reports:
            fix = meant(spec.bundle.cover, sorted(file.reports), noun="report")
            where = job.at_list(index, "bundle", "cover")
            yield JobError(f"there is no report '{spec.bundle.cover}'", where=where, fix=fix)
        if spec.bundle is not None and spec.bundle.form == "joined":
            yield from _filled_cover(job, spec.bundle.cover, job.at_list(index, "bundle", "cover"))
            yield from _cover(job, spec.bundle.cover, {"pdf", "xlsx"}, job.at_list(index, "bundle", "cover"))
        if settings.format == "csv":
            for document in file.package.documents:
                yield from _one_table(job, document.shows, job.at_list(index, "settings", "as"))


def _roles(job: Job, index: int) -> Iterator[JobError]:
    """Parameters that the roles of a list name."""
    spec, known = job.file.recipients[index], sorted(job.file.parameters)
    for part in ("to", "cc", "bcc") if spec.roles is not None else ():
        for name in getattr(spec.roles, part):
            if name.startswith("$") and name.removeprefix("$") not in known:
                where = job.at_list(index, "roles", part)
                fix = meant(name.removeprefix("$"), known, noun="parameter")
                yield JobError(f"there is no parameter '{name.removeprefix('$')}'", where=where, fix=fix)


def _one_table(job: Job, report: str, place: str) -> Iterator[JobError]:
    if report in job.file.reports:
        blocks = job.file.reports[report].blocks
        tables = sum(isinstance(block, (TableBlock, BandsBlock, CrosstabBlock)) for block in blocks)
        if tables != 1:
            fix = "Give it a report of its own, with one table"
            yield JobError(f"a CSV file holds one table, report '{report}' has {tables}", where=place, fix=fix)


def _rules(job: Job) -> Iterator[JobError]:
    """Names of messages and documents that rules use; documents that no rule adds; rules that can never hold."""
    file = job.file
    documents = file.package.documents
    parts: tuple[DocumentSpec | Enclosure, ...] = (*documents, *file.package.enclose)
    called = sorted({name for part in parts for name in part.called})
    kinds = {"bundles" if spec.bundled else "keys" for spec in file.recipients} or {"keys"}
    for index, rule in enumerate(file.rules):
        if rule.message is not None and rule.message not in file.messages:
            fix = meant(rule.message, sorted(file.messages), noun="message")
            where = job.at("rules", index, "message")
            yield JobError(f"there is no message '{rule.message}'", where=where, fix=fix)
        for part in ("add", "drop"):
            for name in getattr(rule, part):
                if name not in called:
                    fix = meant(name, called, noun="document")
                    where = job.at("rules", index, part)
                    yield JobError(f"the package has no document '{name}'", where=where, fix=fix)
        if rule.format == "csv":
            for document in documents:
                yield from _one_table(job, document.shows, job.at("rules", index, "as"))
        if rule.format not in (None, "pdf") and any(document.sign for document in documents):
            what = f"documents that are signed cannot be sent as {rule.format}"
            yield JobError(what, where=job.at("rules", index, "as"), fix="Leave `as` out of the rule, or `sign` out")
        if rule.format not in (None, "pdf", "xlsx") and any(document.password for document in documents):
            what = f"documents with a password cannot be sent as {rule.format}"
            yield JobError(what, where=job.at("rules", index, "as"), fix="Choose pdf or xlsx")
        if rule.applies != "all" and rule.applies not in kinds:
            what = f"rule '{rule.name}' is for {rule.applies}, of which this job has none"
            fix = "Write `for: bundles`" if rule.applies == "keys" else "Leave `for` out"
            yield JobError(what, where=job.at("rules", index), fix=fix)
        if rule.otherwise and any(
            other.otherwise and rule.applies in (other.applies, "all") for other in file.rules[:index]
        ):
            what = f"rule '{rule.name}' never holds: a rule above it is for all the others already"
            yield JobError(what, where=job.at("rules", index, "otherwise"), fix="Keep one, as the last rule")
    added = {name for rule in file.rules for name in rule.add}
    listed = {name for spec in file.recipients for name in spec.settings.documents}
    for index, document in enumerate(documents):
        if document.optional and not document.called & (added | listed):
            what = f"no rule adds the optional document '{document.name or document.shows}'"
            yield JobError(
                what, where=job.at("package", "documents", index), fix="Add it by a rule, or drop `optional`"
            )

    for index, enclosure in enumerate(file.package.enclose):
        if enclosure.optional and not enclosure.called & added:
            what = f"no rule adds the optional enclosure '{min(enclosure.called)}'"
            fix = "Add it by a rule, or drop `optional`"
            yield JobError(what, where=job.at("package", "enclose", index), fix=fix)


def _approval(job: Job) -> Iterator[JobError]:
    """Figures from whose sum on a run needs approval."""
    known = [MESSAGES, *job.file.figures]
    for name in job.file.approval.above if job.file.approval is not None else ():
        if name not in known:
            where = job.at("approval", "above", name)
            yield JobError(f"there is no figure '{name}'", where=where, fix=meant(name, known, noun="figure"))


def _identifying(job: Job) -> Iterator[JobError]:
    file = job.file
    if file.checks.identifying and not file.recipients:
        yield JobError(
            "identifying columns are those of the recipient list, and there is none",
            where=job.at("checks", "identifying"),
        )
