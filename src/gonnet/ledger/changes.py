"""What people change about the packages of a run that is prepared: all of it in one transaction, with who and why."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Connection, Engine, insert, update

from gonnet.errors import RunError, typed
from gonnet.ledger import schema
from gonnet.ledger.failures import explained
from gonnet.ledger.hand_overs import conclude_package
from gonnet.ledger.records import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord
from gonnet.ledger.states import BY_HAND, HandOverState, Purpose, State, origins
from gonnet.ledger.writing import add_leaving, document_row


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
        mailed: Their hand-overs.
        documents: Its files.
        seal: Over all that leaves.
        state: Its state.
        reason: Why it is held; empty where it is not.
    """

    messages: Sequence[MessageRecord]
    mailed: Sequence[HandOverRecord]
    documents: Sequence[DocumentRecord]
    seal: str
    state: State
    reason: str


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

    def __init__(self, engine: Engine, place: Path, now: Callable[[], str]) -> None:
        self._engine, self.place, self._now = engine, place, now

    @explained
    def enter(self, run_id: int, changes: Sequence[Change]) -> None:
        """Make changes of packages of a run, in this order: all of them, or none.

        Raises:
            RunError: a package, or something of it, has come to another state.
        """
        with self._engine.begin() as work:
            for change in changes:
                self._make(work, run_id, change)
                values = {"run_id": run_id, "package_id": change.package.id, "at": self._now()}
                work.execute(insert(schema.events).values(**values, what=change.what[:600]))

    def _make(self, work: Connection, run_id: int, change: Change) -> None:
        match change:
            case Move():
                _move(work, run_id, change)
            case Settlement():
                for part, state, why in change.decided:
                    self._bring(work, run_id, change.package, part, state, reply=why, refused="", code=None)
                conclude_package(work, change.package.id)
            case Rewriting():
                _rewrite(work, run_id, change)
            case Replacement():
                for part in change.closed:
                    self._bring(work, run_id, change.package, part, HandOverState.CLOSED)
                _redocument(work, change.package.id, change.documents)
                add_leaving(work, run_id, change.package.id, change.messages, change.mailed)
                _seal(work, change.package.id, seal=change.seal)
                conclude_package(work, change.package.id)
            case Addition():
                add_leaving(work, run_id, change.package.id, change.messages, change.hand_overs)
                _seal(work, change.package.id, seal=change.seal, state=State.READY, reason="")

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


def _move(work: Connection, run_id: int, change: Move) -> None:
    table = schema.packages
    done = work.execute(
        update(table)
        .where(table.c.id == change.package.id, table.c.state.in_(BY_HAND[change.to]))
        .values(state=change.to, reason=change.reason, seal=change.seal)
    )
    if done.rowcount != 1:
        what = f"package {change.package.key} is no longer {change.package.state}"
        raise RunError(what, fix=_look(run_id, change.package))


def _rewrite(work: Connection, run_id: int, change: Rewriting) -> None:
    number, part, message = change.package.id, schema.hand_overs, schema.messages
    mine = (part.c.package_id == number) & part.c.message_id.is_not(None)
    tried = mine & (part.c.purpose != Purpose.TRIAL) & (part.c.state != HandOverState.WAITING)
    if work.execute(part.select().where(tried)).first() is not None:
        what = f"something of package {change.package.key} was handed over"
        raise RunError(what, fix="It can only be sent again")
    work.execute(part.delete().where(mine, part.c.purpose != Purpose.TRIAL))
    work.execute(update(part).where(mine).values(message_id=None))  # trials stay, for the counts of their day
    work.execute(message.delete().where(message.c.package_id == number))
    _redocument(work, number, change.documents)
    add_leaving(work, run_id, number, change.messages, change.mailed)
    _seal(work, number, seal=change.seal, state=change.state, reason=change.reason)


def _redocument(work: Connection, package_id: int, documents: Sequence[DocumentRecord]) -> None:
    work.execute(schema.documents.delete().where(schema.documents.c.package_id == package_id))
    if documents:
        work.execute(insert(schema.documents), [document_row(package_id, part) for part in documents])


def _seal(work: Connection, package_id: int, **values: object) -> None:
    work.execute(update(schema.packages).where(schema.packages.c.id == package_id).values(**values))


def _look(run_id: int, package: PackageRecord) -> str:
    return f"Look again with `{typed('show', run_id, package.key)}`"
