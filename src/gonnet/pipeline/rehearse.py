"""Filling every text for every recipient, without drawing or keeping anything: what `check` adds to the survey."""

from __future__ import annotations

from collections.abc import Iterator

from gonnet.errors import DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job, references
from gonnet.pipeline.survey import Survey
from gonnet.reports.fonts import family
from gonnet.reports.signs import signs_of_rows
from gonnet.wording.templates import Wording

_SHOWN = 3
_WHITE = frozenset("\t\r\x85\u2028\u2029")  # blanks and line ends on a page


def rehearse(job: Job, found: Survey) -> Iterator[Finding]:
    """Yield a finding for each package of which a text cannot be filled, and for what no PDF can show."""
    yield from _unprintable(job, found)
    wording = Wording(found.look.house)
    for plan in found.plans:
        if not plan.documents:
            continue
        try:
            hidden = {(name, at) for name in job.file.reports for at in plan.evaluated.hidden(name)}
            for template in references.texts(job, lambda name, at, hidden=hidden: (name, at) in hidden):  # type: ignore[misc]
                wording.fill(template, plan.names, key=plan.key)
        except DataError as error:
            yield Finding(weight=Weight.ATTENTION, text=f"{error.where}: {error.what}", key=plan.key)


def _unprintable(job: Job, found: Survey) -> Iterator[Finding]:
    """A finding for each character of the rows that no PDF can show; packages with one are held."""
    if all(document.format != "pdf" for document in job.file.package.documents):
        return
    faces = family(found.look.fonts)
    lacking = faces.unprintable(signs_of_rows(found.engine, found.fields, found.values.bound()) - _WHITE)
    for sign in lacking[:_SHOWN]:
        yield Finding(weight=Weight.ATTENTION, text=f"{faces.trouble(sign)}; a PDF with it is held")
    if len(lacking) > _SHOWN:
        yield Finding(weight=Weight.ATTENTION, text=f"and {len(lacking) - _SHOWN} more characters that no PDF can show")
