"""Filling every text for every recipient, without drawing or keeping anything: what `check` adds to the survey."""

from __future__ import annotations

from collections.abc import Iterator

from gonnet.errors import DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job, references
from gonnet.pipeline.survey import Survey
from gonnet.wording.formats import House
from gonnet.wording.templates import Wording


def rehearse(job: Job, found: Survey, house: House) -> Iterator[Finding]:
    """Yield a finding for each package of which a text cannot be filled."""
    wording = Wording(house)
    for plan in found.plans:
        if not plan.documents:
            continue
        try:
            hidden = {(name, at) for name in job.file.reports for at in plan.evaluated.hidden(name)}
            for template in references.texts(job, lambda name, at, hidden=hidden: (name, at) in hidden):  # type: ignore[misc]
                wording.fill(template, plan.names, key=plan.key)
        except DataError as error:
            yield Finding(weight=Weight.ATTENTION, text=f"{error.where}: {error.what}", key=plan.key)
