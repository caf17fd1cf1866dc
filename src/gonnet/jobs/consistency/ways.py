"""Mistakes in the ways to deliver: what goes by each, who asks for it, and what it lacks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from gonnet.errors import JobError, meant
from gonnet.jobs.contents import DocumentSpec, Enclosure
from gonnet.jobs.models import Job

_Place = tuple[str | int, ...]


def mistakes(job: Job) -> Iterator[JobError]:
    """Yield every mistake in how packages leave."""
    yield from _unattached(job)
    yield from _printing(job)
    yield from _writing(job)
    yield from _asked_for(job)
    yield from _taking(job)


def _unattached(job: Job) -> Iterator[JobError]:
    """Documents that go nowhere."""
    files = any(way.folder is not None or way.printing is not None for way in job.file.deliver)
    for index, document in enumerate(job.file.package.documents):
        if not document.attach and not files:
            what = "a document with `attach: false` is only put into folders or printed, and the job does neither"
            where = job.at("package", "documents", index, "attach")
            yield JobError(what, where=where, fix="Add `- folder: {path: …}` under `deliver:`")


def _printing(job: Job) -> Iterator[JobError]:
    """What is printed are PDFs that open without a password."""
    file = job.file
    printing = [way for way in file.deliver if way.printing is not None]
    if not printing:
        return
    formats = {document.format for document in file.package.documents} | {rule.format for rule in file.rules}
    formats |= {spec.settings.format for spec in file.recipients}
    if not formats & {"pdf", "file"} and not file.package.enclose:
        what = "the job prints, and nothing of a package is a PDF"
        yield JobError(what, where=job.at("package", "documents"), fix="Make a document `as: pdf`")
    for index, document in enumerate(file.package.documents):
        is_printed = any(way.takes(document.called, document.format) for way in printing)
        if document.password is not None and document.format == "pdf" and is_printed:
            where = job.at("package", "documents", index, "password")
            fix = "Let the way print others (`documents:`), or protect what is mailed by `zip: {password: …}`"
            yield JobError("a PDF that opens with a password cannot be printed", where=where, fix=fix)


def _writing(job: Job) -> Iterator[JobError]:
    """What messages need: somebody to write to, words, and one way."""
    file = job.file
    usual = [index for index, way in enumerate(file.deliver) if way.writes is not None and not way.optional]
    if len(usual) > 1:
        what = "a package has one way at most that writes messages (email, drafts), and here are two"
        yield JobError(
            what, where=job.at("deliver", usual[1]), fix="Make one `optional: true`, for those who are to have it"
        )
    if not any(way.writes is not None for way in file.deliver):
        return
    if not file.recipients:
        yield JobError(
            "the job writes messages, but names no recipients",
            where=job.at("deliver"),
            fix="Add `recipients:` with rows, key and to",
        )
    if not file.messages:
        yield JobError(
            "the job is to write messages, but has none",
            where=job.at("deliver"),
            fix="Add `messages:` with a subject and a body",
        )
    mailing = [way.called for way in file.deliver if way.email is not None and not way.optional]
    for index, spec in enumerate(file.recipients):
        if spec.to is None and mailing and not (spec.way or spec.settings.ways):
            fix = "Name the column with `to`; or say by `settings: {way: …}` how they get it"
            yield JobError(
                f"who is on this list gets mail by '{mailing[0]}', and no column has the address",
                where=job.at("recipients", index),
                fix=fix,
            )


def _said(job: Job) -> Iterator[tuple[_Place, str]]:
    """Where a way is asked for by its name, and the name."""
    for index, spec in enumerate(job.file.recipients):
        for name in spec.settings.ways:
            yield (*job.place_of_list(index), "settings", "way"), name
    for index, rule in enumerate(job.file.rules):
        for name in rule.ways:
            yield ("rules", index, "way"), name


def _asked_for(job: Job) -> Iterator[JobError]:
    """Ways that are asked for and not there, and those that are there for whoever asks, and nobody does."""
    ways = [way.called for way in job.file.deliver]
    said = list(_said(job))
    for place, name in said:
        if name.startswith("$"):
            yield from _parameter(job, name.removeprefix("$"), ways, place)
        elif name not in ways:
            yield JobError(
                f"there is no way '{name}' to deliver", where=job.at(*place), fix=meant(name, ways, noun="way")
            )
    by_line = any(spec.way is not None for spec in job.file.recipients)
    if by_line or any(name.startswith("$") for _, name in said):
        return
    for index, way in enumerate(job.file.deliver):
        if way.optional and way.called not in {name for _, name in said}:
            what = f"no list and no rule says `way: {way.called}`, which is optional"
            fix = "Let a list or a rule say so, or drop `optional`"
            yield JobError(what, where=job.at("deliver", index), fix=fix)


def _parameter(job: Job, name: str, ways: Sequence[str], place: _Place) -> Iterator[JobError]:
    """A parameter that says the way."""
    known = job.file.parameters
    if name not in known:
        fix = meant(name, sorted(known), noun="parameter")
        yield JobError(f"there is no parameter '{name}'", where=job.at(*place), fix=fix)
        return
    choices = known[name].of
    for choice in choices if isinstance(choices, tuple) else ():
        if str(choice) not in ways:
            fix = meant(str(choice), ways, noun="way")
            where = job.at("parameters", name, "of")
            yield JobError(f"there is no way '{choice}' to deliver", where=where, fix=fix)


def _taking(job: Job) -> Iterator[JobError]:
    """Documents that ways name and packages do not have, and those that cannot go without others."""
    package = job.file.package
    parts: list[DocumentSpec | Enclosure] = [*package.documents, *package.enclose]
    called = sorted({name for part in parts for name in part.called})
    joined = package.join.formats if package.join is not None else ()
    for spec in job.file.recipients:
        joined = ("pdf", "xlsx") if spec.bundled is not None and spec.bundled.form == "joined" else joined
    for index, way in enumerate(job.file.deliver):
        where = job.at("deliver", index, "documents")
        for name in way.documents:
            if name not in called:
                yield JobError(
                    f"the package has no document '{name}'", where=where, fix=meant(name, called, noun="document")
                )
        for form in joined if way.documents else ():
            group = [part for part in package.documents if part.format == form]
            taken = [part for part in group if way.takes(part.called, form)]
            if taken and len(taken) < len(group):
                left = next(part for part in group if part not in taken)
                what = (
                    f"'{way.called}' takes '{taken[0].shows}' without '{left.shows}', and both are joined to one file"
                )
                yield JobError(what, where=where, fix="Name both, or none of them")
