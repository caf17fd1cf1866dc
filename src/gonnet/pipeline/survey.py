"""Everything that is known about a run before the first document is drawn."""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from gonnet import data, packages, recipients, rules, split
from gonnet.data.expectations import broken
from gonnet.data.workdays import working_days
from gonnet.errors import DataError, JobError, meant
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job, consistency, references
from gonnet.jobs.models import Guard
from gonnet.jobs.workspace import Limits
from gonnet.ledger.same import same
from gonnet.ledger.states import Purpose
from gonnet.packages import PackagePlan
from gonnet.pipeline.audience import audience, descriptions, in_order
from gonnet.pipeline.making.editions import Edition, editions, settled, untold
from gonnet.pipeline.sending import gate
from gonnet.pipeline.sending.places import named_places
from gonnet.pipeline.sending.writing_back import require_writable
from gonnet.pipeline.tools import Progress, Tools, no_progress
from gonnet.recipients import Recipient, roll
from gonnet.recipients.matching import unmatched
from gonnet.rules.decisions import Cause, unknowns
from gonnet.rules.guard import Measured, alarms, measured
from gonnet.wording.templates import Wording


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What the operator asked for with a run.

    Attributes:
        as_of: The date the run is made for.
        asked: Parameter → text, as given with `--set`.
        only: Keys to which the run is limited; empty for all.
        guarded: Whether the guard of the job may hold the run.
        purpose: Why it is made.
        sample: How many rows of each query to a database are read, to check the job without waiting; None for all.
    """

    as_of: dt.date
    asked: Mapping[str, str]
    only: tuple[str, ...] = ()
    guarded: bool = True
    purpose: Purpose = Purpose.REGULAR
    sample: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Survey:
    """What a run will be.

    Attributes:
        engine: The run's tables; close it when done.
        values: The parameters.
        cuts: Data set that is split → how, the main one first.
        counts: Key → its rows in all of them.
        people: The recipient list.
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
    people: tuple[Recipient, ...]
    plans: tuple[PackagePlan, ...]
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


def survey(job: Job, tools: Tools, request: Request, progress: Progress = no_progress) -> Survey:
    """Read the data, split it, match it with the recipients and decide about every package. Contacts nobody.

    Args:
        job: The job.
        tools: The tools.
        request: What was asked for.
        progress: Told how many questions are answered, where there is one per key.

    Raises:
        JobError: something the job names is not there (carries all such mistakes), or its SQL does not run.
        ParameterError: a parameter has no usable value.
        DataError: the data cannot be read or split.
    """
    _raise_all(consistency.within_the_file(job))
    look = tools.look(job)
    job = job.read_for(look.house.locale, look.house.locale)
    values = data.resolve(job.file.parameters, request.asked, request.as_of, tools.calendar)
    loaded = data.load(job, tools.workspace, values, progress, request.sample)
    engine = loaded.engine
    try:
        tables = (*job.file.data, *(table for table, _ in job.lists))
        columns = {name: [column.name for column in engine.columns(name)] for name in tables}
        _raise_all(references.to_the_data(job, columns, Wording(look.house)))
        require_writable(job, tools)
        cuts = _cuts(job, engine)
        counts = split.counted(cuts.values())
        people, addressed, astray = audience(job, engine, counts, look.house.locale, values.bound())
        more = {"run": {"date": request.as_of, "job": job.name}}
        versions = editions(job, look, people, values, more, tools.workspace.file.year_begins)
        for edition in versions.values():
            _raise_all(references.texts_to_the_data(edition.job, columns, edition.reading.wording))
        lacking = _expected(job, engine, request)
        described = descriptions(job, people)
        fields = {key: person.fields for key, person in described.items()}
        fields |= {part.key: part.contacts[0].fields for part in addressed if part.contacts}
        own = [part.key for part in addressed if part.bundle is None]
        together = {part.key: part.keys for part in addressed if part.bundle is not None}
        keys = list(dict.fromkeys((*own, *together, *counts)))
        context = rules.Context(
            as_of=request.as_of,
            is_working_day=working_days(tools.workspace.file.holidays),
            fields=fields,
            past=_past(job, tools, keys),
            columns=tuple(dict.fromkeys(name for table, _ in job.lists for name in columns[table])),
        )
        keys = list(dict.fromkeys((*own, *counts)))
        evaluated = rules.evaluate(engine, job, keys, context, values.bound(), together)
        addressed = in_order(engine, job, addressed, values.bound())
        parts = [_decided(part, evaluated[part.key], job) for part in _chosen(addressed, request.only)]
        parts = [
            (part, found, rules.held_by_the_data(decision, _unanswered_of(part, loaded.failed), lacking))
            for part, found, decision in parts
        ]
        readings = {locale: edition.reading for locale, edition in versions.items()}
        now = measured(engine)
        alarm = _alarm(job, tools, now, parts) if request.guarded and not request.only else None
        parts = [(part, found, rules.held_by_the_guard(decision, alarm)) for part, found, decision in parts]
        limits = tools.workspace.file.limits
        parts = [(part, found, _within(decision, part, limits)) for part, found, decision in parts]
        known = packages.Known(
            readings=readings,
            evaluated=evaluated,
            fields=fields,
            called={key: who.name for key, who in described.items() if job.lists[who.listed][1].bundled is None},
            past={key: _told_of(past, request.as_of) for key, past in context.past.items()},
            secrets=tools.workspace.secrets,
            roots=named_places(job, tools),
        )
        plans = tuple(_with_past(plan, context.past.get(plan.key), job) for plan in packages.assemble(parts, known))
        versions, used = settled(versions, engine, values.bound(), tools.workspace.folder)
        chosen = {plan.key: plan.evaluated for plan in plans if plan.decision.outcome is not rules.Outcome.SKIPPED}
        findings = (
            *(Finding(weight=Weight.ATTENTION, text=text) for text in lacking),
            *((Finding(weight=Weight.ATTENTION, text=f"the whole run is held: {alarm}"),) if alarm else ()),
            *_unanswered(loaded.failed, parts),
            *_about_keys(job, engine, cuts),
            *astray,
            *unmatched([part for part, _, _ in parts if part.bundle is None], has_list=bool(job.file.recipients)),
            *unknowns(job.file.rules, chosen, together),
            *untold(versions, people),
        )
    except BaseException:
        engine.close()
        raise
    return Survey(
        engine=engine,
        values=values,
        cuts=cuts,
        counts=counts,
        people=people,
        plans=plans,
        editions=versions,
        measured=now,
        fields=used,
        findings=findings,
        notes=loaded.notes,
        seconds=loaded.seconds,
    )


def _cuts(job: Job, engine: data.Engine) -> dict[str, split.Slices]:
    """Every data set that is split, the main one first."""
    found = {}
    for name, cut in job.file.split.cuts.items():
        where = job.at("split", "also", name) if name in job.file.split.also else job.at("split", "by")
        found[name] = split.by_key(engine, name, cut.by, view=cut.view, where=where)
    return found


def _raise_all(mistakes: Iterator[JobError]) -> None:
    found = list(mistakes)
    if found:
        raise JobError.of(found)


def _expected(job: Job, engine: data.Engine, request: Request) -> list[str]:
    """What is expected of the data and not so, where that holds the run.

    Raises:
        DataError: something of it stops the run.
    """
    lacking = list(broken(engine, job, request.as_of, sampled=request.sample is not None))
    stopping = [part for part in lacking if not part.holds]
    if stopping:
        text = "; ".join(part.text for part in stopping)
        raise DataError(
            text, where=stopping[0].where, fix="Nothing was prepared; refresh the data, or change what is expected"
        )
    return [part.text for part in lacking]


def _alarm(job: Job, tools: Tools, now: Measured, parts: Sequence[_Part]) -> str | None:
    """Why the whole run is to be held, or None."""
    if job.file.guard == Guard():
        return None
    outcomes = Counter(decision.outcome for _, _, decision in parts)
    account = tools.ledger.last_sent(job.name)
    last = None
    if account is not None:
        run, kept = account
        last = Measured(recipients=kept["recipients"], totals=kept["totals"], run=run)
    held, ready = outcomes[rules.Outcome.HELD], outcomes[rules.Outcome.READY]
    return "; ".join(alarms(job.file.guard, now, last, held, ready)) or None


def _past(job: Job, tools: Tools, keys: Iterable[str]) -> dict[str, rules.Past]:
    """Key → what it was last sent by this job; nothing where nothing in the job asks for it."""
    if not re.search(r"\b(past|earlier)\s*\.", repr(job.file)):
        return {}
    found = tools.ledger.past(job.name)
    return {
        key: rules.Past(
            times=sent.times,
            sent_on=sent.at.astimezone(tools.workspace.zone).date(),
            message=sent.message,
            figures=sent.figures,
            contents=sent.contents,
        )
        for key in keys
        if (sent := found.get(same(key))) is not None
    }


_Part = tuple[recipients.Addressed, rules.Evaluated, rules.Decision]


def _within(decision: rules.Decision, part: recipients.Addressed, limits: Limits) -> rules.Decision:
    """The decision where mail to one of its addresses is not allowed."""
    addresses = [a.mailbox for person in part.contacts for a in (*person.to, *person.cc, *person.bcc)]
    strangers = gate.strangers(addresses, limits)
    if not strangers or decision.outcome is not rules.Outcome.READY:
        return decision
    reason = gate.not_allowed(strangers)
    return replace(decision, outcome=rules.Outcome.HELD, cause=Cause.DOMAIN, reason=reason)


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


def _decided(
    part: recipients.Addressed, found: rules.Evaluated, job: Job
) -> tuple[recipients.Addressed, rules.Evaluated, rules.Decision]:
    """A key, what came out for it, and what happens to it; its contacts as the rules change them."""
    decision = rules.decide(part, found, job)
    effects = decision.effects
    if part.contacts and (effects.to or effects.cc or effects.bcc):
        kept = part.contacts[:1] if effects.to else part.contacts
        people = tuple(roll.changed(person, effects.to, effects.cc, effects.bcc) for person in kept)
        part = replace(part, contacts=people)
        decision = rules.decide(part, found, job)
    return part, found, decision


def _chosen(addressed: Sequence[recipients.Addressed], only: Sequence[str]) -> list[recipients.Addressed]:
    known = [part.key for part in addressed]
    for key in only:
        if key not in known:
            raise DataError(f"there is no key '{key}' in this run", where="--only", fix=meant(key, known, noun="key"))
    return [part for part in addressed if not only or part.key in only]


def _unanswered_of(part: recipients.Addressed, failed: Mapping[str, str]) -> str | None:
    """Why rows of a package may be missing: its question failed, or any, where it brings keys together."""
    if part.bundle is None or not failed:
        return failed.get(part.key)
    key, failure = next(iter(failed.items()))
    return f"that for key '{key}': {failure}"


def _unanswered(
    failed: Mapping[str, str], parts: Sequence[tuple[recipients.Addressed, object, object]]
) -> Iterator[Finding]:
    """A finding for each question that failed and has no package that could say so."""
    told = {part.key for part, _, _ in parts}
    for key, failure in failed.items():
        if key not in told:
            text = f"the question for key '{key}', which is not on the list, failed: {failure}"
            yield Finding(weight=Weight.ATTENTION, text=text, key=key)


def _about_keys(job: Job, engine: data.Engine, cuts: Mapping[str, split.Slices]) -> Iterator[Finding]:
    for name, cut in cuts.items():
        of = f" of {name}" if len(cuts) > 1 else ""
        if cut.without_key:
            rows = ", ".join(str(row) for row in cut.first_without_key)
            more = " …" if cut.without_key > len(cut.first_without_key) else ""
            many = f"{cut.without_key} row{'s' if cut.without_key > 1 else ''}{of} without a key"
            yield Finding(weight=Weight.ATTENTION, text=f"{many} (data row {rows}{more}) go to nobody")
        if cut.trimmed:
            many = f"{cut.trimmed} key{'s' if cut.trimmed > 1 else ''}{of}"
            yield Finding(
                weight=Weight.NOTE,
                text=f"{many} had blanks around {'them' if cut.trimmed > 1 else 'it'}, which do not count",
            )
    lines = sum(roll.lines_without_key(engine, table, spec) for table, spec in job.lists)
    if lines:
        text = f"{lines} line{'s' if lines > 1 else ''} of the recipient list without a key"
        yield Finding(weight=Weight.ATTENTION, text=text)
