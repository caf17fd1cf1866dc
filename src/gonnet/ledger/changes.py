"""What people change about the packages of a run that is prepared: all of it in one transaction, with who and why."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Connection, Engine, Select, select, true, update

from gonnet.errors import RunError, typed
from gonnet.ledger import chain, schema, statements
from gonnet.ledger.approvals import void
from gonnet.ledger.failures import explained
from gonnet.ledger.hand_overs import conclude_package
from gonnet.ledger.reading import packages_where
from gonnet.ledger.records import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord
from gonnet.ledger.states import HandOverState, Purpose, State, origins
from gonnet.ledger.writing import add_leaving, document_row

_MOST = 500  # packages that a statement names at a time


@dataclass(frozen=True, slots=True, kw_only=True)
class _OfPackage:
    """A change of one package.

    Attributes:
        package: The package, as it was before.
        what: What is changed, by whom and why, for the record.
    """

    package: PackageRecord
    what: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Move(_OfPackage):
    """To another state, from one of those that `BY_HAND` allows."""

    to: State
    reason: str
    seal: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Settlement(_OfPackage):
    """What became of hand-overs: each, the state that it has from now on, and why."""

    decided: Sequence[tuple[HandOverRecord, HandOverState, str]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Rewriting(_OfPackage):
    """Other messages and files in the place of those of a package of which nothing was handed over.

    Attributes:
        messages: Its messages.
        leaving: Their hand-overs; all of its hand-overs where it is made again.
        documents: Its files.
        seal: Over all that leaves.
        state: Its state.
        reason: Why it is held; empty where it is not.
        is_whole: Whether all of it is made again, what is put somewhere too.
    """

    messages: Sequence[MessageRecord]
    leaving: Sequence[HandOverRecord]
    documents: Sequence[DocumentRecord]
    seal: str
    state: State
    reason: str
    is_whole: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Replacement(_OfPackage):
    """New messages in the place of hand-overs that did not leave, which are closed.

    Attributes:
        closed: What is not tried any longer.
        messages: The new messages.
        mailed: Their hand-overs.
        documents: All of its files.
        seal: Over all that leaves or left.
    """

    closed: Sequence[HandOverRecord]
    messages: Sequence[MessageRecord]
    mailed: Sequence[HandOverRecord]
    documents: Sequence[DocumentRecord]
    seal: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Addition(_OfPackage):
    """More to hand over of a package that was sent."""

    messages: Sequence[MessageRecord]
    hand_overs: Sequence[HandOverRecord]
    seal: str


Change = Move | Settlement | Rewriting | Replacement | Addition


class Changes:
    """Changes packages of one ledger.

    Args:
        engine: Its database.
        place: Where it is, for messages.
        now: Gives the time, as it is written.
    """

    def __init__(self, engine: Engine, place: str, now: Callable[[], str]) -> None:
        self._engine, self.place, self._now = engine, place, now

    @explained
    def enter(self, run_id: int, changes: Sequence[Change]) -> tuple[PackageRecord, ...]:
        """Make changes of packages of a run: all of them, or none. A package that is rewritten may be moved then.

        The first change of a package has it as whoever decided saw it.

        Returns:
            The packages as they are then, in the order in which they were made.

        Raises:
            RunError: a package, or something of it, has come to another state, or was changed otherwise.
        """
        with self._engine.begin() as work:
            _require_unchanged(work, run_id, changes)
            rewritten = [change for change in changes if isinstance(change, Rewriting)]
            for whole in (False, True):
                _rewrite(work, run_id, [change for change in rewritten if change.is_whole is whole], whole=whole)
            for change in changes:
                self._make(work, run_id, change)
            _move(work, run_id, [change for change in changes if isinstance(change, Move)])
            at = self._now()
            if changes:
                void(work, run_id, at)
            numbers = {number for part in _parts(changes) for number in part}
            package = schema.packages.c
            few = [package.id.in_(numbers)] if len(numbers) <= _MOST else []
            now = tuple(one for one in packages_where(work, [package.run_id == run_id, *few]) if one.id in numbers)
            chain.add(work, list(_events(run_id, changes, now, at)))
        return now

    def _make(self, work: Connection, run_id: int, change: Change) -> None:
        """Make a change of those that are rare, one by one."""
        number = change.package.id
        match change:
            case Settlement():
                for part, state, why in change.decided:
                    self._bring(work, run_id, change.package, part, state, reply=why, refused="", code=None)
                conclude_package(work, number)
            case Replacement():
                for part in change.closed:
                    self._bring(work, run_id, change.package, part, HandOverState.CLOSED)
                _redocument(work, [change])
                add_leaving(work, run_id, [(number, change.messages, change.mailed)])
                _seal(work, number, seal=change.seal)
                conclude_package(work, number)
            case Addition():
                add_leaving(work, run_id, [(number, change.messages, change.hand_overs)])
                _seal(work, number, seal=change.seal, state=State.READY, reason="")
            case _:
                return

    def _bring(
        self,
        work: Connection,
        run_id: int,
        package: PackageRecord,
        part: HandOverRecord,
        state: HandOverState,
        **values: object,
    ) -> None:
        """Bring a hand-over to a state.

        Raises:
            RunError: it has come to another one, from which it cannot.
        """
        table = schema.hand_overs
        is_so = (table.c.id == part.id) & table.c.state.in_(origins(state))
        if work.execute(update(table).where(is_so).values(state=state, at=self._now(), **values)).rowcount != 1:
            raise RunError(f"{part.target} is no longer {part.state}", fix=_look(run_id, package))


def _events(run_id: int, changes: Sequence[Change], now: Sequence[PackageRecord], at: str) -> Iterator[chain.Event]:
    """What was changed, with how the packages and what is handed over of them stand since."""
    last, known = {change.package.id: change for change in changes}, {package.id: package for package in now}
    for change in changes:
        package = known[change.package.id]
        for part in _brought(change, package):
            came = chain.part_standing(part.state, part.refused, part.code, part.reply, part.put_at)
            yield chain.Event(at, f"{part.target}: {part.state}", run_id, package.id, part.id, standing=came)
        event = chain.Event(at, change.what, run_id, package.id)
        if last[package.id] is change:
            stands = chain.package_standing(package.state, package.reason)
            event = event._replace(content=chain.content_of(package), standing=stands)
        yield event


def _brought(change: Change, now: PackageRecord) -> Iterator[HandOverRecord]:
    """The hand-overs that a change brought to another state, as they are since."""
    match change:
        case Settlement():
            brought = {part.id for part, _, _ in change.decided}
        case Replacement():
            brought = {part.id for part in change.closed}
        case _:
            return
    yield from (part for part in now.hand_overs if part.id in brought)


def _require_unchanged(work: Connection, run_id: int, changes: Sequence[Change]) -> None:
    """See that packages are as somebody saw them; the seal is over all that leaves.

    Raises:
        RunError: one was changed meanwhile.
    """
    package, part = schema.packages.c, schema.hand_overs.c
    standing = select(package.id, package.state, package.seal, package.reason)
    tried = select(part.package_id, part.id, part.state).where(part.purpose != Purpose.TRIAL)
    now: defaultdict[int, list[tuple[object, ...]]] = defaultdict(list)
    for numbers in _parts(changes):
        for query, number in ((standing, package.id), (tried, part.package_id)):
            for mine, *how in work.execute(query.where(number.in_(numbers))):
                now[mine].append(tuple(how))
    before = {change.package.id: change.package for change in reversed(changes)}
    for was in before.values():
        parts = {(part.id, part.state) for part in was.hand_overs}
        if {*now[was.id]} != {(was.state, was.seal, was.reason), *parts}:
            what = f"package {was.key} was changed meanwhile, and nothing was done"
            raise RunError(what, fix=_look(run_id, was))


def _move(work: Connection, run_id: int, changes: Sequence[Move]) -> None:
    package = schema.packages.c
    for to in dict.fromkeys(change.to for change in changes):
        mine = [change for change in changes if change.to is to]
        there = [{"number": one.package.id, "why": one.reason, "sealed": one.seal} for one in mine]
        if work.execute(statements.MOVE[to], there).rowcount != len(mine):
            states = dict(_in_parts(work, select(package.id, package.state), package.id, mine))
            gone = next((one for one in mine if states[one.package.id] != to), mine[0])
            what = f"package {gone.package.key} is no longer {gone.package.state}"
            raise RunError(what, fix=_look(run_id, gone.package))


def _rewrite(work: Connection, run_id: int, changes: Sequence[Rewriting], *, whole: bool) -> None:
    part, message = schema.hand_overs, schema.messages
    mine = true() if whole else part.c.message_id.is_not(None)
    tried = select(part.c.package_id, part.c.state).where(
        mine, part.c.purpose != Purpose.TRIAL, part.c.state != HandOverState.WAITING
    )
    if found := dict(_in_parts(work, tried, part.c.package_id, changes)):
        key = next(change.package.key for change in changes if change.package.id in found)
        raise RunError(f"something of package {key} was handed over", fix="It can only be sent again")
    for numbers in _parts(changes):
        of = part.c.package_id.in_(numbers) & mine
        work.execute(part.delete().where(of, part.c.purpose != Purpose.TRIAL))
        work.execute(update(part).where(of).values(message_id=None))  # trials stay, for the counts of their day
        work.execute(message.delete().where(message.c.package_id.in_(numbers)))
    _redocument(work, changes)
    add_leaving(work, run_id, [(change.package.id, change.messages, change.leaving) for change in changes])
    if changes:
        values = [
            {"number": one.package.id, "now": one.state, "why": one.reason, "sealed": one.seal} for one in changes
        ]
        work.execute(statements.SEAL, values)


def _redocument(work: Connection, changes: Sequence[Rewriting | Replacement]) -> None:
    for numbers in _parts(changes):
        work.execute(schema.documents.delete().where(schema.documents.c.package_id.in_(numbers)))
    rows = [document_row(change.package.id, part) for change in changes for part in change.documents]
    if rows:
        work.execute(statements.ADD_DOCUMENT, rows)


def _parts(changes: Sequence[Change]) -> Iterator[list[int]]:
    """The numbers of packages, as many at a time as a statement may name."""
    for at in range(0, len(changes), _MOST):
        yield [change.package.id for change in changes[at : at + _MOST]]


def _in_parts(
    work: Connection, query: Select[int, str], number: ColumnElement[int], changes: Sequence[Change]
) -> Iterator[tuple[int, str]]:
    for numbers in _parts(changes):
        for found in work.execute(query.where(number.in_(numbers))):
            yield found[0], found[1]


def _seal(work: Connection, package_id: int, **values: object) -> None:
    work.execute(update(schema.packages).where(schema.packages.c.id == package_id).values(**values))


def _look(run_id: int, package: PackageRecord) -> str:
    return f"Look again with `{typed('show', run_id, package.key)}`"
