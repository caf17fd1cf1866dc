"""Deciding what each package consists of, before anything is drawn."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path, PurePath

from gonnet.errors import DataError
from gonnet.jobs.contents import Enclosure
from gonnet.jobs.models import Job
from gonnet.jobs.ways import Way
from gonnet.packages.documents import DocumentMaker
from gonnet.packages.known import Known
from gonnet.packages.names import Names
from gonnet.packages.own_files import NoFileError, OwnFile
from gonnet.packages.places import PlacePlan
from gonnet.packages.plans import DocumentPlan, Fixed, PackagePlan, Reading, SlicePlan
from gonnet.recipients import Addressed
from gonnet.rules import Decision, Evaluated, Outcome
from gonnet.rules.decisions import Cause

NEVER: dict[str, object] = {"times": 0, "sent_on": None, "days": None, "message": ""}
"""What texts may say of the past of somebody who was sent nothing."""


def assemble(
    parts: Iterable[tuple[Addressed, Evaluated, Decision]], known: Known, taken: Names
) -> Iterator[PackagePlan]:
    """Yield a plan for each part, in order; file names are unique over the run, and within each bundle.

    Args:
        parts: Key, figures and decision of each package.
        known: What is known of the run.
        taken: The names that it has so far.
    """
    house = next(iter(known.readings))
    for addressed, evaluated, decision in parts:
        locale = addressed.language or house
        reading = known.readings[locale]
        slices = tuple(_slices(addressed, evaluated, reading, known))
        fields = addressed.contacts[0].fields if addressed.contacts else {}
        mine = _names(addressed.key, fields, evaluated, reading, known)
        names = {**mine, "parts": tuple(part.names for part in slices)}
        if addressed.bundle is None:
            slices = (SlicePlan(addressed.key, names),)
        documents: tuple[DocumentPlan, ...] = ()
        attachments = None
        places: tuple[PlacePlan, ...] = ()
        own_files, lacking = _own_files(reading, slices, known)
        stems = taken if addressed.bundle is None else Names()
        in_folders = addressed.bundle is None and any(way.puts for way in reading.job.file.deliver)
        files = stems if in_folders else Names(beside=stems)
        if decision.drawn:
            maker = DocumentMaker(reading, addressed, evaluated, decision, names, known, stems, files)
            try:
                documents = tuple(maker.documents(slices))
                attachments = maker.attachments(documents)
                places = tuple(maker.places(decision.effects.ways, slices))
                names = {**names, "links": maker.links(documents, places)}
            except DataError as error:  # one bad line fails alone
                documents, attachments = (), None
                cause = Cause.NO_FILE if isinstance(error, NoFileError) else Cause.TEXT
                decision = Decision(outcome=Outcome.HELD, cause=cause, reason=str(error))
            decision = _held_without(decision, lacking)
        enclosed, own = _enclosed(reading, decision, own_files, files)
        if decision.drawn:
            decision = _held_without_files(decision, reading.job, (*documents, *enclosed, *own))
        yield PackagePlan(
            addressed=addressed,
            evaluated=evaluated,
            decision=decision,
            documents=documents,
            names=names,
            slices=slices,
            locale=locale,
            attachments=attachments,
            places=places,
            enclosures=enclosed,
            own_files=own,
        )


def _enclosed(
    reading: Reading, decision: Decision, own_files: Mapping[int, Sequence[tuple[str, Path]]], files: Names
) -> tuple[tuple[Fixed, ...], tuple[OwnFile, ...]]:
    """The files that go with a package: the same for all, and its recipient's own."""
    specs, ways = reading.job.file.package.enclose, _ways(decision, reading.job)
    chosen = [(at, specs[at]) for at in decision.effects.enclosures]
    fixed = [Fixed(spec.file, _takers(ways, spec, spec.file)) for _, spec in chosen if not spec.is_own]
    own = [
        OwnFile(path, files.unique_file(path.name), key, _takers(ways, spec, path.name))
        for at, spec in chosen
        for key, path in own_files.get(at, ())
    ]
    return tuple(fixed), tuple(own)


def _ways(decision: Decision, job: Job) -> list[Way]:
    return [job.file.deliver[at] for at in decision.effects.ways]


def _takers(ways: Sequence[Way], spec: Enclosure, name: str) -> frozenset[str]:
    """The ways by which an enclosed file goes."""
    form = PurePath(name).suffix.removeprefix(".").casefold()
    return frozenset(way.called for way in ways if way.takes(spec.called, form))


def _held_without_files(decision: Decision, job: Job, files: Sequence[DocumentPlan | Fixed | OwnFile]) -> Decision:
    """The decision where a way that takes some of the files finds none of them."""
    taken = frozenset[str]().union(*(file.ways for file in files))
    empty = next((way for way in _ways(decision, job) if way.limits and way.called not in taken), None)
    if empty is None or decision.outcome is not Outcome.READY:
        return decision
    reason = f"nothing of it goes by '{empty.called}', which takes {empty.limits} only"
    return replace(decision, outcome=Outcome.HELD, cause=Cause.NOTHING_TO_TAKE, reason=reason)


def _own_files(
    reading: Reading, slices: Sequence[SlicePlan], known: Known
) -> tuple[dict[int, list[tuple[str, Path]]], dict[int, DataError]]:
    """Enclosure, by number → key and path of the files that its recipient gets; and → why not as many as they should.

    They are asked for whatever becomes of the package, so that it is known which files are nobody's.
    """
    found: dict[int, list[tuple[str, Path]]] = {}
    lacking: dict[int, DataError] = {}
    for at, spec in enumerate(reading.job.file.package.enclose):
        if not spec.is_own:
            continue
        template = reading.job.text(spec.file, "package", "enclose", at, "file")
        for part in slices:
            try:
                pattern = reading.wording.fill_pattern(template, part.names, key=part.key)
                files = known.shelf.take(pattern, spec, template.where, part.key)
            except DataError as error:
                lacking.setdefault(at, error)
            else:
                found.setdefault(at, []).extend((part.key, path) for path in files)
    return found, lacking


def _held_without(decision: Decision, lacking: Mapping[int, DataError]) -> Decision:
    """The decision where a file that the recipient must have is not there."""
    error = next((lacking[at] for at in decision.effects.enclosures if at in lacking), None)
    if error is None or decision.outcome is not Outcome.READY:
        return decision
    return replace(decision, outcome=Outcome.HELD, cause=Cause.NO_FILE, reason=str(error))


def _slices(addressed: Addressed, evaluated: Evaluated, reading: Reading, known: Known) -> Iterator[SlicePlan]:
    """The keys of a package, with what texts about each may merge: its own line of a list, else that of the contact."""
    own = addressed.contacts[0].fields if addressed.contacts else {}
    if addressed.bundle is None:
        yield SlicePlan(addressed.key, _names(addressed.key, own, evaluated, reading, known))
        return
    for key in addressed.keys:
        name = known.called.get(key, key)
        label = f"{key} {name}" if name != key else key
        yield SlicePlan(key, _names(key, known.fields.get(key, own), known.evaluated[key], reading, known), label)


def _names(
    key: str, fields: Mapping[str, object], evaluated: Evaluated, reading: Reading, known: Known
) -> dict[str, object]:
    own = {"key": key, "recipient": fields, "figures": evaluated.figures, "past": known.past.get(key, NEVER)}
    return {**reading.common, **own}
