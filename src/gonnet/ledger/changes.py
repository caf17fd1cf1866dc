"""What people change about the packages of a run that is prepared: each change in one transaction, with who and why."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from sqlalchemy import Connection, Engine, insert, update

from gonnet.errors import RunError, typed
from gonnet.ledger import schema
from gonnet.ledger.failures import explained
from gonnet.ledger.hand_overs import conclude_package
from gonnet.ledger.records import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord
from gonnet.ledger.states import BY_HAND, HandOverState, Purpose, State, origins
from gonnet.ledger.writing import add_leaving, document_row


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
    def move(self, run_id: int, package: PackageRecord, to: State, reason: str, what: str, seal: str) -> None:
        """Bring a package to another state, from one of those that `BY_HAND` allows.

        Raises:
            RunError: it has come to another state.
        """
        table = schema.packages
        with self._engine.begin() as work:
            done = work.execute(
                update(table)
                .where(table.c.id == package.id, table.c.state.in_(BY_HAND[to]))
                .values(state=to, reason=reason, seal=seal)
            )
            if done.rowcount != 1:
                raise RunError(
                    f"package {package.key} is no longer {package.state}",
                    fix=_look(run_id, package),
                )
            self._note(work, run_id, package.id, what)

    @explained
    def enter_verdict(
        self,
        run_id: int,
        package: PackageRecord,
        decided: Sequence[tuple[HandOverRecord, HandOverState, str]],
        what: str,
    ) -> State:
        """Say what became of hand-overs of a package; returns its state.

        Args:
            run_id: The run.
            package: The package.
            decided: Each hand-over, the state that it has from now on, and why.
            what: What was decided, for the record.

        Raises:
            RunError: one of them has come to another state.
        """
        table = schema.hand_overs
        with self._engine.begin() as work:
            for part, state, why in decided:
                is_so = (table.c.id == part.id) & table.c.state.in_(origins(state))
                values = {"state": state, "reply": why, "refused": "", "code": None, "at": self._now()}
                if work.execute(update(table).where(is_so).values(**values)).rowcount != 1:
                    raise RunError(
                        f"{part.target} is no longer {part.state}",
                        fix=_look(run_id, package),
                    )
            found = conclude_package(work, package.id)
            self._note(work, run_id, package.id, what)
            return found

    @explained
    def rewrite(
        self,
        run_id: int,
        package: PackageRecord,
        what: str,
        messages: Sequence[MessageRecord],
        mailed: Sequence[HandOverRecord],
        documents: Sequence[DocumentRecord],
        seal: str,
        state: State,
        reason: str,
    ) -> None:
        """Put other messages and files in the place of those of a package of which nothing was handed over.

        Args:
            run_id: The run.
            package: The package.
            what: What is changed, for the record.
            messages: Its messages.
            mailed: Their hand-overs.
            documents: Its files.
            seal: Over all that leaves.
            state: Its state.
            reason: Why it is held; empty where it is not.

        Raises:
            RunError: something of it was handed over.
        """
        part, message = schema.hand_overs, schema.messages
        mine = (part.c.package_id == package.id) & part.c.message_id.is_not(None)
        with self._engine.begin() as work:
            tried = mine & (part.c.purpose != Purpose.TRIAL) & (part.c.state != HandOverState.WAITING)
            if work.execute(part.select().where(tried)).first() is not None:
                raise RunError(f"something of package {package.key} was handed over", fix="It can only be sent again")
            work.execute(part.delete().where(mine, part.c.purpose != Purpose.TRIAL))
            work.execute(update(part).where(mine).values(message_id=None))  # trials stay, for the counts of their day
            work.execute(message.delete().where(message.c.package_id == package.id))
            self._redocument(work, package.id, documents)
            add_leaving(work, run_id, package.id, messages, mailed)
            self._seal(work, package.id, seal=seal, state=state, reason=reason)
            self._note(work, run_id, package.id, what)

    @explained
    def replace(
        self,
        run_id: int,
        package: PackageRecord,
        what: str,
        closed: Sequence[HandOverRecord],
        messages: Sequence[MessageRecord],
        mailed: Sequence[HandOverRecord],
        documents: Sequence[DocumentRecord],
        seal: str,
    ) -> State:
        """Put new messages in the place of hand-overs that did not leave, which are closed; returns the state.

        Args:
            run_id: The run.
            package: The package.
            what: What is changed, for the record.
            closed: What is not tried any longer.
            messages: The new messages.
            mailed: Their hand-overs.
            documents: All of its files.
            seal: Over all that leaves or left.
        """
        table = schema.hand_overs
        with self._engine.begin() as work:
            for part in closed:
                is_so = (table.c.id == part.id) & table.c.state.in_(origins(HandOverState.CLOSED))
                values = {"state": HandOverState.CLOSED, "at": self._now()}
                if work.execute(update(table).where(is_so).values(**values)).rowcount != 1:
                    raise RunError(
                        f"{part.target} is no longer {part.state}",
                        fix=_look(run_id, package),
                    )
            self._redocument(work, package.id, documents)
            add_leaving(work, run_id, package.id, messages, mailed)
            self._seal(work, package.id, seal=seal)
            found = conclude_package(work, package.id)
            self._note(work, run_id, package.id, what)
            return found

    @explained
    def add(
        self,
        run_id: int,
        package: PackageRecord,
        what: str,
        messages: Sequence[MessageRecord],
        hand_overs: Sequence[HandOverRecord],
        seal: str,
    ) -> None:
        """Give a package that was sent more to hand over."""
        with self._engine.begin() as work:
            add_leaving(work, run_id, package.id, messages, hand_overs)
            self._seal(work, package.id, seal=seal, state=State.READY, reason="")
            self._note(work, run_id, package.id, what)

    @staticmethod
    def _redocument(work: Connection, package_id: int, documents: Sequence[DocumentRecord]) -> None:
        work.execute(schema.documents.delete().where(schema.documents.c.package_id == package_id))
        if documents:
            work.execute(insert(schema.documents), [document_row(package_id, part) for part in documents])

    @staticmethod
    def _seal(work: Connection, package_id: int, **values: object) -> None:
        work.execute(update(schema.packages).where(schema.packages.c.id == package_id).values(**values))

    def _note(self, work: Connection, run_id: int, package_id: int, what: str) -> None:
        values = {"run_id": run_id, "package_id": package_id, "at": self._now(), "what": what[:600]}
        work.execute(insert(schema.events).values(**values))


def _look(run_id: int, package: PackageRecord) -> str:
    return f"Look again with `{typed('show', run_id, package.key)}`"
