"""What makes two regular sends of a job the same: its cycle, and for each package what the job adds to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from gonnet.jobs import Job
from gonnet.ledger.same import same
from gonnet.pipeline.survey import Request, Survey


def cycle_of(job: Job, found: Survey, request: Request) -> str:
    """The cycle of a run; names, spelling and order do not count.

    It is what the job says with `once_per`; else the values of all of its parameters; else the date of the run.

    Raises:
        DataError: a text of `once_per` cannot be filled.
    """
    recorded = found.values.recorded()
    if job.file.once_per:
        return same(", ".join(sorted(_said(job, found, request, recorded))))
    return same(", ".join(sorted(recorded.values()))) if recorded else request.as_of.isoformat()


def _said(job: Job, found: Survey, request: Request, recorded: Mapping[str, str]) -> Iterator[str]:
    """The values of parameters and the texts that `once_per` names; its figures are each package's own."""
    known = {**found.values.given, "run": {"date": request.as_of, "job": job.name}}
    for index, part in enumerate(job.file.once_per):
        if part in recorded:
            yield recorded[part]
        elif part not in job.file.figures:
            template = job.text(part, "once_per", index)
            yield found.house.reading.wording.fill(template, known).text


def once_of(job: Job, figures: Mapping[str, object]) -> str:
    """What of a package makes two sends the same besides the cycle: the figures that `once_per` names."""
    parts = [part for part in job.file.once_per if part in job.file.figures and part not in job.file.parameters]
    return same(", ".join(f"{part} {figures.get(part)}" for part in parts))
