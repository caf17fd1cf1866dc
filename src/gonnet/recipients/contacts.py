"""Who of a key's contacts is written to: by role, with alternates; each by themselves, or all in one message."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import groupby

from gonnet.jobs.people import RecipientList
from gonnet.recipients.addresses import Address
from gonnet.recipients.roll import NO_ADDRESS, Recipient, together
from gonnet.recipients.ways import filled, listed
from gonnet.wording.differing import Differing

_SHOWN = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Contact:
    """A line of a list for a key, whether it is written to or not.

    Attributes:
        person: The line.
        role: What the list says that they are; empty where it has no roles.
        use: What becomes of it: `to`, `cc` or `bcc`; empty where it gets nothing.
        why_not: Why it gets nothing.
    """

    person: Recipient
    role: str
    use: str
    why_not: str


def contacts_of(
    people: Sequence[Recipient], aside: Sequence[Recipient], spec: RecipientList
) -> dict[str, tuple[Contact, ...]]:
    """Key → every line of a list for it, in the order of the list.

    Args:
        people: The lines for which its condition holds.
        aside: Those that it leaves out.
        spec: How the job uses it.
    """
    found: dict[str, list[Contact]] = {}
    of_key: dict[str, list[Recipient]] = {}
    for person in people:
        of_key.setdefault(person.key, []).append(person)
    for lines in of_key.values():
        wanted = _wanted(_usable(lines, spec), spec)
        for person in lines:
            use, why_not = _use(person, spec, wanted)
            found.setdefault(person.key, []).append(_contact(person, spec, use, why_not))
    for person in aside:
        why = "the list leaves it out: its line does not meet `where`"
        found.setdefault(person.key, []).append(_contact(person, spec, "", why))
    return {key: tuple(sorted(mine, key=lambda one: one.person.line)) for key, mine in found.items()}


def _contact(person: Recipient, spec: RecipientList, use: str, why_not: str) -> Contact:
    role = str(person.fields.get(spec.role) or "") if spec.role is not None else ""
    return Contact(person=person, role=role.strip(), use=use, why_not=why_not)


def _use(person: Recipient, spec: RecipientList, wanted: str | None) -> tuple[str, str]:
    """What becomes of a line, and why it gets nothing."""
    if not person.is_reachable:
        return "", person.obstacle or NO_ADDRESS
    if spec.roles is None or spec.role is None:
        return "to", ""
    mine = _roles_in(person.fields.get(spec.role))
    if wanted is not None and wanted in mine:
        return "to", ""
    for use, names in (("cc", spec.roles.cc), ("bcc", spec.roles.bcc)):
        if mine.intersection(map(_plain, names)):
            return use, ""
    if mine.intersection(map(_plain, spec.roles.to)):
        return "", f"'{wanted}' goes before"
    return "", "nobody asks for this role" if mine else "it has no role"


def with_values(spec: RecipientList, values: Mapping[str, object]) -> RecipientList:
    """The list with the roles and ways that parameters name (`$role`) in their place."""
    settings = spec.settings.model_copy(update={"ways": filled(spec.settings.ways, values)})
    if spec.roles is None:
        return spec.model_copy(update={"settings": settings})
    every = {part: filled(getattr(spec.roles, part), values) for part in ("to", "cc", "bcc")}
    return spec.model_copy(update={"settings": settings, "roles": spec.roles.model_copy(update=every)})


def roles_in(people: Sequence[Recipient], spec: RecipientList) -> frozenset[str]:
    """The roles that lines of a list have, as they are compared."""
    if spec.role is None:
        return frozenset()
    return frozenset(role for person in people for role in _roles_in(person.fields.get(spec.role)))


def arranged(people: Sequence[Recipient], spec: RecipientList) -> tuple[Recipient, ...]:
    """The lines of a list as those who get messages, key by key in the order of the list.

    Args:
        people: The lines for which its condition holds.
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
    usable = _usable(lines, spec)
    wanted = _wanted(usable, spec)
    if wanted is None:
        yield _nobody(lines, spec.roles.to, spec.role)
        return
    mine = {address.identity for line in usable[wanted] for address in line.to}
    cc, bcc = (_addresses(usable, names, mine) for names in (spec.roles.cc, spec.roles.bcc))
    for line in usable[wanted]:
        yield replace(line, cc=(*line.cc, *cc), bcc=(*line.bcc, *bcc))


def _usable(lines: Sequence[Recipient], spec: RecipientList) -> dict[str, list[Recipient]]:
    """Role → the lines with a usable address that have it, maybe among others."""
    found: dict[str, list[Recipient]] = {}
    if spec.role is None:
        return found
    for line in lines:
        if line.is_reachable:
            for role in _roles_in(line.fields.get(spec.role)):
                found.setdefault(role, []).append(line)
    return found


def _wanted(usable: dict[str, list[Recipient]], spec: RecipientList) -> str | None:
    """The first role that is written to and that somebody usable has; None where nobody has one."""
    if spec.roles is None:
        return None
    return next((role for role in map(_plain, spec.roles.to) if usable.get(role)), None)


def _roles_in(cell: object) -> frozenset[str]:
    """The roles that a cell names, as they are compared."""
    return frozenset(map(_plain, listed(cell)))


def _nobody(lines: Sequence[Recipient], wanted: Sequence[str], column: str) -> Recipient:
    """A contact without address: nobody on the list is one to write to, and whoever releases it must say who is."""
    there = [f"{person.to[0].mailbox} ({person.fields.get(column) or 'no role'})" for person in lines if person.to]
    known = f"; the list has {', '.join(there[:_SHOWN])}" + (" …" if len(there) > _SHOWN else "") if there else ""
    problem = f"no contact with a usable address who is {', else '.join(wanted)}{known}"
    return replace(lines[0], to=(), cc=(), bcc=(), unaddressed=problem)


def _addresses(usable: dict[str, list[Recipient]], names: Sequence[str], but: set[str]) -> tuple[Address, ...]:
    """The addresses of those who have some roles, without those who are written to already."""
    found = (address for name in names for line in usable.get(_plain(name), ()) for address in line.to)
    return tuple(address for address in found if address.identity not in but)


def _plain(role: object) -> str:
    return str(role or "").strip().casefold()


def as_one(lines: Sequence[Recipient], *problems: str) -> Recipient:
    """One message for all of them, in the words for the first; held for the problems of any."""
    if any(line.ways != lines[0].ways for line in lines):
        problems = (*problems, f"{numbered(lines)} get one package and ask for different ways")
    return replace(
        lines[0],
        to=_once(address for line in lines for address in line.to),
        cc=_once(address for line in lines for address in line.cc),
        bcc=_once(address for line in lines for address in line.bcc),
        certificates=tuple(dict.fromkeys(text for line in lines for text in line.certificates)),
        problem=together((*(line.problem for line in lines), *problems)),
        unaddressed=together(line.unaddressed for line in lines),
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
        problems = (*problems, f"{numbered(lines)} have one address and ask for different languages")
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
    return Differing(f"{numbered(lines)} have one address and differ in '{column}'")


def numbered(lines: Sequence[Recipient]) -> str:
    """Lines of a list by their numbers, in words."""
    numbers = [str(line.line) for line in lines[:_SHOWN]]
    last = f"{len(lines) - _SHOWN} more" if len(lines) > _SHOWN else numbers.pop()
    return f"lines {', '.join(numbers)} and {last} of {lines[0].source}"


def _once(addresses: Iterator[Address]) -> tuple[Address, ...]:
    found: dict[str, Address] = {}
    for address in addresses:
        found.setdefault(address.identity, address)
    return tuple(found.values())
