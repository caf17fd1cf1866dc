"""Data sets: files and databases into tables, then SQL over them, with keys kept as text."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import MappingProxyType

from gonnet.data.choices import Choices, choices_in
from gonnet.data.databases import per_key
from gonnet.data.databases.connections import Databases
from gonnet.data.databases.keys import Keys
from gonnet.data.databases.per_key import Progress, Question
from gonnet.data.engine import Engine, quoted
from gonnet.data.files import reading
from gonnet.data.files.kept import READINGS, Kept
from gonnet.data.parameters import Values
from gonnet.data.types.dates import pattern_of
from gonnet.data.types.numbers import notation_of
from gonnet.data.types.staging import Stager
from gonnet.data.types.target import Doubt, Hint, Target
from gonnet.data.types.writing import Writing, writing_of
from gonnet.findings import Finding
from gonnet.jobs.models import Job
from gonnet.jobs.sources import ChoicesFrom, DatabaseDataSet, FileDataSet, SqlDataSet
from gonnet.jobs.workspace import Workspace
from gonnet.scratch import scratch


@dataclass(frozen=True, slots=True, kw_only=True)
class Ready:
    """A data set that was read elsewhere, as text.

    Attributes:
        names: Its columns.
        rows: Its rows.
        where: Its place in the job.
        fixed: Column → the type that it must have.
        numbers: Column → how its numbers are written, shown by one of them.
        dates: Column → the patterns of its dates.
    """

    names: Sequence[str]
    rows: Sequence[Sequence[object]]
    where: str
    fixed: Mapping[str, str]
    numbers: Mapping[str, str]
    dates: Mapping[str, Sequence[str]]


@dataclass(slots=True)
class Told:
    """What is found while reading.

    Attributes:
        notes: How it was read.
        findings: What of it may be wrong.
        doubts: Data set → columns of text that may be meant as something else.
    """

    notes: list[str] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    doubts: dict[str, dict[str, Doubt]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Loaded:
    """The data sets of a run.

    Attributes:
        engine: Holds them as tables; locked.
        values: The parameters, with all choices where all were asked for.
        told: What was found while reading.
        failed: Key → why its question was not answered, for data sets that are asked once per key.
        seconds: Data set → how long it took to make.
    """

    engine: Engine
    values: Values
    told: Told
    failed: Mapping[str, str]
    seconds: Mapping[str, float]


def load(
    job: Job,
    workspace: Workspace,
    values: Values,
    progress: Progress = lambda _done, _total: None,
    sample: int | None = None,
    *,
    for_its_own_sake: bool = False,
    ready: Mapping[str, Ready] = MappingProxyType({}),
) -> Loaded:
    """Make every data set of the job a table; the engine is locked when this returns.

    Files and databases are read first, then SQL runs over them in the order of the job file.

    Args:
        job: The job.
        workspace: Whose folder relative file names count from, and whose databases are read.
        values: The parameters, bound to every query that names them.
        progress: Told how many questions of how many are answered, where there is one per key.
        sample: How many rows of each query to a database are read, and for how many keys one is asked; None for all.
        ready: Tables that were read before, by name.
        for_its_own_sake: Whether nothing but the data matters: what the job does with them may still be missing.

    Raises:
        DataError: a file or a query fails.
        JobError: a database, its driver or its password is not there.
        UnreachableError: a database cannot be reached.
    """
    limits = workspace.file.queries
    engine = Engine(limits.seconds, limits.megabytes, workspace.kept / "making")
    failed: dict[str, str] = {}
    watch = _Watch()
    try:
        with (
            scratch(workspace.kept / "making") as folder,
            closing(Databases(secrets=workspace.secrets, folder=workspace.folder)) as databases,
        ):
            choices = Choices(job, values)
            sources = _Sources(job, workspace, engine, databases, choices, folder)
            for name in sources.read_all(ready, sample):
                watch.lap(name)
            for name, part in job.file.data.items():
                if isinstance(part, DatabaseDataSet) and _is_per_key(part):
                    failed |= sources.ask(name, part, sample, progress)
                    choices.settle(engine, name)
                    watch.lap(name)
        told = sources.told
        engine.lock()
        engine.doubts |= {name: doubt.advice for of in told.doubts.values() for name, doubt in of.items()}
        _compute(job, engine, choices, watch)
        _put_lines(job, engine)
        if not for_its_own_sake:
            _require_columns(job, engine)
    except BaseException:
        engine.close()
        raise
    return Loaded(engine=engine, values=choices.values, told=told, failed=failed, seconds=watch.laps)


def known_choices(job: Job, workspace: Workspace, name: str, as_of: dt.date) -> list[str]:
    """The choices of a parameter that a file or a database gives, before the job is run; none where it takes more.

    Raises:
        DataError: the data set cannot be read.
        UnreachableError: its database cannot be reached.
    """
    of = job.file.parameters[name].of
    part = job.file.data.get(of.rows) if isinstance(of, ChoicesFrom) else None
    if not isinstance(of, ChoicesFrom) or part is None or isinstance(part, SqlDataSet) or _is_per_key(part):
        return list(of) if isinstance(of, tuple) else []
    with (
        closing(Engine()) as engine,
        scratch(workspace.kept / "making") as folder,
        closing(Databases(secrets=workspace.secrets, folder=workspace.folder)) as databases,
    ):
        choices = Choices(job, Values(given={}, as_of=as_of))
        _Sources(job, workspace, engine, databases, choices, folder).read(of.rows, part, None)
        engine.require_column(of.rows, of.column, where=job.at("parameters", name, "of"))
        return choices_in(engine, of)


@dataclass(frozen=True, slots=True)
class _Sources:
    """The files and databases of a run."""

    job: Job
    workspace: Workspace
    engine: Engine
    databases: Databases
    choices: Choices
    folder: Path
    told: Told = field(default_factory=Told)

    def read_all(self, ready: Mapping[str, Ready], sample: int | None) -> Iterator[str]:
        """Make the data sets that need no keys; yields the name of each when it is there."""
        for name, table in ready.items():
            self.put(name, table)
            self.choices.settle(self.engine, name)
            yield name
        for name in sorted(self.job.file.data, key=lambda name: name not in self.choices.tables):
            part = self.job.file.data[name]
            if not isinstance(part, SqlDataSet) and not _is_per_key(part):
                self.read(name, part, sample)
                self.choices.settle(self.engine, name)
                yield name

    def read(self, name: str, part: FileDataSet | DatabaseDataSet, sample: int | None) -> None:
        """Make a data set of a file or of one question."""
        target = self._target(name, part)
        if isinstance(part, FileDataSet):
            kept = Kept(self.workspace.kept / READINGS)
            reading.load(self.engine, target, part, self.workspace.reach, kept)
        else:
            database = self.workspace.database(part.database, target.where)
            self.databases.load(self.engine, target, part, database, self.choices.values.bound(), sample)

    def put(self, name: str, table: Ready) -> None:
        """Make a data set of what was read elsewhere."""
        language = self.workspace.file.style.locale
        target = Target(
            name=name,
            where=table.where,
            scratch=self.folder,
            fixed=table.fixed,
            text=key_columns(self.job),
            zone=self.workspace.zone,
            writing=Writing(
                numbers={column: notation_of(sample, table.where) for column, sample in table.numbers.items()},
                dates={
                    column: tuple(pattern_of(pattern, language, table.where) for pattern in patterns)
                    for column, patterns in table.dates.items()
                },
                language=language,
            ),
            notes=self.told.notes,
            findings=self.told.findings,
            doubts=self.told.doubts.setdefault(name, {}),
        )
        stager = Stager(target, table.names)
        stager.write([table.rows])
        stager.assign_types(self.engine, dict.fromkeys(table.names, Hint.ANY))

    def ask(self, name: str, part: DatabaseDataSet, sample: int | None, progress: Progress) -> Mapping[str, str]:
        """Make a data set of a question for each key; returns for which keys it failed, and why."""
        target = self._target(name, part)
        keys = Keys.of(self.job, self.engine, part, target.where)
        database = self.workspace.database(part.database, target.where)
        bound = {**self.choices.values.bound(), **dict.fromkeys(keys.parameters, "")}
        question = Question.of(part, database, keys.split_by, bound, target.where)
        own, differing = keys.own(self.engine, question.names)
        wanted = [key for key in keys.listed(self.engine) if key not in differing][:sample]
        question = replace(question, own=own)
        return {**differing, **per_key.load(self.engine, target, question, wanted, self.databases, progress)}

    def _target(self, name: str, part: FileDataSet | DatabaseDataSet) -> Target:
        where = self.job.at("data", name, "file" if isinstance(part, FileDataSet) else "sql")
        house = self.workspace.file.style.locale
        return Target(
            name=name,
            where=where,
            scratch=self.folder,
            fixed=part.types,
            text=key_columns(self.job),
            zone=self.workspace.zone,
            writing=writing_of(part, house, where) if isinstance(part, FileDataSet) else Writing(),
            rows=part.rows if isinstance(part, FileDataSet) else None,
            last=part.last if isinstance(part, FileDataSet) else None,
            notes=self.told.notes,
            findings=self.told.findings,
            doubts=self.told.doubts.setdefault(name, {}),
        )


class _Watch:
    """Takes the time between one data set and the next."""

    def __init__(self) -> None:
        self.laps: dict[str, float] = {}
        self._last = time.monotonic()

    def lap(self, name: str) -> None:
        """What happened since the last lap was the making of `name`."""
        now = time.monotonic()
        self.laps[name], self._last = now - self._last, now


def _compute(job: Job, engine: Engine, choices: Choices, watch: _Watch) -> None:
    """Make the data sets that are SQL over others, in the order of the job file."""
    for name, part in job.file.data.items():
        if isinstance(part, SqlDataSet):
            bound = choices.values.bound()
            engine.create(name, part.sql.strip().rstrip(";"), bound, where=job.at("data", name, "sql"))
            choices.settle(engine, name)
            watch.lap(name)


def _is_per_key(part: object) -> bool:
    return isinstance(part, DatabaseDataSet) and part.per_key is not None


def key_columns(job: Job) -> frozenset[str]:
    """The columns that carry keys, wherever they appear: never guessed to be numbers."""
    listed = [column for spec in job.file.recipients for column in spec.says]
    return frozenset((*(column for cut in job.file.split.cuts.values() for column in cut.by), *listed))


def _require_columns(job: Job, engine: Engine) -> None:
    for name, cut in job.file.split.cuts.items():
        where = job.at("split", "also", name) if name in job.file.split.also else job.at("split", "by")
        for column in cut.by:
            engine.require_column(name, column, where=where)
    for index, (table, spec) in enumerate(job.lists):
        for column in spec.key:
            engine.require_column(table, column, where=job.at_list(index, "key"))
        for column in spec.sees:
            engine.require_column(job.file.split.rows, column, where=job.at_list(index, "sees"))
        if spec.group is not None:
            engine.require_column(job.file.split.rows, spec.group, where=job.at_list(index, "group"))
        for part in ("keys", "group", "to", "name", "language", "way", "role"):
            if (column := getattr(spec, part)) is not None:
                engine.require_column(table, column, where=job.at_list(index, part))
        for part in ("cc", "bcc"):
            for column in getattr(spec, part):
                if "@" not in column:
                    engine.require_column(table, column, where=job.at_list(index, part))
    for at, column in enumerate(job.file.checks.identifying):
        if not any(column in (found.name for found in engine.columns(table)) for table, _ in job.lists):
            engine.require_column(job.lists[0][0], column, where=job.at("checks", "identifying", at))


def _put_lines(job: Job, engine: Engine) -> None:
    """Make a table of each list whose lines stand in the job."""
    for table, spec in job.lists:
        if spec.lines:
            columns = list(dict.fromkeys(name for line in spec.lines for name in line))
            cells = ", ".join(
                f"unnest(cast(${index + 1} as varchar[])) as {quoted(name)}" for index, name in enumerate(columns)
            )
            values = [
                [None if (cell := line.get(name)) is None else str(cell) for line in spec.lines] for name in columns
            ]
            engine.query(f"create table {quoted(table)} as select {cells}", values)
