"""What the rules that hold make of a package, from top to bottom; and what each of them did, for whoever asks why."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from gonnet.jobs.contents import DocumentSpec, Enclosure
from gonnet.jobs.models import Job
from gonnet.jobs.people import Settings
from gonnet.jobs.rules import Rule
from gonnet.jobs.values import Format
from gonnet.rules.figures import Evaluated


@dataclass(frozen=True, slots=True, kw_only=True)
class Effects:
    """What a package is to be.

    Attributes:
        skip: Why it is not sent at all, or None.
        hold: Why a person must look at it, or None.
        message: Which message it gets; None where the job has none.
        documents: Which of the job's documents it has, by number.
        enclosures: Which of the job's enclosures it has, by number.
        format: The format of all of them, in place of their own; None where it stays theirs.
        to: Who gets it in place of its contacts: columns of the list, or addresses.
        cc: Who gets it besides.
        bcc: Who gets it besides, unseen.
        important: Whether its messages are marked so.
        ways: By which of the job's ways it leaves, by number.
        ways_for_all: Whether a rule or a person says so, for all of its contacts.
    """

    skip: str | None = None
    hold: str | None = None
    message: str | None = None
    documents: tuple[int, ...] = ()
    enclosures: tuple[int, ...] = ()
    format: Format | None = None
    to: tuple[str, ...] = ()
    cc: tuple[str, ...] = ()
    bcc: tuple[str, ...] = ()
    important: bool = False
    ways: tuple[int, ...] = ()
    ways_for_all: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """What one rule did to one package.

    Attributes:
        rule: Its name.
        held: Whether its condition held; None where that is unknown.
        changes: What it changed, in words.
        overridden: What of it a later rule changed again, in words.
    """

    rule: str
    held: bool | None
    changes: tuple[str, ...] = ()
    overridden: tuple[str, ...] = ()


_SINGLE = ("message", "format", "to", "important", "ways")
"""What there can be one of: a later rule counts."""


class Said(NamedTuple):
    """What is said of a package besides the rules.

    Attributes:
        settings: What its list says of everybody on it.
        ways: The ways by which each of its contacts gets it; none for the usual ones.
        by_hand: The ways that a person says, whatever lists and rules say.
    """

    settings: Settings
    ways: tuple[tuple[str, ...], ...] = ()
    by_hand: tuple[str, ...] = ()


def effects_of(evaluated: Evaluated, job: Job, said: Said, *, is_bundle: bool) -> tuple[Effects, tuple[Step, ...]]:
    """What its list and the rules make of a package, and what each rule did; the rules have the last word."""
    settings = said.settings
    rules = job.file.rules
    held = _held(evaluated, rules, "bundles" if is_bundle else "keys")
    holding = [rule for rule, holds in zip(rules, held, strict=True) if holds]
    last = {part: [rule for rule in holding if _given(rule, part)][-1:] for part in _SINGLE}

    def chosen(part: str) -> Rule | None:
        return last[part][0] if last[part] else None

    message, format_of, to, important, ways = (chosen(part) for part in _SINGLE)
    usual = [way.called for way in job.file.deliver if not way.optional]
    of_contacts = {name for own in said.ways or ((),) for name in own or usual}
    wanted = said.by_hand or (ways.ways if ways else of_contacts)
    effects = Effects(
        skip=next((rule.skip for rule in holding if rule.skip is not None), None),
        hold=next((rule.hold for rule in holding if rule.hold is not None), None),
        message=message.message if message else settings.message or (job.message[0] if job.message else None),
        documents=_chosen(holding, job.file.package.documents, settings.documents),
        enclosures=_chosen(holding, job.file.package.enclose),
        format=format_of.format if format_of else settings.format,
        to=to.to if to else (),
        cc=tuple(dict.fromkeys(name for rule in holding for name in rule.cc)),
        bcc=tuple(dict.fromkeys(name for rule in holding for name in rule.bcc)),
        important=bool(important.important) if important else False,
        ways=tuple(at for at, way in enumerate(job.file.deliver) if way.called in wanted),
        ways_for_all=bool(said.by_hand) or ways is not None,
    )
    return effects, tuple(_step(rule, holds, holding) for rule, holds in zip(rules, held, strict=True))


def _held(evaluated: Evaluated, rules: tuple[Rule, ...], kind: str) -> list[bool | None]:
    """Whether each rule holds; one that is for all others holds where no rule above it does."""
    found: list[bool | None] = []
    for rule, condition in zip(rules, evaluated.conditions, strict=True):
        is_meant = rule.applies in (kind, "all")
        found.append(is_meant and (not any(found) if rule.when is None else condition))
    return found


def _chosen(
    holding: list[Rule], specs: Sequence[DocumentSpec | Enclosure], wanted: Sequence[str] = ()
) -> tuple[int, ...]:
    """The numbers of those that go: the wanted or else the usual ones, as rules add and drop them."""
    chosen = {index for index, spec in enumerate(specs) if (spec.called & set(wanted) if wanted else not spec.optional)}
    for rule in holding:
        chosen |= {index for index, spec in enumerate(specs) if spec.called & set(rule.add)}
        chosen -= {index for index, spec in enumerate(specs) if spec.called & set(rule.drop)}
    return tuple(sorted(chosen))


def _given(rule: Rule, part: str) -> bool:
    return getattr(rule, part) not in (None, ())


def _step(rule: Rule, held: bool | None, holding: list[Rule]) -> Step:
    if not held:
        return Step(rule=rule.name, held=held)
    later = holding[holding.index(rule) + 1 :]
    return Step(
        rule=rule.name, held=True, changes=tuple(_words(rule)), overridden=tuple(_overridden(rule, later, holding))
    )


def _words(rule: Rule) -> Iterator[str]:
    """What a rule says of a package, part by part."""
    for part in ("skip", "hold", "message", "add", "drop", "format", "to", "cc", "bcc", "ways"):
        if _given(rule, part):
            value = getattr(rule, part)
            yield f"{_CALLED.get(part, part)}: {value if isinstance(value, str) else ', '.join(value)}"
    if rule.important is not None:
        yield "important" if rule.important else "not important"


_CALLED = {"format": "as", "ways": "way"}


def _overridden(rule: Rule, later: list[Rule], holding: list[Rule]) -> Iterator[str]:
    for part in _SINGLE:
        by = [other.name for other in later if _given(other, part)]
        if _given(rule, part) and by:
            yield f"{_CALLED.get(part, part)}, by '{by[-1]}'"
    for part, against in (("add", "drop"), ("drop", "add")):
        names = set(getattr(rule, part))
        by = [other.name for other in later if names & set(getattr(other, against))]
        if by:
            yield f"{part}, by '{by[-1]}'"
    skips = [other for other in holding if other.skip is not None]
    if skips and rule not in skips:
        yield f"everything, by '{skips[0].name}'"
