"""Who a run is for: the lines of every list, the keys with their contacts, the addresses with their bundles."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from gonnet import data, recipients, rules
from gonnet.errors import DataError, JobError, meant
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.people import RecipientList
from gonnet.pipeline.surveying.portions import Portion, Portions
from gonnet.pipeline.surveying.rosters import Rostered, brought_together
from gonnet.recipients import Addressed, Contact, Recipient
from gonnet.recipients.corrections import kept
from gonnet.recipients.matching import Sharing
from gonnet.recipients.roster import Seen


@dataclass(frozen=True, slots=True, kw_only=True)
class Audience:
    """Who a portion of a run is for.

    Attributes:
        portion: The keys.
        people: Every line of every list that is wanted.
        aside: The lines that conditions of lists leave out.
        addressed: What is to be a package, keys before bundles.
        described: Key → the line that describes it.
    """

    portion: Portion
    people: tuple[Recipient, ...]
    aside: tuple[Recipient, ...]
    addressed: tuple[Addressed, ...]
    described: Mapping[str, Recipient]


class Everybody:
    """Who a run is for, portion by portion. Where every list bundles, only keys that nobody may see stand alone.

    Args:
        job: The job.
        engine: The engine, after the split.
        counts: Key → rows.
        house: The locale of those of whom no list says one.
        values: Parameters that conditions, roles and ways of lists may name.
        rostered: Number of a list → the circle of a roster that it is.
        chosen: Key → list and line of the contact who gets it, whomever the list chooses.

    Attributes:
        languages: Locale → how many lines read in it.
        findings: What lists name in vain.

    Raises:
        DataError: a list cannot be read.
    """

    def __init__(
        self,
        job: Job,
        engine: data.Engine,
        counts: Mapping[str, int],
        house: str,
        values: Mapping[str, object],
        rostered: Mapping[int, Rostered],
        chosen: Mapping[str, tuple[str, int]],
    ) -> None:
        self._job, self._engine, self._counts = job, engine, counts
        self._rostered, self._chosen = rostered, chosen
        self._specs = [recipients.with_values(spec, values) for _, spec in job.lists]
        by_hand = recipients.Corrections(kept(job.folder, job.name))
        self._reader = _Reader(job, engine, house, values, by_hand)
        self._portions = Portions(job, engine, counts)
        self._sharing = Sharing()
        self.languages: Counter[str] = Counter()
        found = [finding for findings in self._look_through() for finding in findings]
        self.findings: tuple[Finding, ...] = (*found, *by_hand.findings())
        self._only = self._of(next(iter(self._portions)), self._listed) if self._portions.is_one else None
        if self._only is not None:
            self.findings = (*found, *self._seen_in_vain, *by_hand.findings())

    def __iter__(self) -> Iterator[Audience]:
        if self._only is not None:
            yield self._only
            return
        for portion in self._portions:
            yield self._of(portion, self._read(portion))

    @property
    def is_one(self) -> bool:
        """Whether all keys are one portion."""
        return self._portions.is_one

    def keys(self) -> Iterator[str]:
        """Every key and bundle that is to be a package, keys before bundles."""
        return (part.key for audience in self for part in audience.addressed)

    def bundles(self) -> dict[str, tuple[str, ...]]:
        """Bundle → its keys."""
        there = self._only.addressed if self._only is not None else ()
        return {part.key: part.keys for part in there if part.bundle is not None}

    def _read(self, portion: Portion) -> list[_Listed]:
        """The lists, for some keys."""
        listed = [self._reader.read(index, spec, portion) for index, spec in enumerate(self._specs)]
        for index, circle in self._rostered.items():
            listed[index] = _with_roster(self._job, index, circle, listed[index], self._engine, self._counts)
        return listed

    def _look_through(self) -> Iterator[list[Finding]]:
        """Look once at all lines for what is of the whole run; what lists name in vain, list by list."""
        roles: list[set[str]] = [set() for _ in self._specs]
        chosen = frozenset(self._chosen.values())
        for portion in self._portions:
            self._listed = listed = self._read(portion)
            for index, (spec, one) in enumerate(zip(self._specs, listed, strict=True)):
                roles[index] |= recipients.roles_in((*one.lines, *one.aside), spec)
                self.languages.update(person.language for person in one.lines)
                also = (person for person in one.aside if (person.source, person.line) in chosen)
                self.languages.update(person.language for person in also)
            self._sharing.see(self._by_key(listed))
        for index, spec in enumerate(self._specs):
            yield [*_roles_of_nobody(spec, roles[index]), *self._listed[index].findings]

    def _by_key(self, listed: Sequence[_Listed]) -> list[Recipient]:
        """The lines that are written to key by key."""
        pairs = zip(self._specs, listed, strict=True)
        return [line for spec, one in pairs if spec.bundled is None for line in recipients.arranged(one.lines, spec)]

    def _of(self, portion: Portion, listed: Sequence[_Listed]) -> Audience:
        """Who some keys are for."""
        contacts: dict[str, tuple[Contact, ...]] = {}
        for spec, one in zip(self._specs, listed, strict=True):
            if spec.bundled is None:
                for key, mine in recipients.contacts_of(one.lines, one.aside, spec).items():
                    contacts[key] = (*contacts.get(key, ()), *mine)
        found = self._bundles(listed)
        settings = [spec.settings for spec in self._job.file.recipients] or ()
        own = recipients.match(portion.counts, self._by_key(listed), settings, contacts, self._sharing.found)
        if not self._job.has_own:
            covered = {key for bundle in found for key in bundle.keys}
            own = tuple(part for part in own if part.key not in covered)
        addressed = (*own, *sorted(found, key=lambda part: part.key))
        people = tuple(line for one in listed for line in one.lines)
        return Audience(
            portion=portion,
            people=people,
            aside=tuple(line for one in listed for line in one.aside),
            addressed=tuple(_as_said(part, self._chosen.get(part.key)) for part in addressed),
            described=descriptions(self._job, people),
        )

    def _bundles(self, listed: Sequence[_Listed]) -> list[Addressed]:
        """The addresses that get several keys together."""
        found: list[Addressed] = []
        self._seen_in_vain: list[Finding] = []
        own = [one for spec, one in zip(self._specs, listed, strict=True) if spec.bundled is None]
        taken = {*self._counts, *(line.key for one in own for line in one.lines)} if len(own) < len(listed) else set()
        for index, (spec, one) in enumerate(zip(self._specs, listed, strict=True)):
            if spec.bundled is not None:
                where = self._job.at_list(index, "group")
                seen = recipients.sight(self._engine, spec, self._counts, where=where, by_row=one.by_row)
                found += recipients.bundles(recipients.arranged(one.lines, spec), spec, seen, taken)
                self._seen_in_vain += seen.findings
                self._seen_in_vain += recipients.without_rows(one.lines, spec, seen) if spec.keys or spec.group else ()
        return found


def _as_said(part: Addressed, place: tuple[str, int] | None) -> Addressed:
    """A package, for the contact whom a person chose."""
    chosen = (one.person for one in part.known if place == (one.person.source, one.person.line))
    person = next(chosen, None)
    return part if person is None else replace(part, contacts=(person,), is_left_out=False)


class _Listed(NamedTuple):
    """A list as it was read, all of it or for some keys.

    Attributes:
        lines: The lines that are wanted.
        aside: Those that its condition leaves out.
        findings: What it names in vain.
        by_row: What each line of a roster may see; None for lists of another kind.
    """

    lines: tuple[Recipient, ...]
    aside: tuple[Recipient, ...]
    findings: tuple[Finding, ...] = ()
    by_row: Mapping[int, Seen] | None = None


class _Reader(NamedTuple):
    """Reads the lists of a job."""

    job: Job
    engine: data.Engine
    house: str
    values: Mapping[str, object]
    by_hand: recipients.Corrections

    def read(self, index: int, spec: RecipientList, portion: Portion) -> _Listed:
        """A list.

        Raises:
            DataError: it cannot be read.
        """
        engine, house, mine = self.engine, self.house, portion.lists.get(index)
        table, ways = self.job.lists[index][0], recipients.Ways.of(self.job.file.deliver)
        lines = recipients.read(
            engine,
            table,
            spec,
            house,
            self.values,
            where=_place(self.job, index),
            number=index,
            corrections=self.by_hand,
            ways=ways,
            portion=mine,
        )
        aside = recipients.left_out(engine, table, spec, house, lines, number=index, ways=ways, portion=mine)
        return _Listed(lines, aside)


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


def _roles_of_nobody(spec: RecipientList, there: set[str]) -> Iterator[Finding]:
    """A finding for each role that a list asks for and nobody on it has."""
    if spec.roles is None:
        return
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
