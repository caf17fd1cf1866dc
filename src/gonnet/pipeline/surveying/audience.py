"""Who a run is for: the lines of every list, the keys with their contacts, and the addresses with their bundles."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from gonnet import data, recipients, rules
from gonnet.errors import DataError, JobError, meant
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.people import RecipientList
from gonnet.pipeline.surveying.rosters import Rostered, brought_together
from gonnet.recipients import Addressed, Contact, Recipient
from gonnet.recipients.corrections import kept
from gonnet.recipients.roster import Seen


@dataclass(frozen=True, slots=True, kw_only=True)
class Audience:
    """Who a run is for.

    Attributes:
        people: Every line of every list that is wanted.
        aside: The lines that conditions of lists leave out.
        addressed: What is to be a package, keys before bundles.
        findings: What lists name in vain.
    """

    people: tuple[Recipient, ...]
    aside: tuple[Recipient, ...]
    addressed: tuple[Addressed, ...]
    findings: tuple[Finding, ...]


def audience(
    job: Job,
    engine: data.Engine,
    counts: Mapping[str, int],
    house: str,
    values: Mapping[str, object],
    rostered: Mapping[int, Rostered],
) -> Audience:
    """Who a run is for. Where every list bundles, only the keys that nobody may see stand by themselves.

    Args:
        job: The job.
        engine: The engine, after the split.
        counts: Key → rows.
        house: The locale of those of whom no list says one.
        values: Parameters that conditions, roles and ways of lists may name.
        rostered: Number of a list → the circle of a roster that it is.

    Raises:
        DataError: a list cannot be read.
    """
    by_key: list[Recipient] = []
    found: list[Addressed] = []
    contacts: dict[str, tuple[Contact, ...]] = {}
    taken = set(counts)
    by_hand = recipients.Corrections(kept(job.folder, job.name))
    specs = [recipients.with_values(spec, values) for _, spec in job.lists]
    reader = _Reader(job, engine, house, values, by_hand)
    listed = [reader.read(index, spec) for index, spec in enumerate(specs)]
    for index, circle in rostered.items():
        listed[index] = _with_roster(job, index, circle, listed[index], engine, counts)
    findings = [finding for one in listed for finding in one.findings]
    for spec, one in zip(specs, listed, strict=True):
        if spec.bundled is None:
            by_key += recipients.arranged(one.lines, spec)
            taken |= {line.key for line in one.lines}
            for key, mine in recipients.contacts_of(one.lines, one.aside, spec).items():
                contacts[key] = (*contacts.get(key, ()), *mine)
    for index, (spec, one) in enumerate(zip(specs, listed, strict=True)):
        if spec.bundled is not None:
            where = job.at_list(index, "group")
            seen = recipients.sight(engine, spec, counts, where=where, by_row=one.by_row)
            found += recipients.bundles(recipients.arranged(one.lines, spec), spec, seen, taken)
            findings += seen.findings
            findings += recipients.without_rows(one.lines, spec, seen) if spec.keys or spec.group else ()
    settings = [spec.settings for spec in job.file.recipients] or ()
    own = recipients.match(counts, by_key, settings, contacts)
    if not job.has_own:
        covered = {key for bundle in found for key in bundle.keys}
        own = tuple(part for part in own if part.key not in covered)
    return Audience(
        people=tuple(line for one in listed for line in one.lines),
        aside=tuple(line for one in listed for line in one.aside),
        addressed=(*own, *sorted(found, key=lambda part: part.key)),
        findings=(*findings, *by_hand.findings()),
    )


class _Listed(NamedTuple):
    """A list as it was read.

    Attributes:
        lines: The lines that are wanted.
        aside: Those that its condition leaves out.
        findings: What it names in vain.
        by_row: What each line of a roster may see; None for lists of another kind.
    """

    lines: tuple[Recipient, ...]
    aside: tuple[Recipient, ...]
    findings: tuple[Finding, ...]
    by_row: Mapping[int, Seen] | None = None


class _Reader(NamedTuple):
    """Reads the lists of a job."""

    job: Job
    engine: data.Engine
    house: str
    values: Mapping[str, object]
    by_hand: recipients.Corrections

    def read(self, index: int, spec: RecipientList) -> _Listed:
        """A list.

        Raises:
            DataError: it cannot be read.
        """
        job, engine, house = self.job, self.engine, self.house
        table, ways, where = job.lists[index][0], recipients.Ways.of(job.file.deliver), _place(job, index)
        lines = recipients.read(
            engine, table, spec, house, self.values, where=where, number=index, corrections=self.by_hand, ways=ways
        )
        aside = recipients.left_out(engine, table, spec, house, lines, number=index, ways=ways)
        return _Listed(lines, aside, tuple(_roles_of_nobody(spec, (*lines, *aside))))


def _with_roster(
    job: Job, index: int, one: Rostered, found: _Listed, engine: data.Engine, counts: Mapping[str, int]
) -> _Listed:
    lines, by_row, findings = brought_together(job, index, one, found.lines, engine, counts)
    return _Listed(lines, found.aside, (*found.findings, *findings), by_row)


def _place(job: Job, index: int) -> str:
    """The place of what decides which lines are read."""
    spec = job.file.recipients[index]
    return job.at_list(
        index, "where" if spec.where else next(p for p in ("key", "keys", "group", "roster") if getattr(spec, p))
    )


def _roles_of_nobody(spec: RecipientList, lines: Sequence[Recipient]) -> Iterator[Finding]:
    """A finding for each role that a list asks for and nobody on it has."""
    if spec.roles is None:
        return
    there = recipients.roles_in(lines, spec)
    for name in dict.fromkeys((*spec.roles.to, *spec.roles.cc, *spec.roles.bcc)):
        if name.strip().casefold() not in there:
            text = f"nobody on the list has the role '{name}'. {meant(name, sorted(there), noun='role')}"
            yield Finding(weight=Weight.ATTENTION, text=text.rstrip("."))


def descriptions(job: Job, people: Iterable[Recipient]) -> dict[str, Recipient]:
    """Key → the line that describes it: the first of the lists with a key a line, those that do not bundle before."""
    found: dict[str, Recipient] = {}
    lines = [person for person in people if job.file.recipients[person.listed].key]
    for person in sorted(lines, key=lambda person: job.file.recipients[person.listed].bundled is not None):
        found.setdefault(person.key, person)
    return found


def in_order(
    engine: data.Engine, job: Job, addressed: Sequence[Addressed], values: Mapping[str, object]
) -> tuple[Addressed, ...]:
    """The same with the keys of each bundle in the order that its list asks for.

    Raises:
        JobError: the order does not run.
    """
    return tuple(_ordered(engine, job, part, values) for part in addressed)


def _ordered(engine: data.Engine, job: Job, part: Addressed, values: Mapping[str, object]) -> Addressed:
    if part.bundle is None or part.bundle.order is None:
        return part
    try:
        return replace(part, keys=rules.ranked(engine, part.keys, part.bundle.order, values))
    except DataError as error:
        where = job.at_list(part.contacts[0].listed, "bundle", "order")
        raise JobError(f"the order of the bundle does not run: {error.what}", where=where, fix=error.fix) from error
