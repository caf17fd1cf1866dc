"""The steps of a job: programs that run at moments of a run, told what happened, decided by what happened."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from contextlib import closing
from dataclasses import dataclass, field

from gonnet.data import Engine
from gonnet.errors import DataError
from gonnet.jobs import Job
from gonnet.jobs.steps import Moment, Step
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.pipeline.stepping import commands
from gonnet.pipeline.tools import Tools

_SHOWN = 600  # characters of what a program said


class StepFailedError(DataError):
    """A step failed, and the job says that it stops what comes after it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Happened:
    """What a step is told.

    Attributes:
        job: The job.
        run: The number of the run; None before it has one.
        purpose: Why the run is made.
        period: What it is for.
        as_of: The date for which it is made.
        counts: State of packages → how many.
        rows: How many rows were read.
        package: The package that was just sent, or None.
        state: The state of that package, or the moment.
    """

    job: str
    run: int | None
    purpose: str
    period: str
    as_of: str
    state: str
    counts: Mapping[State, int] = field(default_factory=dict)
    rows: int = 0
    package: PackageRecord | None = None

    def values(self) -> dict[str, object]:
        """What a condition can name."""
        found: dict[str, object] = {str(state): self.counts.get(state, 0) for state in State}
        found |= {"packages": sum(self.counts.values()), "rows": self.rows, "state": self.state}
        found |= {"key": self.package.key if self.package is not None else None}
        return found

    def environment(self) -> dict[str, str]:
        """What a program finds in its environment."""
        alike = {"job": self.job, "run": self.run, "purpose": self.purpose, "period": self.period, "as_of": self.as_of}
        named = {f"GONNET_{name.upper()}": "" if value is None else str(value) for name, value in alike.items()}
        return named | {f"GONNET_{name.upper()}": "" if v is None else str(v) for name, v in self.values().items()}

    def text(self) -> str:
        """The same as one JSON object, for its standard input."""
        found: dict[str, object] = {"job": self.job, "run": self.run, "purpose": self.purpose, "period": self.period}
        found |= {"as_of": self.as_of, "state": self.state, "rows": self.rows}
        found["packages"] = {str(state): count for state, count in self.counts.items()}
        if self.package is not None:
            one = self.package
            found["package"] = {"key": one.key, "name": one.name, "state": str(one.state), "reason": one.reason}
        return json.dumps(found, ensure_ascii=False)


def happened_in(run: RunRecord, moment: Moment, package: PackageRecord | None = None) -> Happened:
    """What happened in a run until now."""
    read = run.account.get("read", 0)
    return Happened(
        job=run.job,
        run=run.id,
        purpose=str(run.purpose),
        period=run.period,
        as_of=run.as_of.isoformat(),
        state=str(package.state) if package is not None else moment,
        counts=run.counts,
        rows=read if isinstance(read, int) else 0,
        package=package,
    )


def require_programs(job: Job, tools: Tools) -> None:
    """See that every step names a program of the workspace, and that its condition can be asked.

    Raises:
        JobError: there is no such program.
        DataError: the condition does not run.
    """
    nothing = Happened(job=job.name, run=None, purpose="regular", period="", as_of="", state="start")
    for index, step in enumerate(job.file.steps):
        tools.workspace.program(step.program, job.at("steps", index, "program"))
        _holds(step, nothing, job.at("steps", index, "when"))


def take(job: Job, moment: Moment, happened: Happened, tools: Tools) -> Iterator[commands.Ran]:
    """Run the steps of a moment whose conditions hold, in their order; what each came to.

    Raises:
        StepFailedError: one failed, and what comes after it is not to be done.
        DataError: a program cannot be run.
    """
    for index, step in enumerate(job.file.steps):
        where = job.at("steps", index)
        if step.at != moment or not _holds(step, happened, job.at("steps", index, "when")):
            continue
        program = tools.workspace.program(step.program, where)
        ran = commands.run(program, tools.workspace.folder, where, happened.environment(), happened.text())
        yield ran
        if not ran.is_well and step.stops:
            raise StepFailedError(
                ran.text[:_SHOWN], where=where, fix="What comes after it was not done; correct it and run it again"
            )


def has(job: Job, moment: Moment) -> bool:
    """Whether a job has steps at a moment."""
    return any(step.at == moment for step in job.file.steps)


def _holds(step: Step, happened: Happened, where: str) -> bool:
    if step.when is None:
        return True
    values = happened.values()
    named = ", ".join(f"${name} as {name}" for name in values)
    with closing(Engine()) as engine:
        engine.lock()
        rows = engine.query(f"select cast(({step.when}\n) as boolean) from (select {named})", values, where=where)
    return rows[0][0] is True
