"""Everything that is known about a run before the first document is drawn: read → match → decide → assemble."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace

from gonnet import data, packages, rules, split
from gonnet.arrivals import Arrived
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.arrivals import Folder
from gonnet.packages import PackagePlan
from gonnet.packages.own_files import Shelf
from gonnet.pipeline.sending.places import named_places
from gonnet.pipeline.sending.protecting import OfJob
from gonnet.pipeline.surveying import arriving, enclosures, scope
from gonnet.pipeline.surveying.audience import Everybody
from gonnet.pipeline.surveying.deciding import Decided, Portion, decide
from gonnet.pipeline.surveying.editions import Edition, untold, with_reports
from gonnet.pipeline.surveying.matching import Matched, fields_of, match
from gonnet.pipeline.surveying.plans import Plans
from gonnet.pipeline.surveying.reading import Read, about_keys, about_sizes, read
from gonnet.pipeline.surveying.request import Request
from gonnet.pipeline.tools import Progress, Tools, no_progress
from gonnet.recipients import Recipient
from gonnet.recipients.matching import Unmatched
from gonnet.rules.decisions import Unknowns
from gonnet.rules.guard import Measured

__all__ = ["Request", "Survey", "survey"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Survey:
    """What a run will be.

    Attributes:
        engine: The run's tables; close it when done.
        values: The parameters.
        cuts: Data set that is split → how, the main one first.
        counts: Key → its rows in all of them.
        everybody: Who it is for, portion by portion.
        arrived: Arrivals that documents show parts of, by name.
        plans: A plan for each package, in key order.
        editions: Locale → the job as its readers get it; the house's first.
        fields: View → what reports use of its rows, as SQL.
        findings: What the operator should know.
        measured: What the guard of a later run compares with.
        notes: How the data sets were read.
        seconds: Data set → how long it took to make.
    """

    engine: data.Engine
    values: data.Values
    cuts: Mapping[str, split.Slices]
    counts: Mapping[str, int]
    everybody: Everybody
    arrived: Mapping[str, Arrived]
    plans: Plans
    editions: Mapping[str, Edition]
    fields: Mapping[str, tuple[str, ...]]
    findings: tuple[Finding, ...]
    measured: Measured
    notes: tuple[str, ...]
    seconds: Mapping[str, float]

    @property
    def house(self) -> Edition:
        """The job in the language of the house."""
        return next(iter(self.editions.values()))

    def people(self) -> Iterator[Recipient]:
        """Every line of the lists that is wanted."""
        return (person for audience in self.everybody for person in audience.people)


def survey(
    job: Job,
    tools: Tools,
    request: Request,
    progress: Progress = no_progress,
    see: Callable[[PackagePlan], None] = lambda _plan: None,
) -> Survey:
    """Read the data, split it, match it with the recipients and decide about every package. Contacts nobody.

    Args:
        job: The job.
        tools: The tools.
        request: What was asked for.
        progress: Told how many questions are answered, where there is one per key.
        see: Shown every plan once, in key order; it saves a long run one making of all of them.

    Raises:
        JobError: something the job names is not there (carries all such mistakes), or its SQL does not run.
        ParameterError: a parameter has no usable value.
        DataError: the data cannot be read or split.
    """
    found = read(job, tools, request, progress)
    try:
        matched = match(found, tools, request)
        decided = decide(found, matched, tools, request)
        return _assembled(found, matched, decided, tools, request, see)
    except BaseException:
        found.engine.close()
        raise


def _assembled(
    found: Read,
    matched: Matched,
    decided: Decided,
    tools: Tools,
    request: Request,
    see: Callable[[PackagePlan], None],
) -> Survey:
    """A plan for each package, the reports settled for the whole run, and what the operator should know."""
    shelf, jobs = Shelf(tools.workspace.reach), [edition.job for edition in matched.editions.values()]
    known = _known(found, matched, tools, shelf)
    tale = _Tale(found)

    def seen(plan: PackagePlan) -> None:
        tale.see(plan)
        see(plan)

    plans = Plans(lambda: _plans(decided, known, request, found.job), seen)
    shown = dict(arriving.views(found.job, found.arrived))
    needed = {view: found.job.file.arrivals[name].places for name, view in shown.items()}
    versions, used, asked = with_reports(matched.editions, found.engine, found.values.bound(), needed)
    return Survey(
        engine=found.engine,
        values=found.values,
        cuts=found.cuts,
        counts=found.counts,
        everybody=matched.everybody,
        arrived={name: found.arrived[name] for name in shown},
        plans=plans,
        editions=versions,
        measured=decided.measured,
        fields=used,
        findings=(
            *tale.findings(matched, decided, versions),
            *(() if request.only or found.is_sampled else enclosures.left(jobs, shelf)),
            *([Finding(weight=Weight.NOTE, text=f"just this once: {request.once}")] if request.once else []),
            *scope.beyond(found.job, asked, {name.casefold(): len(cut.counts) for name, cut in found.cuts.items()}),
        ),
        notes=(*found.loaded.told.notes, *(note for part in found.arrived.values() for note in part.notes)),
        seconds=_seconds(found),
    )


def _seconds(found: Read) -> dict[str, float]:
    """Data set → how long it took to make; of an arrival, with the reading of its pages."""
    made = found.loaded.seconds
    read = {name: part.seconds for name, part in found.arrived.items()}
    return {name: seconds + read.get(name, 0.0) for name, seconds in made.items()}


def _known(found: Read, matched: Matched, tools: Tools, shelf: Shelf) -> packages.Known:
    """What is known of the whole run when its packages are assembled."""
    job = found.job
    protection = OfJob(job, tools.workspace, tools.protection)
    folders = [(name, found.cuts[name].view) for name, part in job.file.arrivals.items() if isinstance(part, Folder)]
    return packages.Known(
        readings={locale: edition.reading for locale, edition in matched.editions.items()},
        evaluated={},
        fields={},
        called={},
        past={},
        secrets=tools.workspace.secrets,
        shelf=shelf,
        files={name: arriving.files(found.engine, view) for name, view in folders},
        shortest_password=tools.workspace.file.limits.shortest_password,
        encrypts=protection.encrypts,
        lets_files_open=protection.lets_files_open,
        roots=named_places(job, tools),
    )


def _known_of(
    known: packages.Known, portion: Portion, pasts: Mapping[str, rules.Past], job: Job, as_of: dt.date
) -> packages.Known:
    """The same with what is known of a portion of it."""
    described = portion.audience.described.items()
    return replace(
        known,
        evaluated=portion.evaluated,
        fields=fields_of(portion.audience),
        called={key: who.name for key, who in described if job.lists[who.listed][1].bundled is None},
        past={key: _told_of(past, as_of) for key, past in pasts.items()},
    )


def _plans(decided: Decided, known: packages.Known, request: Request, job: Job) -> Iterator[PackagePlan]:
    taken = packages.Names()
    for portion in decided:
        pasts = decided.pasts.of(portion.evaluated)
        mine = _known_of(known, portion, pasts, job, request.as_of)
        parts = ((case.addressed, case.evaluated, case.decision) for case in portion.cases)
        for plan in packages.assemble(parts, mine, taken):
            yield _with_past(plan, pasts.get(plan.key), job)


def _told_of(past: rules.Past, as_of: dt.date) -> dict[str, object]:
    """What texts may say of what was last sent."""
    days = (as_of - past.sent_on).days
    return {"times": past.times, "sent_on": past.sent_on, "days": days, "message": past.message}


def _with_past(plan: PackagePlan, past: rules.Past | None, job: Job) -> PackagePlan:
    """The plan with what happens if its documents turn out to show what was last sent."""
    conditions = plan.evaluated.if_unchanged
    if past is None or conditions is None or plan.decision.outcome is not rules.Outcome.READY:
        return plan
    other = rules.decide(plan.addressed, plan.evaluated._replace(conditions=conditions), job)
    return replace(plan, if_unchanged=other, last=past.contents)


class _Tale:
    """What the operator should know of the whole run, gathered while its plans are made.

    Args:
        found: The job and the data.
    """

    def __init__(self, found: Read) -> None:
        self._found, self._job = found, found.job
        self._unmatched, self._unknowns = Unmatched(), Unknowns(found.job.file.rules)
        self._answered: set[str] = set()

    def see(self, plan: PackagePlan) -> None:
        """One plan."""
        if not plan.is_bundle:
            self._unmatched.see(plan.addressed)
        if plan.decision.outcome is not rules.Outcome.SKIPPED:
            self._unknowns.see(plan.evaluated, is_bundle=plan.is_bundle)
        if plan.key in self._found.loaded.failed:
            self._answered.add(plan.key)

    def findings(self, matched: Matched, decided: Decided, versions: Mapping[str, Edition]) -> Iterator[Finding]:
        """All of it, once every plan was seen."""
        found, job = self._found, self._job
        yield from found.loaded.told.findings
        for part in found.arrived.values():
            yield from part.findings
        if not found.is_sampled:
            yield from about_sizes(decided.measured.rows, decided.last)
        for text in found.lacking:
            yield Finding(weight=Weight.ATTENTION, text=text)
        if decided.alarm:
            yield Finding(weight=Weight.ATTENTION, text=f"the whole run is held: {decided.alarm}")
        yield from self._unanswered()
        yield from about_keys(job, found.engine, found.cuts)
        yield from matched.astray
        if job.file.recipients:
            yield from self._unmatched.findings(lambda: _with_contacts(decided))
        yield from self._unknowns.findings()
        yield from untold(versions, matched.everybody.languages)

    def _unanswered(self) -> Iterator[Finding]:
        """A finding for each question that failed and has no package that could say so."""
        for key, failure in self._found.loaded.failed.items():
            if key not in self._answered:
                text = f"the question for key '{key}', which is not on the list, failed: {failure}"
                yield Finding(weight=Weight.ATTENTION, text=text, key=key)


def _with_contacts(decided: Decided) -> Iterator[str]:
    """The keys of the run that somebody is on the list for."""
    cases = (case.addressed for portion in decided.judge.first() for case in portion.cases)
    return (part.key for part in cases if part.contacts and part.bundle is None)
