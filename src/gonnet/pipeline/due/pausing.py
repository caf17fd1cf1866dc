"""Pausing a job and resuming it: who and why is kept."""

from __future__ import annotations

import datetime as dt

from gonnet.errors import JobError, RunError, meant
from gonnet.pipeline.tools import Tools


def pause(job: str, until: dt.date | None, why: str, tools: Tools) -> None:
    """Let the calendar leave a job alone.

    Raises:
        JobError: there is no such job.
        RunError: the day is not in the future.
    """
    _require(job, tools)
    if until is not None and until <= tools.today():
        raise RunError(
            f"{until} is not in the future", where="--until", fix="Give the first day on which it runs again"
        )
    tools.ledger.pauses.begin(job, until, tools.who, why, tools.clock())
    tools.log.say("paused", job=job)


def resume(job: str, tools: Tools) -> None:
    """Let the calendar run a paused job again.

    Raises:
        JobError: there is no such job.
        RunError: it is not paused.
    """
    _require(job, tools)
    if not tools.ledger.pauses.end(job, tools.who, tools.clock()):
        raise RunError(f"the job '{job}' is not paused", fix="`gonnet jobs` says which are")
    tools.log.say("resumed", job=job)


def _require(job: str, tools: Tools) -> None:
    known = tools.workspace.job_names()
    if job not in known:
        raise JobError(f"there is no job '{job}'", where="jobs/", fix=meant(job, known, noun="job"))
