"""Whether the ledger says what happened: the chain of events holds, and the tables are as its events left them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from sqlalchemy import Connection, Row, Select, func, select

from gonnet.ledger import chain, schema
from gonnet.ledger.bases import Base
from gonnet.ledger.failures import explained
from gonnet.ledger.forgetting import silenced_by
from gonnet.ledger.hand_overs import HandedOver, Outcome, concluded, doubted
from gonnet.ledger.reading import packages_where
from gonnet.ledger.records import HandOverRecord, PackageRecord
from gonnet.ledger.same import same
from gonnet.ledger.states import HandOverState, Purpose, State

_AT_ONCE = 1000  # packages that are looked at together
_EVENTS = 5000  # events that are read together
_UNTRIED = ("", None, "", "")  # what is said of a hand-over of which nothing was tried
_event, _package, _part = schema.events.c, schema.packages.c, schema.hand_overs.c
_FIELDS = [_event[name] for name in chain.Event._fields]
_SAID = (
    select(_event.package_id, _event.part_id, _event.content, _event.standing, _part.purpose)
    .select_from(schema.events.outerjoin(schema.hand_overs, _part.id == _event.part_id))
    .order_by(_event.id)
)
_PARTS: Select[Any] = select(
    *(_part.id, _part.package_id, _part.target, _part.state),
    *(_part.refused, _part.code, _part.reply, _part.put_at),
)


class Fault(NamedTuple):
    """What is not as the record says.

    Attributes:
        where: What it is about: an event, a run, a package.
        what: What is wrong.
    """

    where: str
    what: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Chain:
    """The chain of events, as it was found.

    Attributes:
        events: How many.
        head: The digest of the last one.
        faults: What is wrong with it.
    """

    events: int
    head: str
    faults: Sequence[Fault]


@dataclass(slots=True)
class _Said:
    """What the events of a package, or of a run, say of it: the last of each kind counts.

    Attributes:
        content: Digest of what it is made of.
        standing: Digest of how it stands.
        parts: Number of a hand-over → digest of what came of it.
        was_handed_over: Whether something was, since its standing was said.
        is_whole: Whether its first event says how it stood: it is not older than the chain.
    """

    content: str | None = None
    standing: str | None = None
    parts: dict[int, str | None] = field(default_factory=dict)
    was_handed_over: bool = False
    is_whole: bool | None = None

    def take(self, part: int | None, content: str | None, standing: str | None, purpose: str | None) -> None:
        """Take in what the next event says."""
        self.is_whole = standing is not None if self.is_whole is None else self.is_whole
        if part is not None:
            self.parts[part] = standing
            self.was_handed_over |= purpose != Purpose.TRIAL
            return
        self.content = content or self.content
        if standing is not None:
            self.standing, self.was_handed_over = standing, False


class Prover:
    """Compares one ledger with its events. Nothing is changed.

    Args:
        base: Where it is.
    """

    def __init__(self, base: Base) -> None:
        self._base, self.place = base, base.place

    @explained
    def database(self) -> list[Fault]:
        """What the database itself finds wrong with its file."""
        return [Fault("ledger", what) for what in self._base.faults()]

    @explained
    def follow(self, noted: tuple[int, str] | None) -> Chain:
        """Follow the chain of events from its beginning.

        Args:
            noted: Number and digest of an event that must be in it, as somebody noted them outside of the ledger.
        """
        columns = [_event.id, _event.digest, _event.salt, _event.said, *_FIELDS]
        faults: list[Fault] = []
        count, head = 0, chain.START
        silent, declared = set[int](), set[int]()
        is_noted = noted is None
        with self._base.snapshot() as work:
            about = work.execute(select(schema.about.c.events, schema.about.c.head)).one()
            rows = work.execute(select(*columns).order_by(_event.id).execution_options(yield_per=_EVENTS))
            for number, digest, salt, said, *fields in rows:
                found = chain.Event(*fields)
                if chain.link(head, said or chain.words(salt, found.what), found) != digest:
                    where = f"event {number} of run {found.run_id} ({found.at[:16]}, {found.what[:60]})"
                    what = "it was changed, or events before it were changed, taken out, put in or moved"
                    faults.append(Fault(where, what))
                if said is not None:
                    silent.add(number)
                    if found.what or salt:
                        faults.append(
                            Fault(f"event {number} of run {found.run_id}", "words were put in where none were left")
                        )
                declared |= silenced_by(found.what)
                count, head = count + 1, digest
                is_noted = is_noted or (number, digest) == noted
        what = "its words were taken out, and no event says so"
        faults += [Fault(f"event {number}", what) for number in sorted(silent - declared)]
        if count < about.events:
            faults.append(Fault("events", f"{about.events - count} of {about.events} were taken out"))
        elif count > about.events:
            faults.append(Fault("events", f"{count - about.events} were put in"))
        elif head != about.head:
            faults.append(Fault("events", "the last one is not the one that was written last"))
        if not is_noted and noted is not None:
            what = f"event {noted[0]}, which was noted outside of the ledger on this machine, is not in it"
            faults.append(Fault("events", f"{what}: it is an older ledger, or it was written anew"))
        return Chain(events=count, head=head, faults=faults)

    @explained
    def runs(self) -> tuple[list[int], list[Fault]]:
        """The numbers of all runs; and those that are gone, or of which no event speaks."""
        with self._base.snapshot() as work:
            there = list(work.scalars(select(schema.runs.c.id).order_by(schema.runs.c.id)))
            said = set(work.scalars(select(schema.events.c.run_id).distinct()))
        gone = [Fault(f"run {number}", "it is gone, and events speak of it") for number in sorted(said - {*there})]
        return there, gone + [Fault(f"run {number}", "no event speaks of it") for number in sorted({*there} - said)]

    @explained
    def run(self, run_id: int) -> tuple[list[Fault], int]:
        """What of a run is not as its events left it; and how many of its packages are older than the chain."""
        with self._base.snapshot() as work:
            said, older = _said(work, run_id).get(None, _Said()), 0
            faults = list(_of_run(work, run_id, said))
            for first, last in _spans(work, run_id):
                found = _Part.read(work, run_id, first, last)
                faults += found.faults(are_all_known=bool(said.is_whole))
                older += found.older
        return faults, older

    @explained
    def events(self, run_id: int) -> list[tuple[int, str, chain.Event]]:
        """Number and digest of each event of a run, with it, in order."""
        columns = [_event.id, _event.digest, *_FIELDS]
        with self._base.snapshot() as work:
            rows = work.execute(select(*columns).where(_event.run_id == run_id).order_by(_event.id))
            return [(number, digest, chain.Event(*said)) for number, digest, *said in rows]

    def packages(self, run_id: int) -> Iterator[tuple[PackageRecord, ...]]:
        """The packages of a run, some at a time."""
        with self._base.snapshot() as work:
            for span in _spans(work, run_id):
                yield packages_where(work, [_package.run_id == run_id, _package.id.between(*span)])


def _of_run(work: Connection, run_id: int, said: _Said) -> Iterator[Fault]:
    """What is wrong with the run itself, and with what belongs to no package of it."""
    if said.standing is None:  # older than the chain
        return
    where = f"run {run_id}"
    if said.standing != chain.run_standing(work, run_id):
        yield Fault(where, "it was changed: its job, date, parameters, account, findings or state")
    if said.content != chain.approvals_of(work, run_id):
        yield Fault(where, "its approvals were changed")
    for row in work.execute(_PARTS.where(_part.run_id == run_id, _part.package_id.is_(None))):
        if not _is_as_said(row, said.parts):
            yield Fault(where, f"what became of the summary to {row.target} was changed")


def _said(work: Connection, run_id: int, span: tuple[int, int] | None = None) -> dict[int | None, _Said]:
    """Number of a package → what events say of it; under None what they say of the run, where no span is given."""
    numbers = _event.package_id
    found: dict[int | None, _Said] = {}
    mine = numbers.is_(None) if span is None else numbers.between(*span)
    for number, *what in work.execute(_SAID.where(_event.run_id == run_id, mine)):
        found.setdefault(number, _Said()).take(*what)
    return found


def _spans(work: Connection, run_id: int) -> list[tuple[int, int]]:
    """From which package to which, some at a time; also those of which only events know."""
    ends: set[int] = set()
    for number, run in ((_package.id, _package.run_id), (_event.package_id, _event.run_id)):
        low, high = work.execute(select(func.min(number), func.max(number)).where(run == run_id)).one()
        ends |= {end for end in (low, high) if end is not None}
    return [(at, at + _AT_ONCE - 1) for at in range(min(ends), max(ends) + 1, _AT_ONCE)] if ends else []


@dataclass(slots=True, kw_only=True)
class _Part:
    """Some packages of a run, with what events say of them."""

    run_id: int
    packages: Sequence[PackageRecord]
    spelled: dict[int, str]
    parts: dict[int, list[Row[Any]]]
    said: dict[int | None, _Said]

    @classmethod
    def read(cls, work: Connection, run_id: int, first: int, last: int) -> _Part:
        """Those whose numbers are from `first` to `last`."""
        mine = [_package.run_id == run_id, _package.id.between(first, last)]
        parts: dict[int, list[Row[Any]]] = {}
        for row in work.execute(_PARTS.where(_part.package_id.between(first, last))):
            parts.setdefault(row.package_id, []).append(row)
        return cls(
            run_id=run_id,
            packages=packages_where(work, mine),
            spelled={number: key for number, key in work.execute(select(_package.id, _package.same_key).where(*mine))},
            parts=parts,
            said=_said(work, run_id, (first, last)),
        )

    @property
    def older(self) -> int:
        """How many of them are older than the chain: no event says what they are made of."""
        return sum(self.said.get(package.id, _Said()).content is None for package in self.packages)

    def faults(self, *, are_all_known: bool) -> Iterator[Fault]:
        """What of them is not as events left it.

        Args:
            are_all_known: Whether events say of each package of the run how it was made.
        """
        gone = sorted({number for number in self.said if number} - {package.id for package in self.packages})
        yield from (Fault(f"run {self.run_id}", f"its package number {number} is gone") for number in gone)
        for package in self.packages:
            where = f"run {self.run_id}, package {package.key}"
            if same(package.key) != self.spelled[package.id]:
                yield Fault(where, "the key under which it is found was changed")
            said = self.said.get(package.id, _Said())
            if said.content is None and are_all_known:
                yield Fault(where, "no event says that it was made")
            yield from (Fault(where, what) for what in _of_package(package, said, self.parts.get(package.id, [])))


def _of_package(package: PackageRecord, said: _Said, parts: Sequence[Row[Any]]) -> Iterator[str]:
    is_known = said.content is not None
    if is_known and said.content != chain.content_of(package):
        yield "what it is made of was changed: its rows, figures, files, messages, addresses or seal"
    if is_known and not _stands(package, said):
        reason = f" ({package.reason})" if package.reason else ""
        yield f"its state was changed: the ledger has '{package.state}'{reason}"
    for row in parts:
        if (said.is_whole or row.id in said.parts) and not _is_as_said(row, said.parts):
            yield f"what became of {row.target} was changed: the ledger has '{row.state}'"
    if lost := {*said.parts} - {row.id for row in parts}:
        yield f"what was handed over of it is gone, {len(lost)} in all"


def _stands(package: PackageRecord, said: _Said) -> bool:
    """Whether a package stands as its last event says, or as its hand-overs since."""
    begun = [part.target for part in package.hand_overs if part.state is HandOverState.BEGUN]
    if package.state is State.UNSURE and package.reason in map(doubted, begun):
        return True
    if said.was_handed_over:
        return (package.state, package.reason) == concluded([_handed_over(part) for part in package.hand_overs])
    return said.standing == chain.package_standing(package.state, package.reason)


def _handed_over(part: HandOverRecord) -> HandedOver:
    outcome = Outcome(state=part.state, refused=part.refused, code=part.code, reply=part.reply)
    return HandedOver(part.target, part.state, outcome.answer)


def _is_as_said(row: Row[Any], said: dict[int, str | None]) -> bool:
    """Whether a hand-over is as its last event says; one that is begun is not answered yet."""
    if row.state == HandOverState.BEGUN:
        return True
    how = (row.refused, row.code, row.reply, row.put_at)
    if row.id in said:
        return said[row.id] == chain.part_standing(row.state, *how)
    return row.state == HandOverState.WAITING and how == _UNTRIED
