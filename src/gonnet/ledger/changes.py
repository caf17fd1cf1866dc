"""What people change about the packages of a run that is prepared: each change in one transaction, with who and why."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from pathlib import Path

from sqlalchemy import Connection, Engine, insert, select, update

from gonnet.errors import RunError
from gonnet.ledger import schema
from gonnet.ledger.failures import told
from gonnet.ledger.records import DocumentRecord, FilingRecord, HandOver, MessageRecord, PackageRecord, State
from gonnet.ledger.settling import settle_package
from gonnet.ledger.writing import add_messages, document_row, filing_row


class Changes:
    """Changes packages of one ledger.

    Args:
        engine: Its database.
        place: Where it is, for messages.
        now: Gives the time, as it is written.
    """

    def __init__(self, engine: Engine, place: Path, now: Callable[[], str]) -> None:
        self._engine, self.place, self._now = engine, place, now

    @told
    def move(
        self, run_id: int, package: PackageRecord, states: Collection[State], to: State, reason: str, what: str
    ) -> None:
        """Bring a package from one of `states` to another.

        Raises:
            RunError: it is in another state by now.
        """
        table = schema.packages
        with self._engine.begin() as work:
            done = work.execute(
                update(table).where(table.c.id == package.id, table.c.state.in_(states)).values(state=to, reason=reason)
            )
            if done.rowcount != 1:
                raise RunError(f"package {package.key} is {package.state} no more", fix="Look again with `gonnet show`")
            self._note(work, run_id, package.id, what)

    @told
    def settle(self, run_id: int, package: PackageRecord, state: HandOver, what: str) -> State:
        """Say of everything in doubt of a package that it was sent, or that it waits; returns the package's state."""
        delivery, message = schema.deliveries, schema.messages
        mine = select(message.c.id).where(message.c.package_id == package.id)
        with self._engine.begin() as work:
            said = {"state": state, "reply": "settled by hand", "at": self._now()}
            for table, is_mine in (
                (delivery, delivery.c.message_id.in_(mine)),
                (schema.filings, schema.filings.c.package_id == package.id),
            ):
                work.execute(update(table).where(is_mine, table.c.state == HandOver.UNSURE).values(**said))
            found, _ = settle_package(work, package.id)
            self._note(work, run_id, package.id, what)
            return found

    @told
    def rewrite(
        self,
        run_id: int,
        package: PackageRecord,
        what: str,
        messages: Sequence[MessageRecord],
        documents: Sequence[DocumentRecord],
        seal: str,
        reason: str,
    ) -> None:
        """Put other messages and files in the place of those of a package of which nothing was handed over.

        Args:
            run_id: The run.
            package: The package.
            what: What is changed, for the record.
            messages: Its messages.
            documents: Its files.
            seal: Over both.
            reason: Why it is held; empty where it is not.

        Raises:
            RunError: something of it was handed over by now.
        """
        delivery, message = schema.deliveries, schema.messages
        old = select(message.c.id).where(message.c.package_id == package.id)
        with self._engine.begin() as work:
            tried = select(delivery.c.id).where(delivery.c.message_id.in_(old), delivery.c.state != HandOver.WAITING)
            if work.execute(tried).first() is not None:
                raise RunError(f"something of package {package.key} was handed over", fix="It can only be sent again")
            for table in (delivery, schema.trials):
                work.execute(table.delete().where(table.c.message_id.in_(old)))
            work.execute(message.delete().where(message.c.package_id == package.id))
            work.execute(schema.documents.delete().where(schema.documents.c.package_id == package.id))
            work.execute(insert(schema.documents), [document_row(package.id, part) for part in documents])
            add_messages(work, [(package.id, part) for part in messages])
            work.execute(
                update(schema.packages).where(schema.packages.c.id == package.id).values(seal=seal, reason=reason)
            )
            self._note(work, run_id, package.id, what)

    @told
    def add(
        self,
        run_id: int,
        package: PackageRecord,
        what: str,
        messages: Sequence[MessageRecord],
        filings: Sequence[FilingRecord],
        seal: str,
    ) -> None:
        """Give a package that was sent more messages and files, which wait."""
        with self._engine.begin() as work:
            add_messages(work, [(package.id, part) for part in messages])
            if filings:
                work.execute(insert(schema.filings), [filing_row(package.id, part) for part in filings])
            values = {"seal": seal, "state": State.READY, "reason": ""}
            work.execute(update(schema.packages).where(schema.packages.c.id == package.id).values(**values))
            self._note(work, run_id, package.id, what)

    def _note(self, work: Connection, run_id: int, package_id: int, what: str) -> None:
        values = {"run_id": run_id, "package_id": package_id, "at": self._now(), "what": what[:600]}
        work.execute(insert(schema.events).values(**values))
