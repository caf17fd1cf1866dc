"""Reading and writing the ledger. No other part of Gonnet sees a database session.

Every change of state is committed by itself, before the next thing happens (SQLite in WAL mode, synchronous=full):
that is what makes a killed send resume without a duplicate.
"""

from __future__ import annotations

import datetime as dt
from array import array
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, Select, func, insert, select, update
from sqlalchemy.exc import SQLAlchemyError

from gonnet.errors import RunError, StorageError
from gonnet.ledger import chain, schema
from gonnet.ledger.approvals import Approvals
from gonnet.ledger.bases import Base, FileBase
from gonnet.ledger.calendar import Entries, Notices, Occurrences, Pauses
from gonnet.ledger.changes import Changes
from gonnet.ledger.counted import run_as_counted, run_with_account
from gonnet.ledger.failures import explained
from gonnet.ledger.forgetting import Forgetting
from gonnet.ledger.hand_overs import HandOvers
from gonnet.ledger.home import Home
from gonnet.ledger.keeping import KeptRun, copy_ledger, files_of_runs, kept_runs, note_removal
from gonnet.ledger.past import Sent, TakenElsewhere, sent_before, taken_elsewhere
from gonnet.ledger.proving import Prover
from gonnet.ledger.reading import Packages, packages_where
from gonnet.ledger.records import PackageRecord, RunRecord
from gonnet.ledger.rights import Rights
from gonnet.ledger.states import DONE, Purpose, RunState, State
from gonnet.ledger.writing import RunWriter

_MANY = 20_000  # packages: of more, not all are in memory at a time
_FEW = 500  # keys that are looked up by themselves; a statement cannot name any number of them
Clock = Callable[[], dt.datetime]


class Ledger:
    """The ledger of one workspace.

    Args:
        folder: Where `ledger.db` is; made when it is first written.
        clock: Gives the time with zone.
        engine: The database on a server in which it is instead.

    Attributes:
        place: Where it is, for messages.
        file: The file that it is; None on a server.
        login: As whom the server knows the user; empty for a file.
        is_writable: Whether it can be written; an archived one can only be read.
        rights: Gives the right to send, to change, to run what is due, to whoever is first.
        home: Knows whether this is the ledger that was last written here, or a copy.
        prover: Compares the record with its chain of events.
        forgetting: Takes out what names one recipient.
        hand_overs: Writes down what is handed over.
        approvals: Keeps who said yes to runs.
        changes: Writes down what people change about packages.
        entries: Knows the entries of all calendars.
        occurrences: Knows what was due, and what became of it.
        pauses: Knows which jobs are paused.
        notices: Knows what administrators are to hear.
    """

    def __init__(self, folder: Path, clock: Clock, engine: Engine | None = None) -> None:
        self._clock = clock
        self._base: Base = FileBase(folder, self.now) if engine is None else _on_server(engine, self.now)
        self._engine, self.is_writable = self._base.engine, self._base.is_writable
        self.place, self.file, self.login = self._base.place, self._base.file, self._base.login
        self.rights = Rights(self._base)
        self.home = Home(self._engine, self.place, self.file)
        self.prover = Prover(self._base)
        self.forgetting = Forgetting(self._base, self.now)
        self.hand_overs = HandOvers(self._engine, self.place, self.now)
        self.changes = Changes(self._engine, self.place, self.now)
        self.approvals = Approvals(self._engine, self.place, self.now)
        self.entries = Entries(self._engine, self.place)
        self.occurrences = Occurrences(self._engine, self.place)
        self.pauses = Pauses(self._engine, self.place)
        self.notices = Notices(self._engine, self.place)

    def close(self) -> None:
        """Let go of the file."""
        self.hand_overs.close()
        if self.is_writable:
            with suppress(SQLAlchemyError, StorageError):
                self.home.note_events()
        self._engine.dispose()

    @contextmanager
    def writing(self, **fields: object) -> Iterator[RunWriter]:
        """Open a run and close it when the block ends; one that fails is kept as aborted, and cannot be sent."""
        with ExitStack() as stack:
            run_id = self._begin(fields, stack)
            try:
                yield RunWriter(self._engine, self.place, self.now, run_id)
            except BaseException as error:
                self._abort(run_id, getattr(error, "what", "") or type(error).__name__)
                raise

    @explained
    def abort_dead(self) -> list[int]:
        """Call aborted every run that nobody is making any longer; returns their numbers."""
        run = schema.runs.c
        with self._engine.connect() as work:
            making = [int(at) for at in work.scalars(select(run.id).where(run.state == RunState.PREPARING))]
        dead = [number for number in making if not self._base.is_locked(_making(number))]
        for number in dead:
            self._abort(number, "the program was ended before it was done")
        return dead

    @explained
    def _begin(self, fields: Mapping[str, object], stack: ExitStack) -> int:
        with self._engine.begin() as work:
            values = {"state": RunState.PREPARING, "prepared": self.now(), "seconds": 0, "account": {}, "findings": []}
            values |= {"purpose": Purpose.REGULAR}
            result = work.execute(insert(schema.runs).values(**(values | dict(fields))))
            run_id = int(result.inserted_primary_key[0])  # type: ignore[index]
            stack.enter_context(self._base.lock(_making(run_id), keep=False))  # before anybody can see the run
            self._note(work, run_id, "preparing")
            return run_id

    def _abort(self, run_id: int, reason: str) -> None:
        try:
            with self._engine.begin() as work:
                values = {"state": RunState.ABORTED, "reason": reason}
                work.execute(update(schema.runs).where(schema.runs.c.id == run_id).values(**values))
                self._note(work, run_id, f"aborted: {reason}")
        except SQLAlchemyError:  # the failure that brought us here is the one to tell
            return

    @explained
    def kept_runs(self) -> list[KeptRun]:
        """Every run as far as its files go, the oldest first."""
        return kept_runs(self._engine)

    @explained
    def copy_to(self, place: Path) -> None:
        """Write the ledger, as it is now, to a new file; others may go on writing.

        Raises:
            StorageError: it is on a server, whose administrator copies it.
        """
        if self.file is None:
            fix = "Copy the database with the server's own means, then the folder of the store"
            raise StorageError("the ledger is on a server", where=self.place, fix=fix)
        copy_ledger(self._engine, place)

    @explained
    def files_of_runs(self) -> dict[str, set[int]]:
        """SHA-256 of every file that a run refers to → the runs."""
        return files_of_runs(self._engine)

    @explained
    def note_removal(self, runs: list[int], what: str) -> None:
        """Write down that the files of runs were removed."""
        note_removal(self._engine, runs, what, self.now())

    def now(self) -> str:
        """The time, as it is written: ISO 8601 in UTC."""
        return self._clock().astimezone(dt.UTC).isoformat(timespec="milliseconds")

    def _note(self, work: Connection, run_id: int, what: str) -> None:
        chain.add_of_run(work, run_id, self.now(), what)

    @explained
    def run(self, wanted: str) -> RunRecord:
        """The run `wanted`: its number, `last`, or the name of a job for its newest; rehearsals only by their number.

        Raises:
            RunError: there is none.
        """
        with self._engine.connect() as work:
            query, run = select(schema.runs), schema.runs.c
            newest = query.where(run.purpose != Purpose.TRIAL).order_by(run.id.desc()).limit(1)
            if wanted.isdecimal():
                row = work.execute(query.where(run.id == int(wanted))).first()
            else:
                row = work.execute(newest if wanted == "last" else newest.where(run.job == wanted)).first()
            if row is None:
                what = "there is no run yet" if wanted == "last" else f"there is no run {wanted}"
                if wanted != "last" and not wanted.isdecimal():
                    what = f"there is no run of a job '{wanted}'"
                raise RunError(what, fix="Give a number, `last`, or the name of a job; `gonnet runs` lists them all")
            return run_with_account(work, row)

    @explained
    def run_of_occurrence(self, number: int) -> RunRecord | None:
        """The newest run of an occurrence that was prepared to its end, or None."""
        run = schema.runs.c
        query = select(func.max(run.id)).where(run.occurrence_id == number, run.state == RunState.PREPARED)
        with self._engine.connect() as work:
            found = work.scalar(query)
        return None if found is None else self.run(str(found))

    @explained
    def names_of(self, run_id: int) -> tuple[str, ...]:
        """The names of the recipients of a run."""
        package = schema.packages.c
        with self._engine.connect() as work:
            return tuple(work.scalars(select(package.name).where(package.run_id == run_id).distinct()))

    @explained
    def all_runs(self) -> tuple[RunRecord, ...]:
        """Every run, the newest first."""
        with self._engine.connect() as work:
            rows = work.execute(select(schema.runs).order_by(schema.runs.c.id.desc())).all()
            return tuple(run_as_counted(work, row) for row in rows)

    @explained
    def packages(
        self, run_id: int, only: Sequence[str] = (), states: Collection[State] = ()
    ) -> Sequence[PackageRecord]:
        """The packages of a run in key order, with documents, messages and deliveries.

        Of many, each is read when it is looked at: what it then is.

        Args:
            run_id: The run.
            only: The keys that are wanted; all when empty.
            states: The states that are wanted; all when empty.

        Raises:
            RunError: a key in `only` is not in the run.
        """
        table = schema.packages.c
        chosen = set(only)
        wanted = [table.run_id == run_id]
        wanted += [table.state.in_(states)] if states else []
        wanted += [table.key.in_(chosen)] if 0 < len(chosen) <= _FEW else []
        with self._engine.connect() as work:
            if chosen:
                self._require(work, run_id, chosen)
            every = work.execute(select(table.id, table.key).where(*wanted).order_by(table.id))
            numbers = array("q", (number for number, key in every if not chosen or key in chosen))
            if len(numbers) > _MANY:
                return Packages(numbers, self.packages_now, partial(self.packages_now, bare=True))
            return packages_where(work, wanted, chosen)

    @explained
    def packages_now(self, numbers: Collection[int], *, bare: bool = False) -> tuple[PackageRecord, ...]:
        """Some packages, by number, as they are now; `bare` without documents, messages and hand-overs."""
        first, last = min(numbers, default=0), max(numbers, default=0)
        column, are_in_a_row = schema.packages.c.id, len(set(numbers)) == last - first + 1
        wanted = column.between(first, last) if are_in_a_row else column.in_(list(numbers))
        with self._engine.connect() as work:
            return packages_where(work, [wanted], bare=bare)

    @staticmethod
    def _require(work: Connection, run_id: int, keys: Collection[str]) -> None:
        found = work.scalars(select(schema.packages.c.key).where(schema.packages.c.run_id == run_id))
        if unknown := set(keys).difference(found):
            what = f"run {run_id} has no package for key '{min(unknown)}'"
            raise RunError(what, fix="`gonnet review` lists them")

    @explained
    def extent(self, run_id: int) -> tuple[int, int]:
        """How many documents a run has, and how many hand-overs."""
        mine = select(schema.packages.c.id).where(schema.packages.c.run_id == run_id)
        with self._engine.connect() as work:
            documents, leaving = (
                int(work.scalar(select(func.count()).where(table.c.package_id.in_(mine))) or 0)
                for table in (schema.documents, schema.hand_overs)
            )
        return documents, leaving

    @explained
    def see_past(self, job: str, see: Callable[[str, Sent], None]) -> None:
        """Show `see` what every key was last sent in regular runs of `job`, with the key as `same` spells it."""
        with self._engine.connect() as work:
            for key, sent in sent_before(work, job):
                see(key, sent)

    @explained
    def taken_elsewhere(self, run: RunRecord) -> TakenElsewhere:
        """What left, or may have left, in other regular runs of the same job and cycle."""
        with self._engine.connect() as work:
            return taken_elsewhere(work, run)

    def _last_whole(self, job: str) -> Select[int]:
        """The newest regular run of a job, not limited to some keys, of which something was handed over."""
        run, part = schema.runs.c, schema.hand_overs.c
        query = select(run.id).join(schema.hand_overs, part.run_id == run.id).order_by(run.id.desc()).limit(1)
        query = query.where(run.job == job, run.purpose == Purpose.REGULAR, run.only == "[]")
        return query.where(part.purpose == Purpose.REGULAR, part.state.in_(DONE.values()))

    @explained
    def run_before(self, run: RunRecord) -> int | None:
        """The last whole regular run of the same job before this one of which something left; None where there is none.

        What was limited to some keys is no such run.
        """
        with self._engine.connect() as work:
            return work.scalar(self._last_whole(run.job).where(schema.runs.c.id < run.id))

    @explained
    def last_sent(self, job: str) -> tuple[int, Mapping[str, Any]] | None:
        """Number and measures of the last whole regular run of a job of which something left, or None."""
        with self._engine.connect() as work:
            number = work.scalar(self._last_whole(job))
            if number is None:
                return None
            account = work.execute(select(schema.runs.c.account).where(schema.runs.c.id == number)).scalar_one()
        return (number, account["measured"]) if "measured" in account else None

    @explained
    def history(self, run_id: int, package_id: int | None = None) -> tuple[tuple[str, str], ...]:
        """Time and text of what happened to a run as a whole, or to one of its packages, oldest first."""
        table = schema.events
        with self._engine.connect() as work:
            rows = work.execute(
                select(table.c.at, table.c.what)
                .where(table.c.run_id == run_id, table.c.package_id == package_id)
                .order_by(table.c.id)
            )
            return tuple((str(at), str(what)) for at, what in rows)

    @explained
    def written_back(self, run_id: int) -> dict[int, str]:
        """Number of a package → what was last written back of it."""
        package, done = schema.packages.c, schema.write_backs.c
        query = select(done.package_id, done.state).join(schema.packages, package.id == done.package_id)
        with self._engine.connect() as work:
            return {int(at): str(state) for at, state in work.execute(query.where(package.run_id == run_id))}

    @explained
    def note_written_back(self, states: Mapping[int, str]) -> None:
        """Write down what was written back of packages, by number."""
        table, at = schema.write_backs, self.now()
        with self._engine.begin() as work:
            work.execute(table.delete().where(table.c.package_id.in_(states)))
            rows = [{"package_id": number, "state": state, "at": at} for number, state in states.items()]
            work.execute(insert(table), rows)

    @explained
    def remark(self, run_id: int, what: str) -> None:
        """Write down something that happened to a run as a whole."""
        with self._engine.begin() as work:
            self._note(work, run_id, what)

    @explained
    def mark_reviewed(self, run_id: int) -> None:
        """Write down that a person has looked at the run."""
        with self._engine.begin() as work:
            work.execute(update(schema.runs).where(schema.runs.c.id == run_id).values(reviewed=self.now()))
            self._note(work, run_id, "reviewed")


def _making(run_id: int) -> str:
    """The lock of whoever makes a run."""
    return f"making-{run_id}"


def _on_server(engine: Engine, now: Callable[[], str]) -> Base:
    from gonnet.ledger.server import ServerBase

    return ServerBase(engine, now)
