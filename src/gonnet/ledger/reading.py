"""From rows of the ledger's tables to values."""

from __future__ import annotations

import datetime as dt
import json
from array import array
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from typing import Any, TypeVar, overload

from sqlalchemy import ColumnElement, Connection, FromClause, Row, Select, Table, Text, cast, literal, select

from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import schema
from gonnet.ledger.records import (
    ContactRecord,
    DocumentRecord,
    HandOverRecord,
    HitRecord,
    MessageRecord,
    PackageRecord,
    RunRecord,
)
from gonnet.ledger.states import HandOverKind, HandOverState, Purpose, RunState, State

R = TypeVar("R")
_Reader = Callable[[Sequence[int]], Sequence[PackageRecord]]
_TOGETHER = 1_000  # rows
AT_ONCE = 500
"""Packages that are read together, where there are many."""


def _read(table: Table, *names: str, lists: Sequence[str] = (), of: FromClause | None = None) -> Select[Any]:
    """Columns of a table; last, where there are some, what is kept as JSON, as one list: it is taken apart at once."""
    columns = select(*(table.c[name] for name in names), *([_together(table, lists)] if lists else ()))
    return (columns if of is None else columns.select_from(table.join(of))).order_by(table.c.id)


def _together(table: Table, names: Sequence[str]) -> ColumnElement[str]:
    first, *more = [cast(table.c[name], Text) for name in names]
    found = literal("[").concat(first)
    for column in more:
        found = found.concat(",").concat(column)
    return found.concat("]")


# Each asks for columns in the order in which the function below takes a row apart: all at once, since a run has tens of
# thousands of rows and asking a row for one column after the other takes ten times as long. First of a part is the
# number of what it belongs to.
_PACKAGES = _read(
    schema.packages,
    *("id", "key", "name", "state", "prepared_as", "reason", "rows", "seal", "once"),
    lists=("figures", "odd", "keys", "steps", "hits", "contacts", "kept", "share"),
)
_DOCUMENTS = _read(
    schema.documents,
    *("package_id", "name", "report", "format", "sha256", "bytes", "pages", "rows", "content"),
    of=schema.packages,
)
_MESSAGES = _read(
    schema.messages,
    *("package_id", "id", "message_id", "called", "subject", "sender", "server", "sha256"),
    lists=("to", "cc", "bcc", "files"),
    of=schema.packages,
)
_HAND_OVERS = _read(
    schema.hand_overs,
    *("package_id", "id", "message_id", "purpose", "kind", "way", "target_kind", "target", "place", "existing"),
    *("sha256", "state", "refused", "code", "reply", "put_at", "at", "attempts"),
    of=schema.packages,
).where(schema.hand_overs.c.purpose != Purpose.TRIAL)


def packages_where(
    work: Connection, conditions: Sequence[ColumnElement[bool]], keys: Collection[str] = (), *, bare: bool = False
) -> tuple[PackageRecord, ...]:
    """The packages for which conditions hold, in the order in which they were made, each with all that belongs to it.

    Args:
        work: A connection.
        conditions: Over columns of the packages.
        keys: The keys that are wanted; all when empty.
        bare: Whether documents, messages and hand-overs are left out.
    """

    def parts(query: Select[Any], make: Callable[[tuple[Any, ...]], R]) -> dict[int, list[R]]:
        found: dict[int, list[R]] = {}
        for row in () if bare else work.execute(query.where(*conditions)):
            values = tuple(row)
            found.setdefault(values[0], []).append(make(values))
        return found

    documents, messages = parts(_DOCUMENTS, _document), parts(_MESSAGES, _message)
    carried = {message.id: message.message_id for part in messages.values() for message in part}
    hand_overs = parts(_HAND_OVERS, lambda row: _hand_over(row, carried))
    rows = (tuple(row) for row in work.execute(_PACKAGES.where(*conditions)))
    found = [row for row in rows if not keys or row[1] in keys]
    return tuple(_package(row, documents, messages, hand_overs) for row in _taken_apart(found))


class Packages(Sequence[PackageRecord]):
    """Many packages, of which each is read when it is looked at, as it is then.

    Args:
        numbers: Their numbers.
        read: Reads some of them.
        read_bare: The same without what belongs to them.
    """

    def __init__(self, numbers: array[int], read: _Reader, read_bare: _Reader | None = None) -> None:
        self._numbers, self._read, self._read_bare = numbers, read, read_bare or read

    def __len__(self) -> int:
        return len(self._numbers)

    def __iter__(self) -> Iterator[PackageRecord]:
        return self._all(self._read)

    def bare(self) -> Iterator[PackageRecord]:
        """All of them without documents, messages and hand-overs, which takes much less time."""
        return self._all(self._read_bare)

    @overload
    def __getitem__(self, at: int) -> PackageRecord: ...

    @overload
    def __getitem__(self, at: slice) -> Packages: ...

    def __getitem__(self, at: int | slice) -> PackageRecord | Packages:
        if isinstance(at, slice):
            return Packages(self._numbers[at], self._read, self._read_bare)
        return self._some(self._numbers[at : at + 1] if at != -1 else self._numbers[-1:], self._read)[0]

    def of(self, numbers: Iterable[int]) -> Packages:
        """Others, read in the same way."""
        return Packages(array("q", numbers), self._read, self._read_bare)

    @property
    def numbers(self) -> Sequence[int]:
        """Their numbers."""
        return self._numbers

    def _all(self, read: _Reader) -> Iterator[PackageRecord]:
        for at in range(0, len(self._numbers), AT_ONCE):
            yield from self._some(self._numbers[at : at + AT_ONCE], read)

    def _some(self, numbers: Sequence[int], read: _Reader) -> list[PackageRecord]:
        """Some of them, in the order that they have here."""
        found = {package.id: package for package in read(numbers)}
        return [found[number] for number in numbers]


def numbers_of(packages: Sequence[PackageRecord]) -> frozenset[int]:
    """The numbers of packages; of many, none is read for it."""
    return frozenset(packages.numbers if isinstance(packages, Packages) else (package.id for package in packages))


def those(packages: Sequence[PackageRecord], wanted: Callable[[PackageRecord], bool]) -> Sequence[PackageRecord]:
    """Those of some packages that are wanted, as it is now; of many, only their numbers are kept."""
    return chosen(packages, (package for package in packages if wanted(package)))


def chosen(packages: Sequence[PackageRecord], some: Iterable[PackageRecord]) -> Sequence[PackageRecord]:
    """Some of `packages`, in the order in which they come; of many, only their numbers are kept."""
    return packages.of(package.id for package in some) if isinstance(packages, Packages) else tuple(some)


def _taken_apart(rows: Sequence[tuple[Any, ...]]) -> Iterator[tuple[Any, ...]]:
    """The rows with their last value, which is JSON, taken apart: many at once, so that names in it are kept once."""
    for at in range(0, len(rows), _TOGETHER):
        some = rows[at : at + _TOGETHER]
        lists = json.loads(f"[{','.join(row[-1] for row in some)}]")
        yield from ((*row[:-1], found) for row, found in zip(some, lists, strict=True))


def _package(
    row: tuple[Any, ...],
    documents: Mapping[int, Sequence[DocumentRecord]],
    messages: Mapping[int, Sequence[MessageRecord]],
    hand_overs: Mapping[int, Sequence[HandOverRecord]],
) -> PackageRecord:
    number, key, name, state, prepared_as, reason, rows, seal, once, lists = row
    figures, odd, keys, steps, hits, contacts, kept, share = lists
    return PackageRecord(
        id=number,
        key=key,
        name=name,
        state=State(state),
        prepared_as=State(prepared_as),
        reason=reason,
        rows=rows,
        figures=figures,
        odd=tuple(odd),
        seal=seal,
        keys=tuple(keys),
        once=once,
        steps=tuple((rule, held, tuple(changes), tuple(gone)) for rule, held, changes, gone in steps),
        hits=tuple(HitRecord(*hit) for hit in hits),
        contacts=tuple(map(_contact, contacts)),
        kept=kept,
        share=share,
        documents=tuple(documents.get(number, ())),
        messages=tuple(messages.get(number, ())),
        hand_overs=tuple(hand_overs.get(number, ())),
    )


def _contact(found: Sequence[Any]) -> ContactRecord:
    source, line, name, role, to, cc, bcc, use, why_not, *more = found
    return ContactRecord(source, line, name, role, tuple(to), tuple(cc), tuple(bcc), use, why_not, *more)


def _document(row: tuple[Any, ...]) -> DocumentRecord:
    _, name, report, form, sha256, size, pages, rows, content = row
    return DocumentRecord(
        name=name, report=report, format=form, sha256=sha256, bytes=size, pages=pages, rows=rows, content=content
    )


def _message(row: tuple[Any, ...]) -> MessageRecord:
    _, number, message_id, called, subject, sender, server, sha256, lists = row
    to, cc, bcc, files = json.loads(lists)
    return MessageRecord(
        id=number,
        message_id=message_id,
        called=called,
        subject=subject,
        sender=sender,
        server=server,
        to=tuple(to),
        cc=tuple(cc),
        bcc=tuple(bcc),
        files=tuple(files),
        sha256=sha256,
    )


def _hand_over(row: tuple[Any, ...], carried: Mapping[int, str]) -> HandOverRecord:
    _, number, message, purpose, kind, way, target_kind, target, place, existing, *rest = row
    sha256, state, refused, code, reply, put_at, at, attempts = rest
    return HandOverRecord(
        id=number,
        message_id=carried.get(message, ""),
        purpose=Purpose(purpose),
        kind=HandOverKind(kind),
        way=way,
        target=Target(TargetKind(target_kind), target, place),
        existing=existing,
        sha256=sha256,
        state=HandOverState(state),
        refused=refused,
        code=code,
        reply=reply,
        put_at=put_at,
        at=_time(at),
        attempts=attempts,
    )


def _time(text: str | None) -> dt.datetime | None:
    return dt.datetime.fromisoformat(text) if text else None


def run_of(
    row: Row[Any], counts: Mapping[State, int], handed: Mapping[HandOverState, int], came: Mapping[HandOverState, int]
) -> RunRecord:
    """A run, with how many of its packages and of its hand-overs are in each state, and how those sent were sent."""
    told: dict[str, int] = {}
    for state, count in counts.items():
        told |= {str(how): many for how, many in came.items()} if state is State.SENT and came else {str(state): count}
    return RunRecord(
        id=row.id,
        job=row.job,
        title=row.title,
        state=RunState(row.state),
        as_of=dt.date.fromisoformat(row.as_of),
        prepared=dt.datetime.fromisoformat(row.prepared),
        seconds=row.seconds / 1000,
        parameters=row.parameters,
        period=row.period,
        account=row.account,
        findings=tuple((weight, text) for weight, text in row.findings),
        cycle=row.cycle,
        purpose=Purpose(row.purpose),
        only=tuple(json.loads(row.only)),
        counts=counts,
        handed=handed,
        came=told,
        reviewed=_time(row.reviewed),
        unsearched=tuple(row.unsearched),
        sealed=row.sealed,
        reason=row.reason,
        occurrence=row.occurrence_id,
        prepared_by=row.prepared_by,
        approval=tuple(row.approval),
    )
