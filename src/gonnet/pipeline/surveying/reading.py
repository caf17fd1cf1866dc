"""The first step of a survey: the job and the data, and whether everything the job names is there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

from gonnet import data, recipients, split
from gonnet.arrivals import Arrived
from gonnet.data.expectations import broken
from gonnet.errors import DataError, JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job, consistency, references
from gonnet.jobs.sources import SqlDataSet
from gonnet.pipeline.making.workers.processes import spread
from gonnet.pipeline.sending.writing_back import require_writable
from gonnet.pipeline.surveying import rosters
from gonnet.pipeline.surveying.arriving import arrived, as_tables, require_kinds
from gonnet.pipeline.surveying.request import Request
from gonnet.pipeline.surveying.rosters import Rostered
from gonnet.pipeline.tools import Progress, Tools
from gonnet.recipients import roll
from gonnet.reports import Look
from gonnet.rules.guard import Measured
from gonnet.wording.filling import Wording

_FEW = 20  # rows below which half as many say nothing: an extract that is not whole looks like a quiet month


@dataclass(frozen=True, slots=True, kw_only=True)
class Read:
    """A job and its data.

    Attributes:
        job: The job, in the language of the house.
        look: The house style, as the job changes it.
        values: The parameters.
        loaded: The run's tables, and how they were read.
        columns: Data set → the names of its columns.
        cuts: Data set that is split → how, the main one first.
        counts: Key → its rows in all of them.
        arrived: The arrivals, by name.
        rostered: Number of a list → the circle of a roster that it is.
        lacking: What is expected of the data and not so, where that holds the run.
        is_sampled: Whether only a few rows were read.
    """

    job: Job
    look: Look
    values: data.Values
    loaded: data.Loaded
    columns: Mapping[str, Sequence[str]]
    cuts: Mapping[str, split.Slices]
    counts: Mapping[str, int]
    arrived: Mapping[str, Arrived]
    rostered: Mapping[int, Rostered]
    lacking: tuple[str, ...]
    is_sampled: bool

    @property
    def engine(self) -> data.Engine:
        """The run's tables."""
        return self.loaded.engine


def read(job: Job, tools: Tools, request: Request, progress: Progress) -> Read:
    """Read the data and split it.

    Raises:
        JobError: something the job names is not there (carries all such mistakes).
        ParameterError: a parameter has no usable value.
        DataError: the data cannot be read or split, or are not as expected.
    """
    raise_all(consistency.within_the_file(job))
    look = tools.look(job)
    job = job.read_for(look.house.locale, look.house.locale)
    values = data.resolve(job.file.parameters, request.asked, request.as_of, tools.periods)
    came = arrived(job, tools.workspace, request.sample, partial(spread, tools.executor))
    rostered = rosters.rosters_of(job)
    ready = as_tables(job, came) | rosters.as_tables(job, rostered)
    loaded = data.load(job, tools.workspace, values, progress, request.sample, ready=ready)
    try:
        tables = (*job.file.tables, *(table for table, _ in job.lists))
        columns = {name: [column.name for column in loaded.engine.columns(name)] for name in tables}
        raise_all(references.to_the_data(job, columns, Wording(look.house)))
        require_kinds(job, came, {name: _kinds(loaded.engine, name) for name in came})
        require_writable(job, tools, sorted({column for table, _ in job.lists for column in columns[table]}))
        cuts = _cuts(job, loaded.engine)
        return Read(
            job=_with_ways(job, loaded.values.bound()),
            look=look,
            values=loaded.values,
            loaded=loaded,
            columns=columns,
            cuts=cuts,
            counts=split.counted(cuts.values()),
            arrived=came,
            rostered=rostered,
            lacking=tuple(_expected(job, loaded.engine, request)),
            is_sampled=request.sample is not None,
        )
    except BaseException:
        loaded.engine.close()
        raise


def _with_ways(job: Job, values: Mapping[str, object]) -> Job:
    """The job with the ways that parameters say in rules.

    Raises:
        DataError: a parameter says a way that is none.
    """
    ways = recipients.Ways.of(job.file.deliver)
    found = []
    for index, rule in enumerate(job.file.rules):
        problems: list[str] = []
        said = ways.named(recipients.filled(rule.ways, values), problems)
        if problems:
            raise DataError(problems[0], where=job.at("rules", index, "way"), fix="Correct the parameter")
        found.append(rule.model_copy(update={"ways": said}))
    return replace(job, file=job.file.model_copy(update={"rules": tuple(found)}))


def _kinds(engine: data.Engine, table: str) -> dict[str, str]:
    """Column → what it is: a number, a date, or text."""
    columns = engine.columns(table)
    return {part.name: "number" if part.is_number else "date" if part.is_date else "text" for part in columns}


def raise_all(mistakes: Iterator[JobError]) -> None:
    """Raise one error that carries all mistakes, if there are any.

    Raises:
        JobError: there are.
    """
    found = list(mistakes)
    if found:
        raise JobError.of(found)


def _cuts(job: Job, engine: data.Engine) -> dict[str, split.Slices]:
    """Every data set that is split, the main one first."""
    found = {}
    for name, cut in job.file.split.cuts.items():
        where = job.at("split", "also", name) if name in job.file.split.also else job.at("split", "by")
        found[name] = split.by_key(engine, name, cut.by, view=cut.view, where=where)
    return found


def _expected(job: Job, engine: data.Engine, request: Request) -> list[str]:
    """What is expected of the data and not so, where that holds the run.

    Raises:
        DataError: something of it stops the run.
    """
    lacking = list(broken(engine, job, request.as_of, sampled=request.sample is not None))
    stopping = [part for part in lacking if not part.holds]
    if stopping:
        text = "; ".join(part.text for part in stopping)
        raise DataError(
            text, where=stopping[0].where, fix="Nothing was prepared; refresh the data, or change what is expected"
        )
    return [part.text for part in lacking]


def about_keys(job: Job, engine: data.Engine, cuts: Mapping[str, split.Slices]) -> Iterator[Finding]:
    """A finding for rows and lines that have no key, and for keys that were trimmed."""
    for name, cut in cuts.items():
        of = f" of {name}" if len(cuts) > 1 else ""
        if cut.without_key and name not in job.file.arrivals:  # pages without a key are told by what read them
            rows = ", ".join(str(row) for row in cut.first_without_key)
            more = " …" if cut.without_key > len(cut.first_without_key) else ""
            many, go = ("1 row", "goes") if cut.without_key == 1 else (f"{cut.without_key} rows", "go")
            text = f"{many}{of} without a key (data row {rows}{more}) {go} to nobody"
            yield Finding(weight=Weight.ATTENTION, text=text)
        if cut.trimmed:
            many = f"{cut.trimmed} key{'s' if cut.trimmed > 1 else ''}{of}"
            yield Finding(
                weight=Weight.NOTE,
                text=f"{many} had blanks around {'them' if cut.trimmed > 1 else 'it'}, which do not count",
            )
    lines = sum(roll.lines_without_key(engine, table, spec) for table, spec in job.lists)
    if lines:
        text = f"{lines} line{'s' if lines > 1 else ''} of the recipient list without a key"
        yield Finding(weight=Weight.ATTENTION, text=text)


def sizes(job: Job, engine: data.Engine) -> dict[str, int]:
    """Data set that comes from a file or a database → its rows."""
    return {name: engine.count(name) for name, part in job.file.tables.items() if not isinstance(part, SqlDataSet)}


def about_sizes(now: Mapping[str, int], last: Measured | None) -> Iterator[Finding]:
    """A finding for each extract that is empty, or has less than half the rows of the last run."""
    for name, count in now.items():
        before = last.rows.get(name) if last is not None else None
        if last is not None and before is not None and before >= _FEW and count * 2 < before:
            rows = f"{count:,} row{'s' if count != 1 else ''}" if count else "no rows"
            text = f"data set '{name}' has {rows}, and had {before:,} in run {last.run}; see whether all of it came"
            yield Finding(weight=Weight.ATTENTION, text=text)
        elif not count:
            yield Finding(weight=Weight.NOTE, text=f"data set '{name}' has no rows")
