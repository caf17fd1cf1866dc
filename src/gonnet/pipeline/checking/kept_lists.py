"""What the lists say that people keep in workbooks: who would get what, and what of it cannot be meant."""

from __future__ import annotations

from typing import NamedTuple

from gonnet.errors import JobError
from gonnet.findings import Finding
from gonnet.jobs import Job
from gonnet.packages import PackagePlan
from gonnet.pipeline.survey import Survey
from gonnet.rules import ways_of


class Reader(NamedTuple):
    """Somebody on a list, and what they would get.

    Attributes:
        line: Their line in the workbook; the first of them where several have one package.
        name: How they are called.
        sees: What they may see, line by line, in words.
        keys: How many keys that is.
        rows: How many rows that is.
        documents: The files that they would get.
        ways: By which ways.
        state: What becomes of it.
        reason: Why it is held or skipped; empty where it is ready.
    """

    line: int
    name: str
    sees: tuple[str, ...]
    keys: int
    rows: int
    documents: tuple[str, ...]
    ways: tuple[str, ...]
    state: str
    reason: str


class KeptList(NamedTuple):
    """A circle of a workbook.

    Attributes:
        file: The workbook.
        circle: The circle.
        readers: Who is in it, in the order of the workbook.
        findings: What of it cannot be meant, or selects nobody or nothing.
    """

    file: str
    circle: str
    readers: tuple[Reader, ...]
    findings: tuple[Finding, ...]


def kept_lists(job: Job, found: Survey) -> tuple[KeptList, ...]:
    """Every list of a job that is a circle of a workbook.

    Raises:
        JobError: the job has none.
    """
    listed = {}
    for index, (_, spec) in enumerate(job.lists):
        if spec.roster is not None:
            plans = [plan for plan in found.plans if plan.addressed.contacts and _is_of(plan, index)]
            file = job.reach.file(spec.roster, job.at_list(index, "roster")).name
            told = tuple(finding for finding in found.findings if finding.about == file)
            readers = sorted((_reader(job, plan) for plan in plans), key=lambda reader: reader.line)
            listed[index] = KeptList(file, spec.circle or job.name, tuple(readers), told)
    if not listed:
        fix = "`gonnet new --list FILE.xlsx` writes one, and says what to put into the job"
        raise JobError("no list of this job is a workbook that people keep", where=job.at("recipients"), fix=fix)
    return tuple(listed.values())


def _is_of(plan: PackagePlan, index: int) -> bool:
    return plan.is_bundle and plan.addressed.contacts[0].listed == index


def _reader(job: Job, plan: PackagePlan) -> Reader:
    part, decision = plan.addressed, plan.decision
    return Reader(
        line=part.contacts[0].line,
        name=part.name,
        sees=tuple(text.partition(": ")[2] for text in part.why),
        keys=len(part.keys),
        rows=part.rows,
        documents=tuple(document.file_name for document in plan.documents),
        ways=ways_of(part.contacts[0], decision.effects, job),
        state=str(decision.outcome),
        reason=decision.reason,
    )
