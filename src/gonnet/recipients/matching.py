"""Bringing slices and recipients together, and saying what did not meet."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from gonnet.findings import Finding, Weight
from gonnet.jobs.people import Bundle, Settings
from gonnet.recipients.contacts import Contact, at_one_address
from gonnet.recipients.roll import Recipient

_NO_SETTINGS = Settings()
_TOGETHER = 5  # keys without rows, before they are told in one line
_EDGE = re.compile(r"[\s\-_./]+")


@dataclass(frozen=True, slots=True, kw_only=True)
class Addressed:
    """What is to be one package: a key with everybody who is to get its rows, or an address with its keys.

    Attributes:
        key: The key; of a bundle, its address.
        rows: Rows of its slice; 0 where the list knows a key that the data does not.
        contacts: Its lines of the list, in list order; empty where nobody is known.
        odd: What a reviewer should see about it.
        keys: The keys that it brings together, in order; empty for what is of one key.
        why: Why these, line by line of the list.
        seen_by: Key → the line by which the address sees it; empty for what is of one key.
        bundle: How they arrive; None for what is of one key.
        known: Every line of the lists for the key, whether it is written to or not.
        is_left_out: Whether a list has the key only in lines that its condition leaves out.
        settings: What its list says of everybody on it.
    """

    key: str
    rows: int
    contacts: tuple[Recipient, ...]
    odd: tuple[str, ...]
    keys: tuple[str, ...] = ()
    why: tuple[str, ...] = ()
    seen_by: Mapping[str, Recipient] = field(default_factory=dict)
    bundle: Bundle | None = None
    known: tuple[Contact, ...] = ()
    is_left_out: bool = False
    settings: Settings = _NO_SETTINGS

    @property
    def slices(self) -> tuple[str, ...]:
        """The keys whose rows it has."""
        return self.keys if self.bundle is not None else (self.key,)

    @property
    def language(self) -> str | None:
        """The locale of what is made for the key: that of its first line; None where nobody is known."""
        return self.contacts[0].language if self.contacts else None

    @property
    def ways(self) -> tuple[str, ...]:
        """The ways by which its contacts get it, each once; empty where all of them get it by the usual ones."""
        return tuple(dict.fromkeys(way for person in self.contacts for way in person.ways))

    @property
    def name(self) -> str:
        """How the recipient is called; the key where nobody is known."""
        return self.contacts[0].name if self.contacts else self.key


def match(
    counts: Mapping[str, int],
    people: Sequence[Recipient],
    settings: Sequence[Settings] = (_NO_SETTINGS,),
    known: Mapping[str, tuple[Contact, ...]] = MappingProxyType({}),
) -> tuple[Addressed, ...]:
    """Every key of the data and of the list once, in key order, each with its contacts.

    The same address twice for one key counts once.

    Args:
        counts: Key → rows.
        people: The lines that are written to.
        settings: What each list says of everybody on it; a key has those of its first contact.
        known: Key → every line of the lists for it, whether it is written to or not.
    """
    contacts: defaultdict[str, list[Recipient]] = defaultdict(list)
    doubled: Counter[str] = Counter()
    for person in people:
        so_far = contacts[person.key]
        seen = {identity: at for at, known in enumerate(so_far) for identity in _identities(known)}
        if not person.to or _identities(person) - seen.keys():
            so_far.append(person)
            continue
        doubled[person.key] += 1
        at = min(seen[identity] for identity in _identities(person))
        if so_far[at].listed == person.listed:  # an earlier list goes before a later one
            so_far[at] = _with_another_line(so_far[at], person)
    shared = _shared(people)
    found = []
    for key in sorted({*counts, *contacts}):
        mine = tuple(contacts.get(key, ()))
        odd = tuple(_odd(key, mine, doubled[key], shared))
        own = settings[mine[0].listed] if mine else _NO_SETTINGS
        part = Addressed(
            key=key,
            rows=counts.get(key, 0),
            contacts=mine,
            odd=odd,
            settings=own,
            known=known.get(key, ()),
            is_left_out=not mine and key in known,
        )
        found.append(part)
    return tuple(found)


def _identities(person: Recipient) -> set[str]:
    return {address.identity for address in person.to}


def _with_another_line(known: Recipient, person: Recipient) -> Recipient:
    """A contact after another line of the list for it was read, which adds no address that is written to."""
    found = at_one_address([known, person])
    return replace(found, to=tuple(address for address in found.to if address.identity in _identities(known)))


def _shared(people: Iterable[Recipient]) -> dict[str, int]:
    keys: defaultdict[str, set[str]] = defaultdict(set)
    for person in people:
        for address in person.to:
            keys[address.identity].add(person.key)
    return {address: len(found) for address, found in keys.items() if len(found) > 1}


def _odd(key: str, contacts: Sequence[Recipient], doubled: int, shared: Mapping[str, int]) -> Iterator[str]:
    if doubled:
        yield f"the list has the same address {doubled + 1} times for this key; it counts once"
    if len(contacts) > 1:
        yield f"{len(contacts)} contacts, a message each"
    for address in dict.fromkeys(address.identity for person in contacts for address in person.to):
        if not address.isascii():
            yield f"needs a mail server with SMTPUTF8: {address}"
        if address in shared:
            yield f"{address} also stands for {shared[address] - 1} other key{'s' if shared[address] > 2 else ''}"


def unmatched(addressed: Sequence[Addressed], *, has_list: bool) -> Iterator[Finding]:
    """Findings about keys and recipients that did not meet, near misses first."""
    if not has_list:
        return
    unknown = [part for part in addressed if not part.contacts and not part.is_left_out]
    aside = [part.key for part in addressed if part.is_left_out]
    idle = [part for part in addressed if part.contacts and not part.rows]
    near = dict(near_misses([part.key for part in unknown], [part.key for part in addressed if part.contacts]))
    for part in sorted(unknown, key=lambda part: part.key not in near):
        hint = f"; the list has '{near[part.key]}': is that meant?" if part.key in near else ""
        rows = f"{part.rows} row{'s' if part.rows != 1 else ''}"
        yield Finding(
            weight=Weight.ATTENTION, text=f"nobody on the list has key '{part.key}' ({rows}){hint}", key=part.key
        )
    if aside:
        keys = ", ".join(aside[:_TOGETHER]) + (" …" if len(aside) > _TOGETHER else "")
        many = "1 key with rows is" if len(aside) == 1 else f"{len(aside)} keys with rows are"
        yield Finding(weight=Weight.NOTE, text=f"{many} left out by the list's `where`: {keys}")
    if len(idle) > _TOGETHER:
        keys = ", ".join(part.key for part in idle[:_TOGETHER])
        yield Finding(weight=Weight.NOTE, text=f"{len(idle)} keys of the list have no rows: {keys} …")
        return
    for part in idle:
        yield Finding(
            weight=Weight.NOTE, text=f"{part.name} ({part.key}) is on the list, but has no rows", key=part.key
        )


def near_misses(unknown: Iterable[str], known: Iterable[str]) -> Iterator[tuple[str, str]]:
    """Pairs of an unknown and a known key that are equal but for case, blanks, separators, leading zeros or coding."""
    by_form: dict[str, str] = {}
    for key in known:
        by_form.setdefault(_bare(key), key)
    for key in unknown:
        if _bare(key) in by_form:
            yield key, by_form[_bare(key)]


def _bare(key: str) -> str:
    joined = _EDGE.sub("", unicodedata.normalize("NFKC", key).casefold())
    return joined.lstrip("0") or joined
