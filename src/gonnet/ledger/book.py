"""Reading and writing the ledger. No other part of Gonnet sees a database session.

Every change of state is committed by itself, before the next thing happens (SQLite in WAL mode, synchronous=full):
that is what makes a killed send resume without a duplicate.
"""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from filelock import FileLock, Timeout
from sqlalchemy import Connection, Engine, create_engine, event, func, insert, select, update
from sqlalchemy.exc import SQLAlchemyError

from gonnet.errors import RunError, StorageError
from gonnet.ledger import schema, statements
from gonnet.ledger.changes import Changes
from gonnet.ledger.deliveries import Deliveries
from gonnet.ledger.failures import storage_error, told
from gonnet.ledger.keeping import KeptRun, files_of_runs, kept_runs, note_removal
from gonnet.ledger.past import Sent, sent_before
from gonnet.ledger.records import PackageRecord, RunRecord, RunState, State
from gonnet.ledger.rows import packages_where, run_of
from gonnet.ledger.writing import RunWriter

_PATIENCE = 30  # seconds that another process may keep the ledger locked
_FEW = 500  # keys that are looked up by themselves; a statement cannot name any number of them
Clock = Callable[[], dt.datetime]


class Ledger:
    """The ledger of one workspace.

    Args:
        folder: Where `ledger.db` is; made when it is first written.
        clock: Gives the time with zone.

    Attributes:
        place: The database.
        deliveries: Writes down what is handed over.
        changes: Writes down what people change about packages.
    """

    def __init__(self, folder: Path, clock: Clock) -> None:
        self.place = folder / "ledger.db"
        self._clock = clock
        try:
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)  # everybody's figures are in it
        except OSError as error:
            raise StorageError(
                f"the folder for the ledger cannot be made: {error.strerror}",
                where=str(folder),
                fix="Choose a folder that can be written, with `ledger: {folder: …}` in gonnet.yaml",
            ) from error
        self._engine = self._open()
        self.deliveries = Deliveries(self._engine, self.place, self.now)
        self.changes = Changes(self._engine, self.place, self.now)

    def _open(self) -> Engine:
        engine = create_engine(
            f"sqlite:///{self.place}", connect_args={"timeout": _PATIENCE}, json_deserializer=_from_json
        )
        event.listen(engine, "connect", _durable)
        try:
            schema.metadata.create_all(engine)
            with engine.begin() as work:
                version = work.scalar(select(schema.about.c.version))
                if version is None:
                    work.execute(insert(schema.about).values(version=schema.VERSION))
        except SQLAlchemyError as error:
            raise storage_error(error, self.place) from error
        if version not in (None, schema.VERSION):
            raise StorageError(
                f"the ledger has schema version {version}, this Gonnet knows {schema.VERSION}",
                where=str(self.place),
                fix="Use the version of Gonnet that wrote it",
            )
        return engine

    def close(self) -> None:
        """Let go of the file."""
        self.deliveries.close()
        self._engine.dispose()

    @contextmanager
    def alone(self, run_id: int) -> Iterator[None]:
        """Hold the right to send this run or to change its packages; the system gives it back when the process dies.

        Raises:
            RunError: another process holds it.
        """
        lock = FileLock(self.place.with_name(f"sending-{run_id}.lock"))
        try:
            lock.acquire(timeout=0)
        except Timeout as error:
            what = f"run {run_id} is being sent or changed by another process"
            raise RunError(what, fix="Wait until it is done") from error
        except OSError as error:
            raise StorageError(f"the run cannot be locked: {error.strerror}", where=str(self.place.parent)) from error
        try:
            yield
        finally:
            lock.release()

    @contextmanager
    def writing(self, **fields: object) -> Iterator[RunWriter]:
        """Open a run and close it when the block ends; one that fails is kept as broken off, and cannot be sent."""
        run_id = self._begin(fields)
        writer = RunWriter(self._engine, self.place, self.now, run_id)
        try:
            yield writer
        except BaseException:
            self._leave(run_id)
            raise

    @told
    def _begin(self, fields: Mapping[str, object]) -> int:
        with self._engine.begin() as work:
            values = {"state": RunState.PREPARING, "prepared": self.now(), "seconds": 0, "account": {}, "findings": []}
            result = work.execute(insert(schema.runs).values(**(values | dict(fields))))
            run_id = int(result.inserted_primary_key[0])  # type: ignore[index]
            self._note(work, run_id, "preparing")
            return run_id

    def _leave(self, run_id: int) -> None:
        try:
            with self._engine.begin() as work:
                work.execute(update(schema.runs).where(schema.runs.c.id == run_id).values(state=RunState.BROKEN))
                self._note(work, run_id, "broken off")
        except SQLAlchemyError:  # the failure that brought us here is the one to tell
            return

    @told
    def kept_runs(self) -> list[KeptRun]:
        """Every run as far as its files go, the oldest first."""
        return kept_runs(self._engine)

    @told
    def files_of_runs(self) -> dict[str, set[int]]:
        """SHA-256 of every file that a run refers to → the runs."""
        return files_of_runs(self._engine)

    @told
    def note_removal(self, runs: list[int], what: str) -> None:
        """Write down that the files of runs were removed."""
        note_removal(self._engine, runs, what, self.now())

    def now(self) -> str:
        """The time, as it is written: ISO 8601 in UTC."""
        return self._clock().astimezone(dt.UTC).isoformat(timespec="milliseconds")

    def _note(self, work: Connection, run_id: int, what: str) -> None:
        work.execute(statements.NOTE, {"run_id": run_id, "package_id": None, "at": self.now(), "what": what})

    @told
    def run(self, wanted: str) -> RunRecord:
        """The run `wanted`: its number, or `last`.

        Raises:
            RunError: there is none.
        """
        with self._engine.connect() as work:
            query = select(schema.runs)
            if wanted == "last":
                row = work.execute(query.order_by(schema.runs.c.id.desc()).limit(1)).first()
            elif wanted.isdecimal():
                row = work.execute(query.where(schema.runs.c.id == int(wanted))).first()
            else:
                raise RunError(f"'{wanted}' is not a run", fix="Give its number, or `last`; `gonnet runs` lists them")
            if row is None:
                what = "there is no run yet" if wanted == "last" else f"there is no run {wanted}"
                raise RunError(what, fix="`gonnet prepare JOB` makes one; `gonnet runs` lists them")
            return run_of(row, self._counts(work, row.id))

    @told
    def all_runs(self) -> tuple[RunRecord, ...]:
        """Every run, the newest first."""
        with self._engine.connect() as work:
            rows = work.execute(select(schema.runs).order_by(schema.runs.c.id.desc())).all()
            return tuple(run_of(row, self._counts(work, row.id)) for row in rows)

    @staticmethod
    def _counts(work: Connection, run_id: int) -> dict[State, int]:
        table = schema.packages
        rows = work.execute(select(table.c.state, func.count()).where(table.c.run_id == run_id).group_by(table.c.state))
        found = {State(state): int(count) for state, count in rows}
        return {state: found.get(state, 0) for state in State if state in found}

    @told
    def packages(
        self, run_id: int, only: Sequence[str] = (), states: Collection[State] = ()
    ) -> tuple[PackageRecord, ...]:
        """The packages of a run in key order, with documents, messages and deliveries.

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
            return packages_where(work, wanted, chosen)

    @staticmethod
    def _require(work: Connection, run_id: int, keys: Collection[str]) -> None:
        found = work.scalars(select(schema.packages.c.key).where(schema.packages.c.run_id == run_id))
        if unknown := set(keys).difference(found):
            what = f"run {run_id} has no package for key '{min(unknown)}'"
            raise RunError(what, fix="`gonnet review` lists them")

    @told
    def extent(self, run_id: int) -> tuple[int, int]:
        """How many documents a run has, and how many messages and files that are to be put somewhere."""
        mine = select(schema.packages.c.id).where(schema.packages.c.run_id == run_id)
        with self._engine.connect() as work:
            documents, messages, filings = (
                int(work.scalar(select(func.count()).where(table.c.package_id.in_(mine))) or 0)
                for table in (schema.documents, schema.messages, schema.filings)
            )
        return documents, messages + filings

    @told
    def past(self, job: str) -> dict[str, Sent]:
        """Key → what it was last sent by `job`."""
        with self._engine.connect() as work:
            return sent_before(work, job)

    @told
    def sent_elsewhere(self, run: RunRecord) -> dict[str, int]:
        """Key → the run of the same job and the same period in which it was sent something, or may have been."""
        package, other = schema.packages.c, schema.runs.c
        query = select(package.key, func.max(other.id)).join(schema.runs, other.id == package.run_id)
        query = query.where(other.job == run.job, other.id != run.id, other.period == run.period)
        query = query.where(package.state.in_([State.SENT, State.UNSURE])).group_by(package.key)
        with self._engine.connect() as work:
            return {str(key): int(number) for key, number in work.execute(query)}

    @told
    def run_before(self, run: RunRecord) -> int | None:
        """The last run of the same job before this one of which something was sent; None where there is none."""
        package, other = schema.packages.c, schema.runs.c
        query = select(func.max(other.id)).join(schema.packages, package.run_id == other.id)
        query = query.where(other.job == run.job, other.id < run.id, package.state == State.SENT)
        with self._engine.connect() as work:
            return work.execute(query).scalar()

    @told
    def last_sent(self, job: str) -> tuple[int, Mapping[str, Any]] | None:
        """Number and measures of the last run of `job` of which something was sent; None where there is none."""
        package, run = schema.packages.c, schema.runs.c
        query = select(run.id, run.account).join(schema.packages, package.run_id == run.id)
        query = query.where(run.job == job, package.state == State.SENT).order_by(run.id.desc()).limit(1)
        with self._engine.connect() as work:
            row = work.execute(query).first()
        return (int(row.id), row.account["measured"]) if row else None

    @told
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

    @told
    def written_back(self, run_id: int) -> dict[int, State]:
        """Number of a package → the state of it that was written back."""
        package, done = schema.packages.c, schema.write_backs.c
        query = select(done.package_id, done.state).join(schema.packages, package.id == done.package_id)
        with self._engine.connect() as work:
            return {int(at): State(state) for at, state in work.execute(query.where(package.run_id == run_id))}

    @told
    def note_written_back(self, states: Mapping[int, State]) -> None:
        """Write down that states of packages, by number, were written back."""
        table, at = schema.write_backs, self.now()
        with self._engine.begin() as work:
            work.execute(table.delete().where(table.c.package_id.in_(states)))
            rows = [{"package_id": number, "state": state, "at": at} for number, state in states.items()]
            work.execute(insert(table), rows)

    @told
    def remark(self, run_id: int, what: str) -> None:
        """Write down something that happened to a run as a whole."""
        with self._engine.begin() as work:
            self._note(work, run_id, what[:600])

    @told
    def mark_reviewed(self, run_id: int) -> None:
        """Write down that a person has looked at the run."""
        with self._engine.begin() as work:
            work.execute(update(schema.runs).where(schema.runs.c.id == run_id).values(reviewed=self.now()))
            self._note(work, run_id, "reviewed")


def _from_json(text: str) -> object:
    return [] if text == "[]" else json.loads(text)  # most lists of packages are empty


def _durable(connection: Any, _record: object) -> None:  # noqa: ANN401  a DBAPI connection has no common type
    cursor = connection.cursor()
    cursor.execute("pragma journal_mode=wal")
    cursor.execute("pragma synchronous=full")
    cursor.execute("pragma foreign_keys=on")
    cursor.close()
