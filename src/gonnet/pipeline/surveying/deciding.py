"""The third step of a survey: what becomes of every package, and why."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from gonnet import recipients, rules
from gonnet.calendar.workdays import working_days
from gonnet.errors import DataError, JobError
from gonnet.jobs import Job
from gonnet.jobs.rules import Guard, Rule
from gonnet.jobs.workspace import Limits
from gonnet.pipeline.sending import gate
from gonnet.pipeline.sending.protecting import OfJob
from gonnet.pipeline.surveying.audience import Audience, Everybody, in_order
from gonnet.pipeline.surveying.matching import Matched
from gonnet.pipeline.surveying.pasts import Pasts
from gonnet.pipeline.surveying.picking import CONDITION, picked
from gonnet.pipeline.surveying.portions import KEYS
from gonnet.pipeline.surveying.reading import Read, sizes
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

    def come_to(self, decision: rules.Decision) -> Case:
        """The same with a decision; most verdicts change nothing."""
        return self if decision is self.decision else replace(self, decision=decision)


@dataclass(frozen=True, slots=True, kw_only=True)
class Portion:
    """What becomes of some packages.

    Attributes:
        audience: Who they are for.
        cases: One for each package, keys before bundles.
        evaluated: Key or bundle → its figures and conditions, of those that are not chosen too.
    """

    audience: Audience
    cases: Sequence[Case]
    evaluated: Mapping[str, rules.Evaluated]


@dataclass(frozen=True, slots=True, kw_only=True)
class Decided:
    """What becomes of every package.

    Attributes:
        judge: Decides about each.
        pasts: What keys were last sent.
        measured: What the guard of a later run compares with.
        last: The same of the last run of which something was sent, or None.
        alarm: Why the whole run is held, or None.
    """

    judge: Judge
    pasts: Pasts
    measured: Measured
    last: Measured | None
    alarm: str | None

    def __iter__(self) -> Iterator[Portion]:
        """The packages, portion by portion."""
        for portion in self.judge.first():
            yield replace(portion, cases=[self.judge.then(case, self.alarm) for case in portion.cases])


def decide(found: Read, matched: Matched, tools: Tools, request: Request) -> Decided:
    """Evaluate figures and rules for all, and let every verdict speak: rules, data, guard, domains.

    Raises:
        JobError: SQL of the job does not run.
        DataError: a key that was chosen is not there.
    """
    job, bound, everybody = found.job, found.values.bound(), matched.everybody
    bundles = everybody.bundles()
    if everybody.is_one:
        every = list(dict.fromkeys((*everybody.keys(), *found.counts)))
        found.engine.put(KEYS, {"gonnet_key": ("varchar", every)})
    pasts = Pasts(job, tools, found.engine)
    context = rules.Context(
        as_of=request.as_of,
        is_working_day=working_days(tools.workspace.file.holidays),
        lines=Lines(matched.lines),
        past=pasts,
        columns=tuple(dict.fromkeys(name for table, _ in job.lists for name in found.columns[table])),
    )
    known = list(everybody.keys()) if request.only else []
    there = {*known, *found.counts} if request.only else set()
    conditions = [part for part in request.only if part.startswith(CONDITION) and part not in there]
    asked_for = {part: _for_whom(found, context, bundles, part) for part in conditions}
    evaluations = rules.evaluate(found.engine, job, KEYS, context, bound, bundles)
    chosen = _chosen(known, request.only, asked_for)
    judge = Judge(found, matched, tools, request, evaluations, chosen)
    now, last = measured(found.engine, sizes(job, found.engine)), _last(job, tools)
    alarm = _alarm(job, now, last, judge) if request.guarded and not request.only else None
    return Decided(judge=judge, pasts=pasts, measured=now, last=last, alarm=alarm)


class Lines:
    """Portions that are made again each time they are gone through."""

    def __init__(self, make: Callable[[], Iterator[Mapping[str, Mapping[str, object]]]]) -> None:
        self._make = make

    def __iter__(self) -> Iterator[Mapping[str, Mapping[str, object]]]:
        return self._make()


class Judge:
    """Decides about every package, as often as it takes: of one portion, the first verdicts are kept.

    Args:
        found: The job and the data.
        matched: Who gets what.
        tools: The tools.
        request: What was asked for.
        evaluations: The figures and conditions.
        chosen: The keys to which the run is limited; None for all.
    """

    def __init__(
        self,
        found: Read,
        matched: Matched,
        tools: Tools,
        request: Request,
        evaluations: rules.Evaluations,
        chosen: frozenset[str] | None,
    ) -> None:
        self._found, self._everybody, self._ways = found, matched.everybody, request.ways
        self._job, self._limits = found.job, tools.workspace.file.limits
        self._protection = OfJob(found.job, tools.workspace, tools.protection)
        self._evaluations, self._chosen = evaluations, chosen
        self._decider = rules.Decider(found.job)
        self._owners = _owners(found.job, matched.everybody)
        self._only = self._first(next(iter(self._everybody))) if self._everybody.is_one else None

    def first(self) -> Iterator[Portion]:
        """What rules, data and lists say of every package that is chosen, portion by portion."""
        if self._only is not None:
            yield self._only
            return
        yield from map(self._first, self._everybody)

    def _first(self, audience: Audience) -> Portion:
        chosen = self._chosen
        wanted = [part for part in audience.addressed if chosen is None or part.key in chosen]
        if not wanted:
            return Portion(audience=audience, cases=(), evaluated={})
        job, values = self._job, self._found.values.bound()
        evaluated = self._evaluations.of(audience.portion.within)
        cases = []
        for part in in_order(self._found.engine, job, wanted, values):
            case = _by_the_rules(part, evaluated[part.key], self._decider, self._ways.get(part.key, ()))
            case = case.come_to(_by_the_data(case, self._found))
            cases.append(case.come_to(_by_its_lines(case, job)))
        return Portion(audience=audience, cases=cases, evaluated=evaluated)

    def then(self, case: Case, alarm: str | None) -> Case:
        """A case after every verdict."""
        case = case.come_to(rules.held_by_the_guard(case.decision, alarm))
        case = case.come_to(_by_its_domain(case, self._job, self._limits))
        case = case.come_to(_by_its_certificates(case, self._job, self._protection))
        return case.come_to(_by_its_addressees(case, self._owners))


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
    mailed = _mailed(case, job)
    addresses = [a.mailbox for person in mailed for a in (*person.to, *person.cc, *person.bcc)]
    strangers = gate.strangers(addresses, limits)
    if not strangers or case.decision.outcome is not rules.Outcome.READY:
        return case.decision
    reason = gate.not_allowed(strangers)
    return replace(case.decision, outcome=rules.Outcome.HELD, cause=Cause.DOMAIN, reason=reason)


def _mailed(case: Case, job: Job) -> list[recipients.Recipient]:
    """Those who get it by mail."""
    ways, effects = recipients.Ways.of(job.file.deliver), case.decision.effects
    return [one for one in case.addressed.contacts if ways.needs_address(rules.ways_of(one, effects, job))]


def _by_its_certificates(case: Case, job: Job, protection: OfJob) -> rules.Decision:
    """Held where the gate would not let it leave, since it cannot be encrypted to one of its addresses."""
    if case.decision.outcome is not rules.Outcome.READY:
        return case.decision
    reason = protection.why_held(case.decision.effects.ways, _mailed(case, job))
    if reason is None:
        return case.decision
    return replace(case.decision, outcome=rules.Outcome.HELD, cause=Cause.CERTIFICATE, reason=reason)


def _owners(job: Job, everybody: Everybody) -> dict[str, set[str]]:
    """Address that a rule names → the keys that the lists write to at it."""
    named = {
        address.identity
        for rule in job.file.rules
        for name in (*(rule.to or ()), *(rule.cc or ()), *(rule.bcc or ()))
        if "@" in name
        for address in parse(name)
    }
    found: defaultdict[str, set[str]] = defaultdict(set)
    for person in (person for audience in everybody for person in audience.people) if named else ():
        spec = job.file.recipients[person.listed]
        if spec.key and spec.bundled is None:
            for address in person.to:
                if address.identity in named:
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


def _alarm(job: Job, now: Measured, last: Measured | None, judge: Judge) -> str | None:
    """Why the whole run is to be held, or None."""
    if job.file.guard == Guard():
        return None
    outcomes = Counter(case.decision.outcome for portion in judge.first() for case in portion.cases)
    held, ready = outcomes[rules.Outcome.HELD], outcomes[rules.Outcome.READY]
    return "; ".join(alarms(job.file.guard, now, last, held, ready)) or None


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
    found: Read, context: rules.Context, bundles: Mapping[str, Sequence[str]], condition: str
) -> frozenset[str]:
    """The keys for which a condition holds, in the SQL of rules.

    Raises:
        DataError: it does not run.
    """
    sql = condition.removeprefix(CONDITION)
    asking = Rule.model_validate({"name": "asked for", "when": sql, "skip": "only asked"})
    job = replace(found.job, file=found.job.file.model_copy(update={"rules": (asking,)}))
    try:
        evaluated = rules.evaluate(found.engine, job, KEYS, context, found.values.bound(), bundles).of()
    except (DataError, JobError) as error:
        raise DataError(error.what, where="--only", fix=error.fix) from error
    return frozenset(key for key, one in evaluated.items() if one.conditions[0] is True)
