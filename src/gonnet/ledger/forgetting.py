"""Taking what names one recipient out of the ledger, on request: counts, digests and the chain of events stay true."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import JSON, Column, Connection, Table, Text, cast, select, update

from gonnet.ledger import chain, schema
from gonnet.ledger.bases import Base
from gonnet.ledger.failures import explained
from gonnet.ledger.reading import packages_where
from gonnet.ledger.records import HitRecord, PackageRecord
from gonnet.ledger.same import same
from gonnet.ledger.states import Purpose

GONE = "removed"
"""What stands in the place of a value."""

_LEAST = 4  # characters that a name has at least to be looked for in what is said of others
_NUMBERS = 60  # events that one event names
_AT_ONCE = 500  # values that a statement names
_package, _part, _event = schema.packages.c, schema.hand_overs.c, schema.events.c
_TOLD = ((schema.notices, ("subject", "text")), (schema.occurrences, ("reason",)), (schema.pauses, ("why",)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Remembered:
    """What a ledger has of one recipient.

    Attributes:
        key: The key.
        packages: Run → its packages.
        values: Names and addresses that nobody else has.
        bundles: Run → the keys of bundles of others that show rows of it.
    """

    key: str
    packages: Mapping[int, Sequence[PackageRecord]]
    values: frozenset[str]
    bundles: Mapping[int, Sequence[str]]

    @property
    def all(self) -> tuple[PackageRecord, ...]:
        """All packages."""
        return tuple(package for some in self.packages.values() for package in some)


class Forgetting:
    """Finds and takes out what one ledger has of a recipient.

    Args:
        base: Where it is.
        now: Gives the time, as it is written.
    """

    def __init__(self, base: Base, now: Callable[[], str]) -> None:
        self._base, self._engine, self.place, self._now = base, base.engine, base.place, now

    @explained
    def find(self, key: str) -> Remembered:
        """What there is of a key, in whatever case it is written."""
        with self._engine.connect() as work:
            rows = work.execute(select(_package.run_id, _package.id).where(_package.same_key == same(key))).all()
            numbers: dict[int, list[int]] = {}
            for run, number in rows:
                numbers.setdefault(run, []).append(number)
            packages = {
                run: packages_where(work, [_package.run_id == run, _package.id.in_(some)])
                for run, some in sorted(numbers.items())
            }
            own = [number for _, number in rows]
            values = {value for some in packages.values() for one in some for value in _values(one)}
            values -= set(work.scalars(select(_package.name).where(_package.id.not_in(own))))
            values -= set(work.scalars(select(_part.target).where(_part.package_id.not_in(own))))
            quoted = json.dumps(key)
            showing = select(_package.run_id, _package.key).where(cast(_package["keys"], Text).contains(quoted))
            bundles: dict[int, list[str]] = {}
            for run, name in work.execute(showing.order_by(_package.id)):
                bundles.setdefault(run, []).append(name)
        return Remembered(key=key, packages=packages, values=frozenset(values), bundles=bundles)

    @explained
    def files_of_others(self, known: Remembered, digests: set[str]) -> set[str]:
        """Of some files, those that packages of others have too."""
        own, found = [package.id for package in known.all], set[str]()
        with self._engine.connect() as work:
            for table in (schema.documents, schema.messages, schema.hand_overs):
                for at in range(0, len(ordered := sorted(digests)), _AT_ONCE):
                    some = table.c.sha256.in_(ordered[at : at + _AT_ONCE])
                    found |= set(work.scalars(select(table.c.sha256).where(some, table.c.package_id.not_in(own))))
        return found

    @explained
    def forget(self, known: Remembered, seal: Callable[[PackageRecord], str], who: str) -> None:
        """Take it out, all or nothing, and let nothing of it stay in the file.

        Args:
            known: What there is.
            seal: Gives the seal of a package as it is then.
            who: Who does it, for the record.
        """
        named = _naming(known)
        with self._engine.begin() as work:
            for run in work.scalars(select(schema.runs.c.id).order_by(schema.runs.c.id)).all():
                self._of_run(work, run, known, named, seal, who)
            for table, names in _TOLD:
                _clean(work, table, [table.c[name] for name in names], named)
        self._base.clear()

    def _of_run(
        self,
        work: Connection,
        run: int,
        known: Remembered,
        named: re.Pattern[str],
        seal: Callable[[PackageRecord], str],
        who: str,
    ) -> None:
        own = [package.id for package in known.packages.get(run, ())]
        numbers = _silence(work, run, own, named)
        table = schema.runs
        texts = [table.c[name] for name in ("findings", "unsearched", "reason", "only")]
        is_other = _clean(work, table, texts, named, run)
        changed = [*_emptied(work, run, own, seal), *_cleaned_hits(work, run, own, known.key, named)]
        if not (numbers or is_other or changed):
            return
        at = self._now()
        chain.add(work, [event for package in changed for event in _since(run, package, at, is_own=package.id in own)])
        for first in range(0, max(len(numbers), 1), _NUMBERS):
            some = " ".join(map(str, numbers[first : first + _NUMBERS]))
            chain.add_of_run(work, run, at, f"{SAID} by {who}, from events {some}".removesuffix(", from events "))


SAID = "values of a recipient were removed"
"""How the event begins that says so; it names the events that have no words since."""


def silenced_by(what: str) -> set[int]:
    """The events of which an event says that their words were removed."""
    if not what.startswith(SAID):
        return set()
    return {int(number) for number in what.rpartition(", from events ")[2].split() if number.isdecimal()}


def _values(package: PackageRecord) -> Iterator[str]:
    """Names and addresses of a recipient."""
    contacts = [value for one in package.contacts for value in (one.name, *one.to, *one.cc, *one.bcc)]
    written = [address for message in package.messages for address in message.to]
    yield from (value for value in (package.name, *contacts, *written) if len(value) >= _LEAST)


def _naming(known: Remembered) -> re.Pattern[str]:
    """Where a text names the recipient: by name, by address, or by the key where it stands as one."""
    key = re.escape(known.key)
    ways = [re.escape(value) for value in sorted(known.values, key=len, reverse=True)]
    ways += [rf"(?<=['\"(]){key}(?=['\")])", rf"(?<=package ){key}(?!\w)"]
    if len(known.key) > _LEAST:
        ways.append(rf"(?<!\w){key}(?!\w)")
    return re.compile("|".join(ways), re.IGNORECASE)


def _silence(work: Connection, run: int, own: Sequence[int], named: re.Pattern[str]) -> list[int]:
    """Take the words out of events about a recipient; the numbers of these events."""
    query = select(_event.id, _event.package_id, _event.salt, _event.what).where(_event.run_id == run)
    found = [
        {"number": number, "digest": chain.words(salt, what)}
        for number, package, salt, what in work.execute(query.where(_event.said.is_(None)).order_by(_event.id))
        if package in own or named.search(what)
    ]
    for one in found:
        silent = {"what": "", "salt": "", "said": one["digest"]}
        work.execute(update(schema.events).where(_event.id == one["number"]).values(**silent))
    return [int(one["number"]) for one in found]


def _emptied(
    work: Connection, run: int, own: Sequence[int], seal: Callable[[PackageRecord], str]
) -> list[PackageRecord]:
    """Empty the packages of a recipient; they, as they are then."""
    for number in own:
        lists: dict[str, Any] = {name: [] for name in ("odd", "steps", "keys", "hits", "contacts")}
        key = f"{GONE}-{number}"
        plain = {"key": key, "same_key": same(key), "name": "", "reason": "", "once": "", "figures": {}, "kept": {}}
        work.execute(update(schema.packages).where(_package.id == number).values(**plain, **lists))
    for table, values in (
        (schema.documents, {"name": GONE}),
        (schema.messages, {"subject": "", "to": [], "cc": [], "bcc": [], "files": []}),
        (schema.hand_overs, {"target": GONE, "place": "", "reply": "", "put_at": ""}),
    ):
        regular = table.c.purpose != Purpose.TRIAL if table is schema.hand_overs else table.c.id > 0
        work.execute(update(table).where(table.c.package_id.in_(own), regular).values(**values))
    emptied = packages_where(work, [_package.run_id == run, _package.id.in_(own)]) if own else ()
    found = [replace(package, seal=seal(package) if package.seal else "") for package in emptied]
    for package in found:
        work.execute(update(schema.packages).where(_package.id == package.id).values(seal=package.seal))
    return found


def _cleaned_hits(
    work: Connection, run: int, own: Sequence[int], key: str, named: re.Pattern[str]
) -> list[PackageRecord]:
    """Take a recipient's values out of what was found in packages of others, and of why they are held."""
    rows = work.execute(
        select(_package.id, cast(_package.hits, Text), _package.reason)
        .where(_package.run_id == run, _package.id.not_in(own))
        .order_by(_package.id)
    )
    numbers = []
    for number, hits, reason in rows.all():
        found = [HitRecord(*hit) for hit in json.loads(hits)]
        clean = [_cleaned_hit(hit, key, named) for hit in found]
        if clean != found or named.search(reason):
            values = {"hits": [list(hit) for hit in clean], "reason": named.sub(GONE, reason)}
            work.execute(update(schema.packages).where(_package.id == number).values(**values))
            numbers.append(number)
    return list(packages_where(work, [_package.run_id == run, _package.id.in_(numbers)])) if numbers else []


def _cleaned_hit(hit: HitRecord, key: str, named: re.Pattern[str]) -> HitRecord:
    if same(key) in (same(hit.value), same(hit.owner)) or named.search(hit.value):
        return hit._replace(value=GONE, owner=GONE, context="", spelled=GONE)
    return hit._replace(owner=named.sub(GONE, hit.owner), context=named.sub(GONE, hit.context))


def _since(run: int, package: PackageRecord, at: str, *, is_own: bool) -> Iterator[chain.Event]:
    """How a package, and what was handed over of it, stands since."""
    for part in package.hand_overs if is_own else ():
        if part.at is not None:
            came = chain.part_standing(part.state, part.refused, part.code, part.reply, part.put_at)
            yield chain.Event(at, GONE, run, package.id, part.id, standing=came)
    stands = chain.package_standing(package.state, package.reason)
    yield chain.Event(at, SAID, run, package.id, content=chain.content_of(package), standing=stands)


def _clean(
    work: Connection, table: Table, columns: Sequence[Column[Any]], named: re.Pattern[str], number: int = 0
) -> bool:
    """Take a recipient's values out of texts; whether there were any."""
    query, is_changed = select(table.c.id, *(cast(one, Text) for one in columns)), False
    for row, *texts in work.execute(query.where(table.c.id == number) if number else query).all():
        said = zip(columns, texts, strict=True)
        clean = {one.name: named.sub(GONE, text) for one, text in said if text and named.search(text)}
        if clean:
            is_json = {name: isinstance(table.c[name].type, JSON) for name in clean}
            values = {name: json.loads(text) if is_json[name] else text for name, text in clean.items()}
            work.execute(update(table).where(table.c.id == row).values(**values))
            is_changed = True
    return is_changed
