"""Who of a key's contacts is written to: by role, with alternates; each by themselves, or all in one message."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import groupby

from gonnet.jobs.people import RecipientList
from gonnet.recipients.addresses import Address
from gonnet.recipients.roll import Recipient


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
        alternates = ", else ".join(spec.roles.to)
        yield replace(lines[0], problem=f"no contact with a usable address who is {alternates}")
        return
    cc, bcc = (_addresses(usable, names) for names in (spec.roles.cc, spec.roles.bcc))
    for line in usable[wanted]:
        yield replace(line, cc=(*line.cc, *cc), bcc=(*line.bcc, *bcc))


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


def _once(addresses: Iterator[Address]) -> tuple[Address, ...]:
    found: dict[str, Address] = {}
    for address in addresses:
        found.setdefault(address.identity, address)
    return tuple(found.values())
