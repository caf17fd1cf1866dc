"""From what held to what happens: the state of each package before anything is made, and what it consists of."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from gonnet.data import names_in
from gonnet.findings import Finding, Weight
from gonnet.jobs.models import Job
from gonnet.jobs.people import Settings
from gonnet.jobs.rules import Rule
from gonnet.recipients import Addressed, Recipient
from gonnet.recipients.roll import NO_ADDRESS, together
from gonnet.rules.effects import Effects, Said, Step, effects_of
from gonnet.rules.figures import Evaluated


class Outcome(StrEnum):
    """What becomes of a package when it is prepared."""

    READY = "ready"
    HELD = "held"
    SKIPPED = "skipped"


class Cause(StrEnum):
    """Why rows are withheld; one word for each, used in the row accounting."""

    NO_KEY = "no key"
    NO_RECIPIENT = "no recipient"
    LEFT_OUT = "left out by the list"
    NO_ADDRESS = "no usable address"
    LINE = "line that cannot be used"
    NO_ROWS = "no rows"
    RULE = "rule"
    LEAK = "leak check"
    PICTURES = "pages that nobody can search"
    ROWS_LACK = "file that lacks rows"
    NO_FILE = "no file of its own"
    NO_PART = "no usable part of an arrival"
    UNPRINTABLE = "unprintable character"
    TEXT = "text that cannot be filled"
    SIZE = "too large a message"
    NO_PAGES = "nothing that can be printed"
    NOTHING_TO_TAKE = "nothing for one of its ways"
    EXPECTATION = "expectation"
    NO_ANSWER = "no answer"
    NOT_CHOSEN = "not chosen"
    NOT_SHOWN = "in no document"
    GUARD = "guard of the run"
    LINES = "lines that differ"
    DOMAIN = "address that is not allowed"
    CERTIFICATE = "address without a certificate"
    ADDRESSEE = "somebody else's address"


_SHOWN = 3
_DRAWN = (Cause.RULE, Cause.NO_ADDRESS, Cause.EXPECTATION, Cause.GUARD, Cause.DOMAIN, Cause.LINE, Cause.LINES,
    Cause.CERTIFICATE, Cause.ADDRESSEE)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Decision:
    """What happens to one package, and why.

    Attributes:
        outcome: Its state.
        cause: Why it is not ready; None where it is.
        reason: The same in a sentence; empty where it is ready.
        effects: What the rules make of it.
        steps: What each rule did, in their order.
    """

    outcome: Outcome
    cause: Cause | None = None
    reason: str = ""
    effects: Effects = field(default_factory=Effects)
    steps: tuple[Step, ...] = ()

    @property
    def unknown(self) -> tuple[str, ...]:
        """Names of the rules whose condition came out unknown."""
        return tuple(step.rule for step in self.steps if step.held is None)

    @property
    def drawn(self) -> bool:
        """Whether its documents are made: what is held for a person to look at can be looked at."""
        return self.outcome is Outcome.READY or (self.outcome is Outcome.HELD and self.cause in _DRAWN)


class Decider:
    """Decides about the packages of a job; what rules make of many of them alike is made once.

    Args:
        job: The job.
    """

    def __init__(self, job: Job) -> None:
        self._job = job
        # The settings are kept beside what was made of them: as long as they are there, no others have their id.
        self._known: dict[tuple[object, ...], tuple[Settings, Decision]] = {}

    def decide(self, addressed: Addressed, evaluated: Evaluated, by_hand: Sequence[str] = ()) -> Decision:
        """The state of one package; see `decide`."""
        said = Said(addressed.settings, tuple(person.ways for person in addressed.contacts), tuple(by_hand))
        is_bundle = addressed.bundle is not None
        place = (evaluated.conditions, id(said.settings), said.ways, said.by_hand, is_bundle)
        if place not in self._known:
            effects, steps = effects_of(evaluated, self._job, said, is_bundle=is_bundle)
            self._known[place] = said.settings, Decision(outcome=Outcome.READY, effects=effects, steps=steps)
        return _as_it_allows(self._known[place][1], addressed, evaluated, self._job)


def decide(addressed: Addressed, evaluated: Evaluated, job: Job, by_hand: Sequence[str] = ()) -> Decision:
    """The state of one package: what the rules say from top to bottom, then what its recipient and rows allow.

    A skip stands above a hold: what is not sent at all needs nobody's attention. The first rule of each kind that
    holds gives the reason. Of everything else a later rule changes what an earlier one said.

    Args:
        addressed: The package.
        evaluated: Its figures and conditions.
        job: The job.
        by_hand: The ways by which it goes, whatever its list and the rules say.
    """
    return Decider(job).decide(addressed, evaluated, by_hand)


def _as_it_allows(base: Decision, addressed: Addressed, evaluated: Evaluated, job: Job) -> Decision:
    """What the rules make of a package, as far as its recipient and its rows allow."""
    effects = base.effects
    if effects.skip is not None:
        return replace(base, outcome=Outcome.SKIPPED, cause=Cause.RULE, reason=effects.skip)
    if addressed.is_left_out:
        reason = "the list leaves it out: its line does not meet `where`"
        return replace(base, outcome=Outcome.SKIPPED, cause=Cause.LEFT_OUT, reason=reason)
    if job.file.recipients and not addressed.contacts:
        reason = "nobody on the list has this key"
        return replace(base, outcome=Outcome.HELD, cause=Cause.NO_RECIPIENT, reason=reason)
    problem = together(person.problem for person in addressed.contacts)
    if not addressed.rows:
        if problem and addressed.bundle is not None:  # it may be why it sees nothing
            return replace(base, outcome=Outcome.HELD, cause=Cause.NO_ROWS, reason=problem)
        return replace(base, outcome=Outcome.SKIPPED, cause=Cause.NO_ROWS, reason="no rows")
    if problem:
        return replace(base, outcome=Outcome.HELD, cause=Cause.LINE, reason=problem)
    if lacking := together(_unaddressed(addressed, effects, job)):
        return replace(base, outcome=Outcome.HELD, cause=Cause.NO_ADDRESS, reason=lacking)
    if evaluated.failures:
        return replace(base, outcome=Outcome.HELD, cause=Cause.RULE, reason="; ".join(evaluated.failures))
    if effects.hold is not None:
        return replace(base, outcome=Outcome.HELD, cause=Cause.RULE, reason=effects.hold)
    if len(writing := [way.called for at in effects.ways if (way := job.file.deliver[at]).writes is not None]) > 1:
        reason = f"one way at most writes messages, and it is to go by {' and '.join(writing)}"
        return replace(base, outcome=Outcome.HELD, cause=Cause.RULE, reason=reason)
    if job.file.package.documents and not effects.documents:
        reason = "the rules leave no document to send"
        return replace(base, outcome=Outcome.HELD, cause=Cause.RULE, reason=reason)
    return base


def ways_of(person: Recipient, effects: Effects, job: Job) -> tuple[str, ...]:
    """The ways by which a contact gets a package: those that are said for all, else its own, else the usual ones."""
    chosen = [job.file.deliver[at] for at in effects.ways]
    if effects.ways_for_all:
        return tuple(way.called for way in chosen)
    return person.ways or tuple(way.called for way in chosen if not way.optional)


def _unaddressed(addressed: Addressed, effects: Effects, job: Job) -> Iterator[str | None]:
    """Why no message can be written to contacts who are to get one. A draft may wait for an address."""
    chosen = {job.file.deliver[at].called: job.file.deliver[at] for at in effects.ways}
    for person in addressed.contacts:
        ways = [chosen[name] for name in ways_of(person, effects, job)]
        is_drafted = any(way.drafts is not None for way in ways) and person.unaddressed != NO_ADDRESS
        if not chosen or is_drafted or any(way.email is not None for way in ways):
            yield person.unaddressed


def held_by_the_data(decision: Decision, failure: str | None, lacking: Sequence[str]) -> Decision:
    """The decision where its own question failed, or the data lack something: what would be sent is held.

    Args:
        decision: What the rules and the list say.
        failure: Why the key's own question was not answered, or None.
        lacking: What is expected of the data and not so.
    """
    if failure is not None:
        return replace(decision, outcome=Outcome.HELD, cause=Cause.NO_ANSWER, reason=f"its question failed: {failure}")
    if not lacking or decision.outcome is not Outcome.READY:
        return decision
    return replace(decision, outcome=Outcome.HELD, cause=Cause.EXPECTATION, reason=lacking[0])


def held_by_the_guard(decision: Decision, alarm: str | None) -> Decision:
    """The decision where the whole run waits for a person's word."""
    if alarm is None or decision.outcome is not Outcome.READY:
        return decision
    return replace(decision, outcome=Outcome.HELD, cause=Cause.GUARD, reason=f"the whole run is held: {alarm}")


class Unknowns:
    """Rules whose conditions are unknown for some key.

    Args:
        rules: The rules of the job.
    """

    def __init__(self, rules: Sequence[Rule]) -> None:
        # That nothing was ever sent is no gap in the data.
        self._looked = [
            (at, rule)
            for at, rule in enumerate(rules)
            if rule.when is not None and not any(names_in(rule.when).asks_for(name) for name in ("past", "earlier"))
        ]
        self._shown: dict[int, list[str]] = {}
        self._counts: Counter[int] = Counter()

    def see(self, evaluated: Evaluated, *, is_bundle: bool) -> None:
        """What came out for a package that is not skipped anyway."""
        for at, rule in self._looked:
            if evaluated.conditions[at] is None and rule.applies in ("all", "bundles" if is_bundle else "keys"):
                self._counts[at] += 1
                if self._counts[at] <= _SHOWN:
                    self._shown.setdefault(at, []).append(evaluated.key)

    def findings(self) -> Iterator[Finding]:
        """A finding for each such rule, in the order of the rules."""
        for at, rule in self._looked:
            if count := self._counts[at]:
                shown = ", ".join(self._shown[at]) + (" …" if count > _SHOWN else "")
                many = f"{count} key{'s' if count != 1 else ''}"
                text = (
                    f"rule '{rule.name}' is unknown for {many} ({shown}), so it does not hold: a value in it is empty"
                )
                yield Finding(weight=Weight.NOTE, text=text)
