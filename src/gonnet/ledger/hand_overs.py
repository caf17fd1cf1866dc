"""Writing down what is handed over: before it is offered, and when it was answered.

Each step is committed before the next thing happens. From its intent to its answer a hand-over that cannot be repeated
is in doubt, and so is its package: whoever reads the ledger in between, or after a crash, sees that.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from sqlalchemy import Connection, Engine, func, insert, or_, select, update

from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import chain, schema, statements
from gonnet.ledger.failures import explained
from gonnet.ledger.records import HandOverRecord
from gonnet.ledger.states import TAKEN, HandOverState, Purpose, State, package_state
from gonnet.ledger.together import Together
from gonnet.ledger.turns import Turns
from gonnet.ledger.writing import hand_over_row

_KEPT = 500  # characters of an answer


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """What came of a hand-over.

    Attributes:
        state: The state that it comes to.
        refused: What was refused of it, where something was.
        code: The server's reply code, or None.
        reply: The answer, in words.
        put_at: Where a file is now.
    """

    state: HandOverState
    refused: str = ""
    code: int | None = None
    reply: str = ""
    put_at: str = ""

    @property
    def answer(self) -> str:
        """What was answered: `recipient refused for now: 450 mailbox busy`, `250 taken`."""
        said = f"{self.code or ''} {self.reply}".strip()
        if not self.refused:
            return said
        return f"{self.refused} refused{' for now' if self.state is HandOverState.DEFERRED else ''}: {said}"

    @property
    def text(self) -> str:
        """The outcome, for the record."""
        return f"{self.state}" + (f" ({self.answer})" if self.answer else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowance:
    """How many messages may leave: of one run, on a day over all runs, and on a day to one address; None for any."""

    of_run: int | None = None
    of_day: int | None = None
    to_address: int | None = None


class AllowanceUsedError(Exception):
    """One more message would be more than may leave; its text says why."""


class HandedOver(NamedTuple):
    """A hand-over as far as its package's state goes: to what, its state, and what was answered."""

    target: Target
    state: HandOverState
    said: str


class HandOvers:
    """Writes the hand-overs of one ledger; several threads may.

    Args:
        engine: Its database.
        place: Where it is, for messages.
        now: Gives the time, as it is written.

    Attributes:
        turns: Gives turns at a pace, over all who hand over.
    """

    def __init__(self, engine: Engine, place: str, now: Callable[[], str]) -> None:
        self._engine, self.place, self._now = engine, place, now
        self._together = Together(engine)
        self.turns = Turns(self._together, place)

    def close(self) -> None:
        """Give the connection back."""
        self._together.close()

    @explained
    def begin(
        self, run_id: int | None, package_id: int | None, part: HandOverRecord, day: str, limits: Allowance
    ) -> bool:
        """Write the intent; False when it is no longer to be handed over.

        Args:
            run_id: The run; None for what belongs to no run.
            package_id: The package; None for what belongs to no package.
            part: The hand-over.
            day: The date, in the workspace's time zone.
            limits: How many may leave; nothing is written where it would be more.

        Raises:
            AllowanceUsedError: it would be one message too many.
        """

        def write(work: Connection) -> bool:
            again = part.state is HandOverState.BEGUN and part.target.kind.is_repeatable
            statement = statements.BEGIN_AGAIN if again else statements.BEGIN
            if statements.run(work, statement, part=part.id, now=self._now(), today=day).rowcount != 1:
                return False
            _require_within(work, run_id, part.target, day, limits)
            if package_id is not None and part.purpose is not Purpose.TRIAL and not part.target.kind.is_repeatable:
                statements.run(work, statements.DOUBTED, package=package_id, why=doubted(part.target))
            return True

        return self._together.run(write)

    @explained
    def answered(
        self, run_id: int | None, package_id: int | None, part: HandOverRecord, outcome: Outcome, *, alone: bool = False
    ) -> State | None:
        """Write the outcome; returns the state that it gives its package, or None where that does not change.

        Args:
            run_id: The run; None for what belongs to no run.
            package_id: The package; None for what belongs to no package.
            part: The hand-over.
            outcome: What came of it.
            alone: Whether the package is known to have no other hand-over.
        """
        return self._together.run(lambda work: self._answer(work, run_id, package_id, part, outcome, alone=alone))

    def _answer(
        self,
        work: Connection,
        run_id: int | None,
        package_id: int | None,
        part: HandOverRecord,
        outcome: Outcome,
        *,
        alone: bool = False,
    ) -> State | None:
        now, reply = self._now(), outcome.reply[:_KEPT]
        outcome = replace(outcome, reply=reply)
        how = {"of": outcome.refused, "answer": outcome.code, "said": reply, "put": outcome.put_at, "now": now}
        is_late = statements.run(work, statements.ANSWERED[outcome.state], part=part.id, **how).rowcount != 1
        state = None
        if package_id is not None and part.purpose is not Purpose.TRIAL and not is_late:
            mine = HandedOver(part.target, outcome.state, outcome.answer)
            state = conclude_package(work, package_id, mine if alone else None)
        trial = "trial to " if part.purpose is Purpose.TRIAL else "summary to " if package_id is None else ""
        more = f" as {outcome.put_at}" if outcome.put_at and outcome.put_at != part.target.place else ""
        said = f"{trial}{part.target}{more}: {outcome.text}"
        came = None
        if is_late:  # the connection was lost, others held it for dead, and a person decided
            said = f"{said}; known only after somebody had settled it"
        else:
            came = chain.part_standing(outcome.state, outcome.refused, outcome.code, reply, outcome.put_at)
        if run_id is not None:
            chain.add(work, [chain.Event(now, said, run_id, package_id, part.id, standing=came)])
        return state

    @explained
    def doubt_begun(self, run_id: int) -> int:
        """Call unsure what was cut off between intent and answer; returns how many hand-overs of packages that are.

        Nobody may be at work on the run.
        """
        table = schema.hand_overs.c
        query = select(schema.hand_overs).where(table.run_id == run_id, table.state == HandOverState.BEGUN)
        query = query.where(table.target_kind.in_([kind for kind in TargetKind if not kind.is_repeatable]))
        # A trial or a summary may be under way beside it: both need no lock, and nobody decides about them.
        query = query.where(table.purpose.in_([Purpose.REGULAR, Purpose.EXTRA]))

        def write(work: Connection) -> int:
            found = work.execute(query).all()
            for row in found:
                target = Target(TargetKind(row.target_kind), row.target, row.place)
                part = HandOverRecord(kind=row.kind, target=target, purpose=Purpose(row.purpose), id=row.id)
                outcome = Outcome(state=HandOverState.UNSURE, reply="cut off before the answer")
                self._answer(work, run_id, row.package_id, part, outcome)
            return len(found)

        return self._together.run(write)

    @explained
    def add(
        self, run_id: int | None, package_id: int | None, message: int | None, part: HandOverRecord
    ) -> HandOverRecord:
        """Write a hand-over that no package was prepared with, a trial or a summary; returns it with its number."""
        row = hand_over_row(run_id, package_id, message, part)

        def write(work: Connection) -> int:
            result = work.execute(insert(schema.hand_overs).values(**row))
            return int(result.inserted_primary_key[0])  # type: ignore[index]

        return replace(part, id=self._together.run(write))

    @explained
    def put_there(self, target: Target) -> frozenset[str]:
        """SHA-256 of every file that was ever put at a place."""
        table = schema.hand_overs.c
        query = select(table.sha256).where(table.target == target.name, table.put_at == target.place)
        query = query.where(table.target_kind == target.kind, table.state.in_(TAKEN))
        with self._engine.connect() as work:
            return frozenset(work.execute(query).scalars())

    @explained
    def left_on(self, day: str, addresses: Sequence[str] = ()) -> int:
        """How many messages left on a day, or may have; of these to some addresses where they are named."""
        with self._engine.connect() as work:
            return _left_on(work, day, addresses)

    @explained
    def left_of(self, run_id: int) -> int:
        """How many messages of a run left so far, or may have, trials too."""
        with self._engine.connect() as work:
            return _left_of(work, run_id)

    @explained
    def hold(self, run_id: int, package_id: int, reason: str) -> None:
        """Hold a package that was ready."""

        def write(work: Connection) -> None:
            table = schema.packages.c
            is_open = or_(table.state == State.READY, table.state == State.FAILED)
            values = {"state": State.HELD, "reason": reason}
            held = update(schema.packages).where(table.id == package_id, is_open).values(**values)
            if work.execute(held).rowcount:
                standing = chain.package_standing(State.HELD, reason)
                chain.add(work, [chain.Event(self._now(), f"held: {reason}", run_id, package_id, standing=standing)])

        self._together.run(write)


def conclude_package(work: Connection, package_id: int, only: HandedOver | None = None) -> State:
    """Give a package the state that its hand-overs give it.

    Args:
        work: A transaction.
        package_id: The package.
        only: Its hand-over as it is now, where it is known to have but one; else they are looked up.
    """
    parts = [only] if only is not None else _parts(work, package_id)
    state, why = concluded(parts)
    statements.run(work, statements.SETTLE, package=package_id, settled=state, why=why)
    return state


def concluded(parts: Sequence[HandedOver]) -> tuple[State, str]:
    """The state that its hand-overs give a package, and the reason."""
    state = package_state((part.target.kind, part.state) for part in parts)
    quiet = (HandOverState.SENT, HandOverState.FILED, HandOverState.PRINTED, HandOverState.WAITING)
    return state, "; ".join(f"{part.target}: {part.said or part.state}" for part in parts if part.state not in quiet)


def doubted(target: Target) -> str:
    """Why a package is in doubt while something of it is handed over."""
    return f"{target}: handed over, and no answer is known"


def _parts(work: Connection, package_id: int) -> list[HandedOver]:
    rows = statements.run(work, statements.PARTS_OF, package=package_id).fetchall()
    found = []
    for kind, name, place, state, refused, code, reply in rows:
        said = Outcome(state=HandOverState(state), refused=refused, code=code, reply=reply).answer
        found.append(HandedOver(Target(TargetKind(kind), name, place), HandOverState(state), said))
    return found


_TABLE = schema.hand_overs.c


def _left_on(work: Connection, day: str, addresses: Sequence[str] = ()) -> int:
    query = select(func.count()).where(_TABLE.day == day, _TABLE.target_kind == TargetKind.ADDRESS)
    query = query.where(_TABLE.state.in_(TAKEN))
    if addresses:
        query = query.where(func.lower(_TABLE.target).in_([address.lower() for address in addresses]))
    return int(work.scalar(query) or 0)


def _left_of(work: Connection, run_id: int) -> int:
    query = select(func.count()).where(_TABLE.run_id == run_id, _TABLE.target_kind == TargetKind.ADDRESS)
    return int(work.scalar(query.where(_TABLE.state.in_(TAKEN))) or 0)


def _require_within(work: Connection, run_id: int | None, target: Target, day: str, limits: Allowance) -> None:
    """Refuse an intent, which is written and not yet committed, that would be one too many.

    Raises:
        AllowanceUsedError: it would.
    """
    if target.kind is not TargetKind.ADDRESS or limits == Allowance():
        return
    work.execute(select(schema.about.c.identity).with_for_update())  # who writes beside us waits: both count both
    if limits.of_run is not None and run_id is not None and _left_of(work, run_id) > limits.of_run:
        raise AllowanceUsedError(f"the limit of messages for a run is reached: gonnet.yaml allows {limits.of_run:,}")
    if limits.of_day is not None and _left_on(work, day) > limits.of_day:
        raise AllowanceUsedError(f"the limit of messages for a day is reached: gonnet.yaml allows {limits.of_day:,}")
    if limits.to_address is not None and _left_on(work, day, (target.name,)) > limits.to_address:
        most = f"gonnet.yaml allows {limits.to_address:,} a day to one address"
        raise AllowanceUsedError(f"the limit of messages for {target.name} is reached: {most}")
