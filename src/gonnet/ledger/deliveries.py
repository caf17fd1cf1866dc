"""Writing down what is handed over: before it is offered, and when it was answered.

Each step is committed before the next thing happens.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from sqlalchemy import Connection, Engine, insert, select, update

from gonnet.ledger import schema, statements
from gonnet.ledger.failures import told
from gonnet.ledger.records import HandOver, State
from gonnet.ledger.settling import Part, settle_package
from gonnet.ledger.together import Together


class Deliveries:
    """Writes the deliveries of one ledger; several threads may.

    Args:
        engine: Its database.
        place: Where it is, for messages.
        now: Gives the time, as it is written.
    """

    def __init__(self, engine: Engine, place: Path, now: Callable[[], str]) -> None:
        self._engine, self.place, self._now = engine, place, now
        self._together = Together(engine)

    def close(self) -> None:
        """Give the connection back."""
        self._together.close()

    @told
    def doubt_open(self, run_id: int) -> int:
        """Call unsure what an earlier send left between hand-over and answer; returns how many there were."""

        def write(work: Connection) -> int:
            rows = work.execute(
                select(schema.deliveries.c.id, schema.packages.c.id)
                .join(schema.messages, schema.messages.c.id == schema.deliveries.c.message_id)
                .join(schema.packages, schema.packages.c.id == schema.messages.c.package_id)
                .where(schema.packages.c.run_id == run_id, schema.deliveries.c.state == HandOver.HANDING)
            ).all()
            for delivery_id, package_id in rows:
                self._settle(work, run_id, package_id, delivery_id, HandOver.UNSURE, None, "cut off before the answer")
            begun = work.execute(
                select(schema.filings.c.id, schema.packages.c.id)
                .join(schema.packages, schema.packages.c.id == schema.filings.c.package_id)
                .where(schema.packages.c.run_id == run_id, schema.filings.c.state == HandOver.HANDING)
            ).all()
            for filing_id, package_id in begun:
                self._filed(work, run_id, package_id, filing_id, HandOver.UNSURE, "", "cut off while it was printed")
            return len(rows) + len(begun)

        return self._together.run(write)

    @told
    def hand_over(self, delivery_id: int) -> bool:
        """Write the intent of one delivery; False when it is no longer to be sent."""
        return self._together.run(
            lambda work: statements.run(work, statements.HAND_OVER, delivery=delivery_id, now=self._now()).rowcount == 1
        )

    @told
    def answered(
        self,
        run_id: int,
        package_id: int,
        delivery_id: int,
        state: HandOver,
        code: int | None,
        reply: str,
        only: str | None = None,
    ) -> State:
        """Write the outcome of one delivery; returns the state it gives its package.

        Args:
            run_id: The run.
            package_id: The package.
            delivery_id: The delivery.
            state: What came of it.
            code: The server's.
            reply: What the server said.
            only: Its address, where the package is known to have no other delivery.
        """
        return self._together.run(
            lambda work: self._settle(work, run_id, package_id, delivery_id, state, code, reply, only)
        )

    def _settle(
        self,
        work: Connection,
        run_id: int,
        package_id: int,
        delivery_id: int,
        state: HandOver,
        code: int | None,
        reply: str,
        only: str | None = None,
    ) -> State:
        now = self._now()
        answer = {"answered": state, "answer": code, "said": reply[:500], "now": now}
        statements.run(work, statements.ANSWERED, delivery=delivery_id, **answer)
        alone = Part(("mail", delivery_id), only, state, reply[:500]) if only is not None else None
        mine, parts = settle_package(work, package_id, alone)
        said = f" ({code} {reply})" if code else f" ({reply})" if reply else ""
        self._note(work, run_id, package_id, f"{parts['mail', delivery_id]}: {state}{said}", now)
        return mine

    @told
    def begin_filing(self, filing_id: int) -> bool:
        """Write that a file is about to be put where it must not be put twice; False when it is no longer to be."""
        return self._together.run(
            lambda work: statements.run(work, statements.BEGIN_FILING, filing=filing_id, now=self._now()).rowcount == 1
        )

    @told
    def filed(
        self, run_id: int, package_id: int, filing_id: int, state: HandOver, put_at: str, reply: str = ""
    ) -> State:
        """Write what came of putting a file somewhere; returns the state it gives its package."""
        return self._together.run(lambda work: self._filed(work, run_id, package_id, filing_id, state, put_at, reply))

    def _filed(
        self, work: Connection, run_id: int, package_id: int, filing_id: int, state: HandOver, put_at: str, reply: str
    ) -> State:
        said = {"filing": filing_id, "answered": state, "where": put_at, "said": reply[:500], "now": self._now()}
        statements.run(work, statements.FILED, **said)
        mine, parts = settle_package(work, package_id)
        place = parts["folder", filing_id]
        more = f" ({reply})" if reply else "" if place.endswith(put_at) else f" as {put_at}"
        self._note(work, run_id, package_id, f"{place}: {state}{more}")
        return mine

    @told
    def put_there(self, root: str, place: str) -> frozenset[str]:
        """SHA-256 of every file that was ever put at a place."""
        table = schema.filings.c
        query = select(table.sha256).where(table.root == root, table.put_at == place, table.state == HandOver.SENT)
        with self._engine.connect() as work:
            return frozenset(work.execute(query).scalars())

    @told
    def hold(self, run_id: int, package_id: int, reason: str) -> None:
        """Hold a package that was ready."""

        def write(work: Connection) -> None:
            work.execute(
                update(schema.packages)
                .where(schema.packages.c.id == package_id, schema.packages.c.state == State.READY)
                .values(state=State.HELD, reason=reason)
            )
            self._note(work, run_id, package_id, f"held: {reason}")

        self._together.run(write)

    @told
    def record_trial(
        self, run_id: int, package_id: int, message_id: int, address: str, state: HandOver, code: int | None, reply: str
    ) -> None:
        """Write down a trial; it leaves the package and its deliveries as they are."""

        def write(work: Connection) -> None:
            work.execute(
                insert(schema.trials).values(
                    message_id=message_id, address=address, state=state, code=code, reply=reply[:500], at=self._now()
                )
            )
            self._note(work, run_id, package_id, f"trial to {address}: {state}")

        self._together.run(write)

    def _note(self, work: Connection, run_id: int, package_id: int, what: str, now: str | None = None) -> None:
        at = now or self._now()
        statements.run(work, statements.NOTE_ONE, run=run_id, package=package_id, now=at, said=what[:600])
