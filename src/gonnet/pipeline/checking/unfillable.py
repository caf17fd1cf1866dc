"""Filling every text for every recipient, without drawing or keeping anything: what `check` adds to the survey."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from gonnet.errors import DataError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job, references
from gonnet.packages import PackagePlan, PartPlan
from gonnet.pipeline.survey import Survey
from gonnet.reports.fonts import Family, family
from gonnet.reports.plans.doubts import TableDoubts
from gonnet.reports.signs import signs_of_rows
from gonnet.wording.languages import called

_SHOWN = 3
_WHITE = frozenset("\t\r\x85\u2028\u2029")  # blanks and line ends on a page


def unfillable(job: Job, found: Survey, plans: Iterable[PackagePlan]) -> Iterator[Finding]:
    """A finding for each package of which a text cannot be filled, for what no PDF can show, for odd tables.

    Args:
        job: The job.
        found: The survey.
        plans: Its plans.
    """
    on_paper = any(document.format == "pdf" for document in job.file.package.documents)
    faces = family(found.house.look.fonts)
    if on_paper:
        yield from _unprintable(faces, found)
    yield from TableDoubts(found.engine, found.fields, found.values.bound()).of(job, found.house.reports)
    for plan in plans:
        if plan.is_made:
            try:
                written = _fill_all(plan, found)
            except DataError as error:
                text = f"{error.where}: {error.what}. {error.fix}"
                yield Finding(weight=Weight.ATTENTION, text=text, key=plan.key)
                continue
            for sign in faces.unprintable([written])[:1] if on_paper else ():
                text = f"{faces.trouble(sign)}, and its PDF is to show it in {called(plan.locale)}"
                yield Finding(weight=Weight.ATTENTION, text=text, key=plan.key)


def _fill_all(plan: PackagePlan, found: Survey) -> str:
    """Fill the texts of a package, and those of the message for each of its contacts; returns those of its reports.

    Raises:
        DataError: one of them cannot be filled.
    """
    reading = found.editions[plan.locale].reading
    known = {part.key: part.names for part in plan.slices} | {plan.key: plan.names}
    written: list[str] = []
    in_messages = (
        PartPlan(name, plan.evaluated.hidden(name), plan.key) for name in references.reports_in_messages(reading.job)
    )
    for part in dict.fromkeys((*(part for document in plan.documents for part in document.parts), *in_messages)):
        if part.report not in reading.job.file.reports:
            continue  # the part of an arrival has no texts of the job
        for template in references.texts_of_report(reading.job, part.report, part.hidden):
            written.append(reading.wording.fill(template, known[part.slice], key=part.slice).text)
    for contact in plan.addressed.contacts or (None,):
        theirs = found.editions[contact.language].reading if contact else reading
        names = {**plan.names, **theirs.common, "reports": dict.fromkeys(theirs.job.file.reports, "")}
        names |= {"recipient": contact.fields} if contact else {}
        for template in references.texts_of_message(theirs.job, plan.decision.effects.message or ""):
            theirs.wording.fill(template, names, key=plan.key)
    return "\n".join(written)


def _unprintable(faces: Family, found: Survey) -> Iterator[Finding]:
    """A finding for each character of the rows that no PDF can show; packages with one are held."""
    lacking = faces.unprintable(signs_of_rows(found.engine, found.fields, found.values.bound()) - _WHITE)
    for sign in lacking[:_SHOWN]:
        yield Finding(weight=Weight.ATTENTION, text=f"{faces.trouble(sign)}; a PDF with it is held")
    if len(lacking) > _SHOWN:
        yield Finding(weight=Weight.ATTENTION, text=f"and {len(lacking) - _SHOWN} more characters that no PDF can show")
