"""Deciding what each package consists of, before anything is drawn."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from gonnet.errors import DataError
from gonnet.jobs.contents import DocumentSpec, JoinSpec
from gonnet.jobs.models import Job
from gonnet.jobs.secrets import Secrets, is_reference
from gonnet.jobs.values import CsvForm, Format, Joint
from gonnet.packages.names import Names, safe_name
from gonnet.packages.protection import Lock, require
from gonnet.recipients import Addressed
from gonnet.rules import Decision, Evaluated, Outcome
from gonnet.rules.decisions import Cause
from gonnet.wording.formats import House
from gonnet.wording.templates import Wording


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """A job as the readers of one language get it.

    Attributes:
        job: With the texts of that language.
        wording: Fills them.
        common: What every text may merge: parameters, the run, phrases.
    """

    job: Job
    wording: Wording
    common: Mapping[str, object]


@dataclass(frozen=True, slots=True, kw_only=True)
class DocumentPlan:
    """A document that is to be drawn.

    Attributes:
        hidden: The blocks of the report that it leaves out.
        csv: How it is written, if it is a CSV file.
        lock: Its passwords, or None.
        joined: The reports that come after it in the same file, each with the blocks that it leaves out.
        joint: How they make one file; None where it is of one report.
    """

    report: str
    format: Format
    file_name: str
    hidden: frozenset[int] = frozenset()
    csv: CsvForm | None = None
    lock: Lock | None = None
    joined: tuple[tuple[str, frozenset[int]], ...] = ()
    joint: Joint | None = None

    @property
    def parts(self) -> tuple[tuple[str, frozenset[int]], ...]:
        """Every report in it, in order, with the blocks that it leaves out."""
        return ((self.report, self.hidden), *self.joined)


@dataclass(frozen=True, slots=True, kw_only=True)
class PackagePlan:
    """A package before its documents are drawn.

    Attributes:
        addressed: Its key and contacts.
        evaluated: Its figures.
        decision: What happens to it.
        documents: What it consists of; empty unless they are drawn.
        enclosures: The fixed files that go with it.
        names: What its texts may merge.
        locale: The language and territory of its documents.
        if_unchanged: What happens to it if its documents show what they last did; None where that makes no difference.
        last: SHA-256 of what each document that was last sent showed.
    """

    addressed: Addressed
    evaluated: Evaluated
    decision: Decision
    documents: tuple[DocumentPlan, ...]
    names: Mapping[str, object]
    locale: str
    enclosures: tuple[str, ...] = ()
    if_unchanged: Decision | None = None
    last: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """The package's key."""
        return self.addressed.key


def assemble(
    readings: Mapping[str, Reading],
    parts: Iterable[tuple[Addressed, Evaluated, Decision]],
    past: Mapping[str, Mapping[str, object]],
    known: Secrets,
) -> Iterator[PackagePlan]:
    """Yield a plan for each part, in order; file names are unique over the run.

    Args:
        readings: Locale → the job in it; the first is that of the house.
        parts: Key, figures and decision of each package.
        past: Key → what its texts may say of what it was last sent.
        known: What passwords are resolved with.
    """
    house = next(iter(readings))
    taken = Names()
    for addressed, evaluated, decision in parts:
        locale = addressed.language or house
        reading = readings[locale]
        names = {**reading.common, **own_names(addressed, evaluated, past[addressed.key])}
        documents: tuple[DocumentPlan, ...] = ()
        if decision.drawn:
            try:
                documents = tuple(_documents(reading, names, addressed.key, evaluated, decision, taken, known))
            except DataError as error:  # one bad line fails alone
                decision = Decision(outcome=Outcome.HELD, cause=Cause.TEXT, reason=str(error))
        yield PackagePlan(
            addressed=addressed,
            evaluated=evaluated,
            decision=decision,
            documents=documents,
            names=names,
            locale=locale,
            enclosures=tuple(reading.job.file.package.enclose[at].file for at in decision.effects.enclosures),
        )


def _documents(
    reading: Reading,
    names: Mapping[str, object],
    key: str,
    evaluated: Evaluated,
    decision: Decision,
    taken: Names,
    known: Secrets,
) -> Iterator[DocumentPlan]:
    """The documents of one package, in the job's order, each with a name of its own."""
    job, house = reading.job, reading.wording.house
    stem = taken.unique(_filled(reading, job.file.package.name, ("package", "name"), names, key))
    chosen = list(_chosen(job, decision))
    groups = _groups(job.file.package.join, chosen)
    alone = [(index, part) for index, part in chosen if part.format not in groups]
    per_format = Counter(part.format for _, part in alone if part.file is None)
    for index, part in chosen:
        if group := groups.get(part.format):
            if group[0][0] == index:
                yield _joined(reading, group, stem, names, key, evaluated, known)
            continue
        lock = _lock(job, index, part, names, reading.wording, known, key)
        if part.file is None:
            name = f"{stem} {part.report}" if per_format[part.format] > 1 else stem
        else:
            place = ("package", "documents", index, "file")
            name = taken.unique(_filled(reading, part.file, place, names, key))
        yield replace(_document(part, name, evaluated, house), lock=lock)


_Numbered = tuple[int, DocumentSpec]


def _groups(join: JoinSpec | None, chosen: Sequence[_Numbered]) -> dict[str, list[_Numbered]]:
    """Format → the documents that become one file; a single one does only where it gets a cover."""
    found = {}
    for form in join.formats if join else ():
        group = [(index, part) for index, part in chosen if part.format == form]
        if len(group) > 1 or (group and join and join.cover and form == "pdf"):
            found[str(form)] = group
    return found


def _joined(
    reading: Reading,
    group: Sequence[_Numbered],
    stem: str,
    names: Mapping[str, object],
    key: str,
    evaluated: Evaluated,
    known: Secrets,
) -> DocumentPlan:
    """Documents of one format as one file; where one of them has a password, all of it has."""
    form, join = group[0][1].format, reading.job.file.package.join
    assert join is not None
    reports = [part.report for _, part in group]
    has_cover = join.cover is not None and form == "pdf"
    if has_cover:
        reports = [str(join.cover), *reports]
    locks = [_lock(reading.job, index, part, names, reading.wording, known, key) for index, part in group]
    first, *others = [(name, evaluated.hidden(name)) for name in reports]
    return DocumentPlan(
        report=first[0],
        format=form,
        file_name=f"{stem}.{form}",
        hidden=first[1],
        lock=next((lock for lock in locks if lock is not None), None),
        joined=tuple(others),
        joint=Joint(cover=has_cover, contents=join.contents and form == "pdf"),
    )


def _chosen(job: Job, decision: Decision) -> Iterator[tuple[int, DocumentSpec]]:
    """Number and specification of each document that the rules leave, in the format that they choose."""
    seen: set[tuple[str, str]] = set()
    for index in decision.effects.documents:
        part = job.file.package.documents[index]
        if decision.effects.format is not None:
            part = part.model_copy(update={"format": decision.effects.format})
        if (part.report, part.format) not in seen:
            seen.add((part.report, part.format))
            yield index, part


def _filled(reading: Reading, text: str, place: tuple[str | int, ...], names: Mapping[str, object], key: str) -> str:
    return safe_name(reading.wording.fill(reading.job.text(text, *place), names, key=key))


def _document(part: DocumentSpec, name: str, evaluated: Evaluated, house: House) -> DocumentPlan:
    return DocumentPlan(
        report=part.report,
        format=part.format,
        file_name=f"{name}.{part.format}",
        hidden=evaluated.hidden(part.report),
        csv=_csv_form(part, house) if part.format == "csv" else None,
    )


def _lock(
    job: Job, index: int, part: DocumentSpec, names: Mapping[str, object], wording: Wording, known: Secrets, key: str
) -> Lock | None:
    """The passwords of a document.

    Raises:
        DataError: the recipient has none: nothing is ever sent open that was to be protected.
        JobError: a variable is not set, or what protects documents is not installed.
    """
    if part.password is None:
        return None
    place = ("package", "documents", index, "password")
    where = job.at(*place, "open")
    require(part.format, where)
    text = part.password.open
    if is_reference(text):
        secret = known.resolve(text, where)
    else:
        secret = wording.fill(job.text(text, *place, "open"), names, key=key)
    if not secret.strip():
        raise DataError("there is no password for this recipient", where=where, fix="Give the list one")
    change = known.resolve(part.password.change, job.at(*place, "change")) if part.password.change else ""
    return Lock(
        open=secret.strip(),
        change=change,
        may_print=part.password.allow_print,
        may_copy=part.password.allow_copy,
    )


def _csv_form(part: DocumentSpec, house: House) -> CsvForm:
    """How the file is written: as the job says, else as the house's language has it."""
    decimal = part.decimal or ("," if part.delimiter != "," and house.decimal_sign == "," else ".")
    return CsvForm(
        delimiter=part.delimiter or (";" if decimal == "," else ","),
        decimal=decimal,
        quoting=part.quoting or "needed",
        encoding=part.encoding or "utf-8-sig",
    )


def own_names(addressed: Addressed, evaluated: Evaluated, past: Mapping[str, object]) -> dict[str, object]:
    """What the texts of one package may merge of its own."""
    fields = addressed.contacts[0].fields if addressed.contacts else {}
    return {"key": addressed.key, "recipient": fields, "figures": evaluated.figures, "past": past}
