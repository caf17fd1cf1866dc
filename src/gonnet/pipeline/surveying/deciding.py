"""The third step of a survey: what becomes of every package, and why."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from gonnet import recipients, rules
from gonnet.calendar.workdays import working_days
from gonnet.errors import DataError, JobError
from gonnet.jobs import Job
from gonnet.jobs.rules import Guard, Rule
from gonnet.jobs.workspace import Limits
from gonnet.ledger.same import same
from gonnet.pipeline.sending import gate
from gonnet.pipeline.surveying.audience import in_order
from gonnet.pipeline.surveying.extracts import sizes
from gonnet.pipeline.surveying.matching import Matched
from gonnet.pipeline.surveying.picking import CONDITION, picked
from gonnet.pipeline.surveying.reading import Read
from gonnet.pipeline.surveying.request import Request
from gonnet.pipeline.tools import Tools
from gonnet.recipients import roll
from gonnet.recipients.addresses import parse
from gonnet.rules.decisions import Cause
from gonnet.rules.guard import Measured, alarms, measured
from gonnet.wording.differing import Differing


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """One package: who it is for, what came out for it, and what becomes of it.

    Attributes:
        addressed: Its key and contacts, as the rules change them.
        evaluated: Its figures and conditions.
        decision: What becomes of it, after every verdict so far.
    """

    addressed: recipients.Addressed
    evaluated: rules.Evaluated
    decision: rules.Decision


Verdict = Callable[[Case], rules.Decision]
"""What a case comes to; its decision where nothing speaks against it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Decided:
    """What becomes of every package.

    Attributes:
        cases: One for each package, keys before bundles.
        evaluated: Key or bundle → its figures and conditions, of those that are not chosen too.
        past: Key → what it was last sent.
        measured: What the guard of a later run compares with.
        last: The same of the last run of which something was sent, or None.
        alarm: Why the whole run is held, or None.
    """

    cases: tuple[Case, ...]
    evaluated: Mapping[str, rules.Evaluated]
    past: Mapping[str, rules.Past]
    measured: Measured
    last: Measured | None
    alarm: str | None


def decide(found: Read, matched: Matched, tools: Tools, request: Request) -> Decided:
    """Evaluate figures and rules for all, and let every verdict speak: rules, data, guard, domains.

    Raises:
        JobError: SQL of the job does not run.
        DataError: a key that was chosen is not there.
    """
    job, bound = found.job, found.values.bound()
    past = _past(job, tools, dict.fromkeys((*matched.own, *matched.together, *found.counts)))
    context = rules.Context(
        as_of=request.as_of,
        is_working_day=working_days(tools.workspace.file.holidays),
        fields=matched.fields,
        past=past,
        columns=tuple(dict.fromkeys(name for table, _ in job.lists for name in found.columns[table])),
    )
    keys = list(dict.fromkeys((*matched.own, *found.counts)))
    conditions = [part for part in request.only if part.startswith(CONDITION) and part not in keys]
    asked_for = {part: _for_whom(found, keys, context, matched, part) for part in conditions}
    evaluated = rules.evaluate(found.engine, job, keys, context, bound, matched.together)
    everybody = in_order(found.engine, job, matched.addressed, bound)
    chosen = _chosen([part.key for part in everybody], request.only, asked_for)
    addressed = [part for part in everybody if chosen is None or part.key in chosen]
    decider = rules.Decider(job)
    cases = [_by_the_rules(part, evaluated[part.key], decider, request.ways.get(part.key, ())) for part in addressed]
    cases = _after(cases, lambda case: _by_the_data(case, found))
    cases = _after(cases, lambda case: _by_its_lines(case, job))
    now, last = measured(found.engine, sizes(job, found.engine)), _last(job, tools)
    alarm = _alarm(job, now, last, cases) if request.guarded and not request.only else None
    cases = _after(cases, lambda case: rules.held_by_the_guard(case.decision, alarm))
    cases = _after(cases, lambda case: _by_its_domain(case, job, tools.workspace.file.limits))
    owners = _owners(job, matched)
    cases = _after(cases, lambda case: _by_its_addressees(case, owners))
    return Decided(cases=tuple(cases), evaluated=evaluated, past=past, measured=now, last=last, alarm=alarm)


def _after(cases: Iterable[Case], verdict: Verdict) -> list[Case]:
    return [replace(case, decision=verdict(case)) for case in cases]


def _by_the_rules(
    part: recipients.Addressed, found: rules.Evaluated, decider: rules.Decider, ways: Sequence[str]
) -> Case:
    """What the list and the rules say, but for the ways that a person says; its contacts as the rules change them."""
    decision = decider.decide(part, found, ways)
    effects = decision.effects
    if part.contacts and (effects.to or effects.cc or effects.bcc):
        kept = part.contacts[:1] if effects.to else part.contacts
        people = tuple(roll.changed(person, effects.to, effects.cc, effects.bcc) for person in kept)
        part = replace(part, contacts=people)
        decision = decider.decide(part, found, ways)
    return Case(addressed=part, evaluated=found, decision=decision)


def _by_the_data(case: Case, found: Read) -> rules.Decision:
    """Held where its own question failed, or the data are not as expected."""
    return rules.held_by_the_data(case.decision, _unanswered(case.addressed, found.loaded.failed), found.lacking)


def _by_its_lines(case: Case, job: Job) -> rules.Decision:
    """Held where a condition asks for what the lines of its address do not agree in."""
    part = case.addressed
    is_skipped = case.decision.outcome is rules.Outcome.SKIPPED and case.decision.cause is Cause.RULE
    if not part.contacts or not (case.decision.outcome is rules.Outcome.READY or is_skipped):
        return case.decision
    differing = {name: value for name, value in part.contacts[0].fields.items() if isinstance(value, Differing)}
    named = rules.named_in(job, "keys" if part.bundle is None else "bundles") if differing else None
    why = next((str(value.why) for name, value in differing.items() if named and named.asks_for("recipient", name)), "")
    if not why:
        return case.decision
    return replace(
        case.decision, outcome=rules.Outcome.HELD, cause=Cause.LINES, reason=f"{why}, which a condition asks for"
    )


def _unanswered(part: recipients.Addressed, failed: Mapping[str, str]) -> str | None:
    """Why rows of a package may be missing: its question failed, or any, where it brings keys together."""
    if part.bundle is None or not failed:
        return failed.get(part.key)
    key, failure = next(iter(failed.items()))
    return f"that for key '{key}': {failure}"


def _by_its_domain(case: Case, job: Job, limits: Limits) -> rules.Decision:
    """Held where the gate would not let mail to one of its addresses leave; what goes otherwise has none."""
    ways, effects = recipients.Ways.of(job.file.deliver), case.decision.effects
    mailed = [one for one in case.addressed.contacts if ways.needs_address(rules.ways_of(one, effects, job))]
    addresses = [a.mailbox for person in mailed for a in (*person.to, *person.cc, *person.bcc)]
    strangers = gate.strangers(addresses, limits)
    if not strangers or case.decision.outcome is not rules.Outcome.READY:
        return case.decision
    reason = gate.not_allowed(strangers)
    return replace(case.decision, outcome=rules.Outcome.HELD, cause=Cause.DOMAIN, reason=reason)


def _owners(job: Job, matched: Matched) -> dict[str, set[str]]:
    """Address → the keys that the lists write to at it."""
    found: defaultdict[str, set[str]] = defaultdict(set)
    for person in matched.people:
        spec = job.file.recipients[person.listed]
        if spec.key and spec.bundled is None:
            for address in person.to:
                found[address.identity].add(person.key)
    return found


def _by_its_addressees(case: Case, owners: Mapping[str, set[str]]) -> rules.Decision:
    """Held where a rule names an address that is somebody else's own, and its line of the list does not."""
    effects, part = case.decision.effects, case.addressed
    named = [name for name in (*effects.to, *effects.cc, *effects.bcc) if "@" in name]
    if not named or case.decision.outcome is not rules.Outcome.READY:
        return case.decision
    listed = " ".join(str(value) for person in part.contacts for value in person.fields.values()).casefold()
    mine = {part.key, *part.keys}
    for address in (address for name in named for address in parse(name)):
        others = owners.get(address.identity, set())
        if others and mine.isdisjoint(others) and address.mailbox.casefold() not in listed:
            whose = ", ".join(sorted(others)[:3]) + (" …" if len(others) > 3 else "")
            reason = f"a rule writes to {address.mailbox}, which is the address of {whose}"
            return replace(case.decision, outcome=rules.Outcome.HELD, cause=Cause.ADDRESSEE, reason=reason)
    return case.decision


def _last(job: Job, tools: Tools) -> Measured | None:
    """The measures of the last run of which something was sent."""
    account = tools.ledger.last_sent(job.name)
    if account is None:
        return None
    run, kept = account
    return Measured(recipients=kept["recipients"], totals=kept["totals"], rows=kept.get("rows", {}), run=run)


def _alarm(job: Job, now: Measured, last: Measured | None, cases: Sequence[Case]) -> str | None:
    """Why the whole run is to be held, or None."""
    if job.file.guard == Guard():
        return None
    outcomes = Counter(case.decision.outcome for case in cases)
    held, ready = outcomes[rules.Outcome.HELD], outcomes[rules.Outcome.READY]
    return "; ".join(alarms(job.file.guard, now, last, held, ready)) or None


def _past(job: Job, tools: Tools, keys: Iterable[str]) -> dict[str, rules.Past]:
    """Key → what it was last sent by this job; nothing where nothing in the job asks for it."""
    # Texts merge it too, so any mention counts: it is read in vain at worst.
    if not any(word in repr(job.file).casefold() for word in ("past", "earlier")):
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


def _chosen(
    known: Sequence[str], only: Sequence[str], asked_for: Mapping[str, frozenset[str]]
) -> frozenset[str] | None:
    """The keys to which the run is limited; None for all.

    Raises:
        DataError: a key is not there, or nobody is like a pattern, in a range, or as a condition wants it.
    """
    if not only:
        return None
    named = [part for part in only if part not in asked_for]
    chosen = frozenset(picked(named, known)) if named else frozenset()
    for condition, keys in asked_for.items():
        if not keys.intersection(known):
            raise DataError(f"nobody is as `{condition}` says", where="--only", fix="`gonnet keys` shows the figures")
        chosen |= keys
    return chosen


def _for_whom(
    found: Read, keys: Sequence[str], context: rules.Context, matched: Matched, condition: str
) -> frozenset[str]:
    """The keys for which a condition holds, in the SQL of rules.

    Raises:
        DataError: it does not run.
    """
    sql = condition.removeprefix(CONDITION)
    asking = Rule.model_validate({"name": "asked for", "when": sql, "skip": "only asked"})
    job = replace(found.job, file=found.job.file.model_copy(update={"rules": (asking,)}))
    try:
        evaluated = rules.evaluate(found.engine, job, keys, context, found.values.bound(), matched.together)
    except (DataError, JobError) as error:
        raise DataError(error.what, where="--only", fix=error.fix) from error
    return frozenset(key for key, one in evaluated.items() if one.conditions[0] is True)
