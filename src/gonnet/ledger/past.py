"""What each recipient of a job was sent before: in other runs, and in other runs of the same cycle."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from itertools import groupby
from operator import itemgetter
from typing import NamedTuple

from sqlalchemy import Connection, Subquery, func, select

from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import schema
from gonnet.ledger.records import HandOverRecord, PackageRecord, RunRecord
from gonnet.ledger.same import same
from gonnet.ledger.states import LETTERS, TAKEN, HandOverKind, HandOverState, Purpose

_runs, _packages, _parts = schema.runs.c, schema.packages.c, schema.hand_overs.c
_AT_ONCE = 5_000  # rows


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """What one key of a job was last sent, by mail, on paper or into a folder.

    Attributes:
        times: In how many runs it was sent something.
        at: When the last of it left.
        message: Which message it was; empty where there was none.
        figures: The figures of then.
        contents: SHA-256 of what each document showed, in order.
    """

    times: int
    at: dt.datetime
    message: str
    figures: Mapping[str, str]
    contents: tuple[str, ...]


def sent_before(work: Connection, job: str) -> Iterator[tuple[str, Sent]]:
    """What every key was last sent in regular runs of `job`, with the key as `same` spells it, one by one."""
    last = (
        select(
            _packages.same_key,
            func.count(_packages.id.distinct()).label("times"),
            func.max(_packages.id).label("id"),
        )
        .join(schema.runs, _runs.id == _packages.run_id)
        .join(schema.hand_overs, _parts.package_id == _packages.id)
        .where(_runs.job == job, _runs.purpose == Purpose.REGULAR)
        .where(_parts.purpose == Purpose.REGULAR, _parts.state.in_(LETTERS))
        .group_by(_packages.same_key)
        .subquery()
    )
    message = schema.messages.c
    query = (
        select(
            _packages.id,
            _packages.same_key,
            last.c.times,
            func.max(_parts.at).label("at"),
            func.min(message.called).label("called"),
            _packages.figures,
        )
        .join(last, last.c.id == _packages.id)
        .join(schema.hand_overs, _parts.package_id == _packages.id)
        .outerjoin(schema.messages, message.package_id == _packages.id)
        .where(_parts.state.in_(LETTERS), _parts.purpose != Purpose.TRIAL)
        .group_by(_packages.id, last.c.times)
        .order_by(_packages.id)
    )
    shown = _Shown(work, last)
    for row in work.execute(query.execution_options(yield_per=_AT_ONCE)):
        yield (
            row.same_key,
            Sent(
                times=row.times,
                at=dt.datetime.fromisoformat(row.at),
                message=row.called or "",
                figures=row.figures,
                contents=shown.by(row.id),
            ),
        )


class _Shown:
    """What the documents of packages showed, asked for in the order of the packages."""

    def __init__(self, work: Connection, last: Subquery) -> None:
        document = schema.documents.c
        query = select(document.package_id, document.content).join(last, last.c.id == document.package_id)
        query = query.where(document.content != "")  # a zip shows what its files show
        query = query.order_by(document.package_id, document.id)
        rows = work.execute(query.execution_options(yield_per=_AT_ONCE))
        self._parts = groupby(rows, key=itemgetter(0))
        self._next = next(self._parts, None)

    def by(self, package: int) -> tuple[str, ...]:
        """SHA-256 of what each document of a package showed."""
        while self._next is not None and self._next[0] < package:
            self._next = next(self._parts, None)
        if self._next is None or self._next[0] != package:
            return ()
        return tuple(content for _, content in self._next[1])


class Earlier(NamedTuple):
    """What left for one key in one other run of the same cycle."""

    run: int
    is_whole: bool
    targets: frozenset[tuple[TargetKind, str, str]]


@dataclass(frozen=True, slots=True)
class TakenElsewhere:
    """What left, or may have left, in other regular runs of the same job and cycle.

    A key is known as `same` spells it, with what else makes it the same.

    Attributes:
        whole: Key → the newest run in which all of it left, unless a part of it left in a newer one: as of nearly all.
        parted: Other keys → what left for them, the newest run first.
    """

    whole: dict[str, int] = field(default_factory=dict)
    parted: dict[str, list[Earlier]] = field(default_factory=dict)

    def __bool__(self) -> bool:
        """Whether anything did."""
        return bool(self.whole or self.parted)

    def add(self, key: str, one: Earlier) -> None:
        """What left for a key in an older run than all that is known of it."""
        if key in self.whole or not one.targets:
            return
        if one.is_whole and key not in self.parted:
            self.whole[key] = one.run
        else:
            self.parted.setdefault(key, []).append(one)

    def of(self, package: PackageRecord, part: HandOverRecord) -> int | None:
        """The run in which a hand-over of a package left, or may have; None where it did not.

        Where everything of a package left, its key has what it is to get, whatever its addresses are now. Where only
        a part of it left, that part alone is taken.
        """
        key = known_as(same(package.key), package.once)
        if (number := self.whole.get(key)) is not None:
            return number
        for earlier in self.parted.get(key, ()):
            if earlier.is_whole or _place(part.target) in earlier.targets:
                return earlier.run
        return None


def known_as(spelt: str, once: str) -> str:
    """What a key is known by, with what else makes it the same."""
    return f"{spelt}\0{once}"


def _place(target: Target) -> tuple[TargetKind, str, str]:
    return target.kind, same(target.name), target.place


def taken_elsewhere(work: Connection, run: RunRecord) -> TakenElsewhere:
    """What left in other regular runs of the same job and cycle; drafts count when somebody says they were sent."""
    query = (
        select(
            _packages.same_key,
            _packages.once,
            _packages.id,
            _packages.run_id,
            *(_parts.target_kind, _parts.target, _parts.place, _parts.state, _parts.kind),
        )
        .join(schema.packages, _packages.id == _parts.package_id)
        .join(schema.runs, _runs.id == _packages.run_id)
        .where(_runs.job == run.job, _runs.cycle == run.cycle, _runs.id != run.id, _runs.purpose == Purpose.REGULAR)
        .where(_parts.purpose == Purpose.REGULAR, _parts.state != HandOverState.CLOSED)
        .order_by(_packages.id.desc())
    )
    taken = TakenElsewhere()
    rows = work.execute(query.execution_options(yield_per=_AT_ONCE))
    for (spelt, once, _, number), parts in groupby(rows, key=lambda row: row[:4]):
        targets, is_whole = set[tuple[TargetKind, str, str]](), True
        for kind, name, place, state, what in (row[4:] for row in parts):
            is_draft = what == HandOverKind.DRAFT and state == HandOverState.DRAFTED
            if state in TAKEN and not is_draft:
                targets.add(_place(Target(TargetKind(kind), name, place)))
            else:
                is_whole = False
        taken.add(known_as(spelt, once), Earlier(number, is_whole, frozenset(targets)))
    return taken
