"""Who may see more than one key, and what: several keys, every key of a group, or every key, as the list says.

Everything that an address may see by one list is one bundle. What a line may see is what it says and nothing else.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from gonnet.data import Engine
from gonnet.data.key_text import key_text
from gonnet.findings import Finding, Weight
from gonnet.jobs.people import RecipientList
from gonnet.recipients.contacts import at_one_address, numbered
from gonnet.recipients.matching import Addressed, near_misses
from gonnet.recipients.roll import Recipient, together
from gonnet.recipients.roster.seeing import Seen

EVERY = "*"
_APART = re.compile(r"[;,\n]")
_SHOWN = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Sight:
    """What lines of a list may see.

    Attributes:
        counts: Key → rows, of every key of the data.
        groups: Group → its keys; empty unless the list names groups.
        findings: What the operator should know of them.
        by_row: Row of a roster → what its line may see; None for lists of another kind.
    """

    counts: Mapping[str, int]
    groups: Mapping[str, Sequence[str]] = field(default_factory=dict)
    findings: tuple[Finding, ...] = ()
    by_row: Mapping[int, Seen] | None = None


def sight(
    engine: Engine,
    spec: RecipientList,
    counts: Mapping[str, int],
    *,
    where: str = "",
    by_row: Mapping[int, Seen] | None = None,
) -> Sight:
    """What there is for the lines of a list to see.

    A key is of a group when all of its rows are: one with rows of two groups, or with rows of none, is of none, so
    that nobody sees a row by guess.

    Args:
        engine: The engine, after the split.
        spec: The list.
        counts: Key → rows.
        where: What to name in an error.
        by_row: Row of a roster → what its line may see.

    Raises:
        DataError: the group's column cannot be used to tell groups apart.
    """
    if spec.group is None:
        return Sight(counts=counts, by_row=by_row)
    group = key_text(engine, "gonnet_rows", (spec.group,), where=where)
    rows = engine.query(
        f"""select gonnet_key, min({group}), count(distinct {group}) = 1 and count({group}) = count(*)
        from gonnet_rows where gonnet_key is not null group by 1 order by 1"""
    )
    groups: dict[str, list[str]] = {}
    astray = []
    for key, name, is_clear in rows:
        if is_clear:
            groups.setdefault(str(name), []).append(str(key))
        else:
            astray.append(str(key))
    return Sight(counts=counts, groups=groups, findings=tuple(_of_no_group(astray, spec.group)))


def _of_no_group(keys: Sequence[str], column: str) -> Iterator[Finding]:
    if keys:
        shown = ", ".join(keys[:_SHOWN]) + (" …" if len(keys) > _SHOWN else "")
        many = f"{len(keys)} key{'s have' if len(keys) > 1 else ' has'}"
        text = f"{many} rows with more than one '{column}', or none ({shown}): nobody sees them by it"
        yield Finding(weight=Weight.ATTENTION, text=text)


def bundles(people: Sequence[Recipient], spec: RecipientList, seen: Sight, taken: set[str]) -> tuple[Addressed, ...]:
    """A bundle for each address of a list, or for each line where it says so, in the order of the list.

    Args:
        people: The lines that are written to.
        spec: The list.
        seen: What they may see.
        taken: Names of packages that are given; those of the bundles are added.
    """
    by_address: dict[tuple[str, ...], list[Recipient]] = {}
    for person in people:
        mailboxes = tuple(sorted({address.identity for address in person.to}))
        place = f"{person.source}, line {person.line}"
        at = (*mailboxes, place) if spec.is_by_line else mailboxes or (place,)
        by_address.setdefault(at, []).append(person)
    reached = Counter(_reached(lines) for lines in by_address.values())
    return tuple(_bundle(_called(lines, seen, reached), lines, spec, seen, taken) for lines in by_address.values())


def _reached(lines: Sequence[Recipient]) -> str:
    """By its address; by whom it is for where nothing is mailed to them."""
    person = lines[0]
    if person.to:
        return "; ".join(sorted({address.identity for address in person.to}))
    is_named = not person.needs_address and person.name != person.key
    return person.name if is_named else f"{person.source}, line {person.line}"


def _called(lines: Sequence[Recipient], seen: Sight, reached: Mapping[str, int]) -> str:
    """What a bundle is called; with what its line may see, where another line has the same address."""
    called = _reached(lines)
    if reached[called] == 1 or seen.by_row is None:
        return called
    return f"{called} ({seen.by_row[lines[0].line].said})"


def _bundle(called: str, lines: Sequence[Recipient], spec: RecipientList, seen: Sight, taken: set[str]) -> Addressed:
    seen_by: dict[str, Recipient] = {}
    problems = []
    why = []
    for line in lines:
        if _names_every(line, spec) and not spec.everything:
            problems.append(
                f"line {line.line} of {line.source} says '{EVERY}', every key, which the job does not allow"
            )
        else:
            found = [key for key in _keys(line, spec, seen) if key in seen.counts]
            seen_by = dict.fromkeys(found, line) | seen_by
            why.append(f"line {line.line} of {line.source}: {_said(line, spec, seen, found)}")
    # A line of which no key has rows says nothing of this package.
    seeing = [line for line in lines if any(line is other for other in seen_by.values())]
    contact = at_one_address(seeing or lines, *problems)
    settings = [line.settings or spec.settings for line in lines]
    if any(one != settings[0] for one in settings):
        what = "have one address and ask for different formats, documents or messages"
        contact = replace(contact, problem=together((contact.problem, f"{numbered(lines)} {what}")))
    keys = list(seen_by)
    return Addressed(
        key=_name(called, lines[0].source, taken),
        rows=sum(seen.counts[key] for key in keys),
        contacts=(contact,),
        odd=(f"{len(keys)} key{'s' if len(keys) != 1 else ''} in one package",),
        keys=tuple(sorted(keys)),
        why=tuple(why),
        seen_by=seen_by,
        bundle=spec.bundled,
        settings=settings[0],
    )


def _said(line: Recipient, spec: RecipientList, seen: Sight, found: Sequence[str]) -> str:
    """What a line says that it may see."""
    many = f"{len(found)} key{'s' if len(found) != 1 else ''} with rows"
    if seen.by_row is not None:
        return f"{seen.by_row[line.line].said}, {many}"
    if spec.group is not None:
        return f"{spec.group} {line.key}, {many}"
    if spec.keys is None:
        return f"key {line.key}" + ("" if found else ", which has no rows")
    return f"{'every key' if _names_every(line, spec) else line.key}, {many}"


def _name(called: str, source: str, taken: set[str]) -> str:
    """What the bundle is called, with the list where that is taken."""
    name, number = called, 1
    while name in taken:
        name = f"{called} ({source})" if number == 1 else f"{called} ({source} {number})"
        number += 1
    taken.add(name)
    return name


def _names_every(line: Recipient, spec: RecipientList) -> bool:
    return spec.keys is not None and EVERY in _listed(line.key)


def _keys(line: Recipient, spec: RecipientList, seen: Sight) -> Iterable[str]:
    """The keys that a line may see, whether they have rows or not."""
    if seen.by_row is not None:
        return seen.by_row[line.line].keys
    if spec.group is not None:
        return seen.groups.get(line.key, ())
    if spec.keys is None:
        return (line.key,)
    if _names_every(line, spec):
        return seen.counts
    return (line.key,) if line.key in seen.counts else _listed(line.key)


def _listed(cell: str) -> list[str]:
    return [part.strip() for part in _APART.split(cell) if part.strip()]


def without_rows(people: Sequence[Recipient], spec: RecipientList, seen: Sight) -> Iterator[Finding]:
    """Findings about keys and groups that lines of a list name and the data do not have, near misses first."""
    known: Mapping[str, object] = seen.groups if spec.group is not None else seen.counts
    named: dict[str, int] = {}
    for line in people:
        parts = (line.key,) if spec.group is not None or line.key in known else _listed(line.key)
        for part in parts:
            if part not in known and part != EVERY:
                named.setdefault(part, line.line)
    near = dict(near_misses(named, known))
    what = "group" if spec.group is not None else "key"
    source = people[0].source if people else ""
    for name in sorted(named, key=lambda name: name not in near):
        hint = f"; the data have '{near[name]}': is that meant?" if name in near else ""
        text = f"line {named[name]} of {source} names {what} '{name}', which has no rows{hint}"
        yield Finding(weight=Weight.ATTENTION if hint else Weight.NOTE, text=text)
