"""Going through one occurrence as it would happen then: it is sent to nobody else, and counts for nothing."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import dataclass, replace

from gonnet.calendar import Due, next_due
from gonnet.errors import RunError
from gonnet.jobs import Job, load_job
from gonnet.jobs.calendar import Entry
from gonnet.ledger import RunRecord
from gonnet.ledger.states import Purpose
from gonnet.pipeline.due.calendars import house_of
from gonnet.pipeline.prepare import prepare
from gonnet.pipeline.sending.choosing import Choice, choose
from gonnet.pipeline.sending.trial import Tell, TrialReport, trial
from gonnet.pipeline.survey import Request
from gonnet.pipeline.tools import Progress, Tools
from gonnet.recipients import Address


@dataclass(frozen=True, slots=True, kw_only=True)
class Rehearsed:
    """What one occurrence would be.

    Attributes:
        entry: The entry.
        due: When it is due; None for one that waits for data alone.
        run: The run that was made.
        choice: What would leave; None where nothing is sent by itself.
        report: What came of the trial; None without one.
    """

    entry: Entry
    due: Due | None
    run: RunRecord
    choice: Choice | None
    report: TrialReport | None = None


def rehearse(
    name: str,
    at: dt.datetime,
    to: Sequence[Address],
    tools: Tools,
    progress: Progress,
    tell: Tell = lambda _package, _reply: None,
) -> Rehearsed:
    """Go through the first occurrence of a job's calendar that is due at a time or later.

    Args:
        name: The job.
        at: The time.
        to: Who get its messages instead of the real recipients; nobody when empty.
        tools: The tools.
        progress: Told how far it is.
        tell: Called with each package and the server's reply.

    Raises:
        RunError: the job has no calendar, or nothing more is due.
        GonnetError: as `prepare` and `trial` do.
    """
    job = load_job(tools.workspace, name)
    entry, due = _first(job, at, tools)
    day = due.named.date() if due is not None else at.astimezone(tools.workspace.zone).date()
    run = prepare(job, tools, Request(as_of=day, asked=entry.set, only=entry.only, purpose=Purpose.TRIAL), progress)
    tools.ledger.remark(run.id, f"a rehearsal of '{entry.called}' for {day}, by {tools.who}")
    delivers = bool(tools.ledger.extent(run.id)[1])
    choice = choose(replace(run, purpose=Purpose.REGULAR), tools) if delivers and entry.do == "send" else None
    report = trial(run, tools, to, tell=tell) if to else None
    return Rehearsed(entry=entry, due=due, run=run, choice=choice, report=report)


def _first(job: Job, at: dt.datetime, tools: Tools) -> tuple[Entry, Due | None]:
    if not job.file.calendar:
        raise RunError(f"the job '{job.name}' has no calendar", where=str(job.path), fix="docs/calendar.md shows one")
    house, before = house_of(tools), at - dt.timedelta(seconds=1)
    found = [(due, entry) for entry in job.file.calendar if (due := next_due(entry, house, before)) is not None]
    if found:
        due, entry = min(found, key=lambda pair: pair[0])
        return entry, due
    waiting = next((entry for entry in job.file.calendar if not entry.is_dated), None)
    if waiting is None:
        raise RunError(f"nothing more is due of the job '{job.name}'", fix="Its entries are over: see `until`")
    return waiting, None
