"""Bringing slices and recipients together, and saying what did not meet."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from gonnet.findings import Finding, Weight
from gonnet.jobs.people import Bundle, Settings
from gonnet.recipients.contacts import Contact, at_one_address
from gonnet.recipients.roll import Recipient
from gonnet.remembering import SeenTexts

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
    shared: Mapping[str, int] | None = None,
) -> tuple[Addressed, ...]:
    """Every key of the data and of the list once, in key order, each with its contacts.

    The same address twice for one key counts once.

    Args:
        counts: Key → rows.
        people: The lines that are written to.
        settings: What each list says of everybody on it; a key has those of its first contact.
        known: Key → every line of the lists for it, whether it is written to or not.
        shared: Address that several keys have → how many, where there are more people than these.
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
    if shared is None:
        sharing = Sharing()
        sharing.see(people)
        shared = sharing.found
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


class Sharing:
    """Addresses that several keys have.

    Attributes:
        found: Address → how many keys have it, of those that more than one has.
    """

    def __init__(self) -> None:
        self.found: dict[str, int] = {}
        self._seen = SeenTexts()

    def see(self, people: Iterable[Recipient]) -> None:
        """Some people: all of a key at once."""
        keys: defaultdict[str, set[str]] = defaultdict(set)
        for person in people:
            for address in person.to:
                keys[address.identity].add(person.key)
        for identity, mine in keys.items():
            if not self._seen.add(identity):
                self.found[identity] = self.found.get(identity, 1) + len(mine)
            elif len(mine) > 1:
                self.found[identity] = len(mine)


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


class Unmatched:
    """Keys and recipients that do not meet."""

    def __init__(self) -> None:
        self._unknown: list[tuple[str, int]] = []
        self._aside = _Few()
        self._idle = _Few()

    def see(self, part: Addressed) -> None:
        """One key, with whoever gets its rows."""
        if part.is_left_out:
            self._aside.add(part)
        elif not part.contacts:
            self._unknown.append((part.key, part.rows))
        elif not part.rows:
            self._idle.add(part)

    def findings(self, known: Callable[[], Iterable[str]]) -> Iterator[Finding]:
        """What the operator should know of them, near misses first.

        Args:
            known: Gives the keys that somebody is on the list for; asked only if one is not.
        """
        unknown = [key for key, _ in self._unknown]
        near = dict(near_misses(unknown, known())) if unknown else {}
        for key, rows in sorted(self._unknown, key=lambda one: one[0] not in near):
            hint = f"; the list has '{near[key]}': is that meant?" if key in near else ""
            text = f"nobody on the list has key '{key}' ({rows} row{'s' if rows != 1 else ''}){hint}"
            yield Finding(weight=Weight.ATTENTION, text=text, key=key)
        if self._aside.count:
            many = "1 key with rows is" if self._aside.count == 1 else f"{self._aside.count} keys with rows are"
            more = " …" if self._aside.count > _TOGETHER else ""
            yield Finding(weight=Weight.NOTE, text=f"{many} left out by the list's `where`: {self._aside.keys}{more}")
        if self._idle.count > _TOGETHER:
            text = f"{self._idle.count} keys of the list have no rows: {self._idle.keys} …"
            yield Finding(weight=Weight.NOTE, text=text)
            return
        for part in self._idle.first:
            text = f"{part.name} ({part.key}) is on the list, but has no rows"
            yield Finding(weight=Weight.NOTE, text=text, key=part.key)


class _Few:
    """The first of many, and how many there are."""

    def __init__(self) -> None:
        self.count = 0
        self.first: list[Addressed] = []

    def add(self, part: Addressed) -> None:
        self.count += 1
        if self.count <= _TOGETHER:
            self.first.append(part)

    @property
    def keys(self) -> str:
        return ", ".join(part.key for part in self.first)


def near_misses(unknown: Iterable[str], known: Iterable[str]) -> Iterator[tuple[str, str]]:
    """Pairs of an unknown and a known key that are equal but for case, blanks, separators, leading zeros or coding."""
    sought = {key: _bare(key) for key in unknown}
    wanted = frozenset(sought.values())
    by_form: dict[str, str] = {}
    for key in known:
        if (form := _bare(key)) in wanted:
            by_form.setdefault(form, key)
    for key, form in sought.items():
        if form in by_form:
            yield key, by_form[form]


def _bare(key: str) -> str:
    joined = _EDGE.sub("", unicodedata.normalize("NFKC", key).casefold())
    return joined.lstrip("0") or joined
