"""Who of a key's contacts is written to: by role, with alternates; each by themselves, or all in one message."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import groupby

from gonnet.jobs.people import RecipientList
from gonnet.recipients.addresses import Address
from gonnet.recipients.roll import Recipient
from gonnet.wording.differing import Differing

_SHOWN = 3


def arranged(people: Sequence[Recipient], spec: RecipientList) -> tuple[Recipient, ...]:
    """The lines of a list as those who get messages, key by key in the order of the list.

    Args:
        people: Every line of the list.
        spec: How the job uses it.
    """
    if spec.roles is None and not spec.together:
        return tuple(people)
    order = {key: at for at, key in enumerate(dict.fromkeys(person.key for person in people))}
    found: list[Recipient] = []
    for _, lines in groupby(sorted(people, key=lambda person: order[person.key]), key=lambda person: person.key):
        chosen = list(_by_role(list(lines), spec))
        found += [as_one(chosen)] if spec.together and chosen else chosen
    return tuple(found)


def _by_role(lines: Sequence[Recipient], spec: RecipientList) -> Iterator[Recipient]:
    """The lines of one key that are written to, with those in copy."""
    if spec.roles is None or spec.role is None:
        yield from lines
        return
    by_role: dict[str, list[Recipient]] = {}
    for line in lines:
        by_role.setdefault(_plain(line.fields.get(spec.role)), []).append(line)
    usable = {role: [line for line in found if line.to and not line.problem] for role, found in by_role.items()}
    wanted = next((role for role in map(_plain, spec.roles.to) if usable.get(role)), None)
    if wanted is None:
        yield _nobody(lines, spec.roles.to, spec.role)
        return
    cc, bcc = (_addresses(usable, names) for names in (spec.roles.cc, spec.roles.bcc))
    for line in usable[wanted]:
        yield replace(line, cc=(*line.cc, *cc), bcc=(*line.bcc, *bcc))


def _nobody(lines: Sequence[Recipient], wanted: Sequence[str], column: str) -> Recipient:
    """A contact without address: nobody on the list is one to write to, and whoever releases it must say who is."""
    there = [f"{person.to[0].mailbox} ({person.fields.get(column) or 'no role'})" for person in lines if person.to]
    known = f"; the list has {', '.join(there[:_SHOWN])}" + (" …" if len(there) > _SHOWN else "") if there else ""
    problem = f"no contact with a usable address who is {', else '.join(wanted)}{known}"
    return replace(lines[0], to=(), cc=(), bcc=(), problem=problem)


def _addresses(usable: dict[str, list[Recipient]], names: Sequence[str]) -> tuple[Address, ...]:
    return tuple(address for name in names for line in usable.get(_plain(name), ()) for address in line.to)


def _plain(role: object) -> str:
    return str(role or "").strip().casefold()


def as_one(lines: Sequence[Recipient], *problems: str) -> Recipient:
    """One message for all of them, in the words for the first; held for the problems of any."""
    found = dict.fromkeys((*(line.problem for line in lines if line.problem), *problems))
    return replace(
        lines[0],
        to=_once(address for line in lines for address in line.to),
        cc=_once(address for line in lines for address in line.cc),
        bcc=_once(address for line in lines for address in line.bcc),
        problem="; ".join(found) or None,
    )


def at_one_address(lines: Sequence[Recipient], *problems: str) -> Recipient:
    """The lines that have one address, as one: what they agree in; the rest cannot be used, so that none is ignored.

    Args:
        lines: Those of one list with the same address.
        problems: What else speaks against them.
    """
    first, *others = lines
    if not others:
        return as_one(lines, *problems)
    if any(line.language != first.language for line in others):
        problems = (*problems, f"{_called(lines)} have one address and ask for different languages")
    found = as_one(lines, *problems)
    names = {line.name for line in lines}
    if len(names) > 1:  # the name of one of them would be ignored, or be shown to the others
        to = tuple(replace(address, display="") for address in found.to)
        found = replace(found, to=to, name=to[0].mailbox if to else first.source)
    return replace(found, fields={column: _agreed(column, lines) for column in first.fields})


def _agreed(column: str, lines: Sequence[Recipient]) -> object:
    value = lines[0].fields[column]
    if isinstance(value, Differing) or all(line.fields[column] == value for line in lines):
        return value
    return Differing(f"{_called(lines)} have one address and differ in '{column}'")


def _called(lines: Sequence[Recipient]) -> str:
    numbers = [str(line.line) for line in lines[:_SHOWN]]
    last = f"{len(lines) - _SHOWN} more" if len(lines) > _SHOWN else numbers.pop()
    return f"lines {', '.join(numbers)} and {last} of {lines[0].source}"


def _once(addresses: Iterator[Address]) -> tuple[Address, ...]:
    found: dict[str, Address] = {}
    for address in addresses:
        found.setdefault(address.identity, address)
    return tuple(found.values())
