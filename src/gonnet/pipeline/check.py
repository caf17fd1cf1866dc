"""The story of a check: the survey with which preparing begins, then every text filled and every server looked at."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.packages import PackagePlan
from gonnet.pipeline.checking import hello, reading_aloud, servers, workbooks
from gonnet.pipeline.checking.encrypting import Encrypting
from gonnet.pipeline.checking.passwords import Passwords, told
from gonnet.pipeline.checking.unfillable import unfillable
from gonnet.pipeline.due import checking
from gonnet.pipeline.making import everyday_words
from gonnet.pipeline.making.message_texts import senders_of
from gonnet.pipeline.making.watching import watch_of
from gonnet.pipeline.stepping.steps import require_programs
from gonnet.pipeline.survey import Survey, survey
from gonnet.pipeline.surveying.request import Request
from gonnet.pipeline.tools import Tools
from gonnet.rules import Outcome
from gonnet.rules.decisions import Cause

MOST_HELD = 20
"""So many packages that would be held are told of one by one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Checked:
    """What a check found.

    Attributes:
        survey: The plans and what was found on the way.
        findings: All findings, those of the survey first.
        held: The first of the packages that would be held, but for those that a finding tells of.
        tables: Data set → its rows.
        coming: Entry of the calendar → when it is due next, or None.
    """

    survey: Survey
    findings: tuple[Finding, ...]
    held: tuple[PackagePlan, ...]
    tables: Mapping[str, int]
    coming: tuple[tuple[str, dt.datetime | None], ...] = ()

    @property
    def wants_attention(self) -> bool:
        """Whether a person should look before anything is made."""
        return Outcome.HELD in self.survey.plans.states or any(
            finding.weight is Weight.ATTENTION for finding in self.findings
        )


def check(job: Job, tools: Tools, request: Request, *, greets: bool = False) -> Checked:
    """Look at a job and its data; nothing is made, nobody is contacted but the databases.

    Args:
        job: The job.
        tools: The tools.
        request: What was asked for.
        greets: Whether the mail servers are connected to as well; no message is offered.

    Raises:
        JobError: something of the job does not fit together, or its SQL does not run.
        DataError: the data cannot be read.
        UnreachableError: a database cannot be reached.
    """
    senders_of(job, tools)
    tools.protection.require_signers(job)
    require_programs(job, tools)
    found = survey(job, tools, request)
    held: list[PackagePlan] = []
    passwords, encrypting = Passwords(), Encrypting(job, tools)
    try:
        words = everyday_words.told(job, watch_of(job, found))
        findings = (
            *found.findings,
            *words,
            *unfillable(job, found, _noting(found.plans, held, (passwords, encrypting))),
            *passwords.findings(),
            *told(job),
            *encrypting.findings(),
            *servers.troubles(job, tools.workspace),
            *checking.troubles(job, tools),
            *reading_aloud.unclaimed(job, tools),
            *workbooks.troubles(job, tools),
            *(hello.answers(job, tools) if greets else ()),
        )
        tables = {name: found.engine.count(name) for name in job.file.tables}
    finally:
        found.engine.close()
    return Checked(survey=found, findings=findings, held=tuple(held), tables=tables, coming=checking.coming(job, tools))


def _noting(
    plans: Iterable[PackagePlan], held: list[PackagePlan], watching: Sequence[Passwords | Encrypting]
) -> Iterator[PackagePlan]:
    """The plans as they are gone through; the first that would be held are noted, and others look at each."""
    for plan in plans:
        for one in watching:
            one.see(plan)
        if plan.state is Outcome.HELD and plan.decision.cause is not Cause.NO_RECIPIENT and len(held) < MOST_HELD:
            held.append(plan)
        yield plan
