"""From rows of the ledger's tables to values."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any, TypeVar

from sqlalchemy import ColumnElement, Connection, FromClause, Row, Select, Table, select

from gonnet.ledger import schema
from gonnet.ledger.records import (
    DeliveryRecord,
    DocumentRecord,
    FilingRecord,
    HandOver,
    MessageRecord,
    PackageRecord,
    RunRecord,
    RunState,
    State,
)

R = TypeVar("R")


def _read(table: Table, *names: str, of: FromClause | None = None) -> Select[Any]:
    columns = select(*(table.c[name] for name in names)).order_by(table.c.id)
    return columns if of is None else columns.select_from(table.join(of))


# Each asks for columns in the order in which the function below takes a row apart: all at once, since a run has tens of
# thousands of rows and asking a row for one column after the other takes ten times as long. First of a part is the
# number of what it belongs to.
_PACKAGES = _read(
    schema.packages,
    *("id", "key", "name", "state", "prepared_as", "reason", "rows", "figures", "odd", "seal", "keys", "steps"),
)
_DOCUMENTS = _read(
    schema.documents,
    *("package_id", "name", "report", "format", "sha256", "bytes", "pages", "rows", "content"),
    of=schema.packages,
)
_MESSAGES = _read(
    schema.messages,
    *("package_id", "id", "message_id", "called", "subject", "sender", "server", "to", "cc", "bcc", "files", "sha256"),
    of=schema.packages,
)
_DELIVERIES = _read(
    schema.deliveries,
    *("message_id", "id", "address", "state", "code", "reply", "at", "attempts"),
    of=schema.messages.join(schema.packages),
)
_FILINGS = _read(
    schema.filings,
    *("package_id", "id", "way", "root", "place", "existing", "sha256", "state", "put_at", "reply", "at"),
    of=schema.packages,
)


def packages_where(
    work: Connection, conditions: Sequence[ColumnElement[bool]], keys: Collection[str] = ()
) -> tuple[PackageRecord, ...]:
    """The packages for which conditions hold, in the order in which they were made, each with all that belongs to it.

    Args:
        work: A connection.
        conditions: Over columns of the packages.
        keys: The keys that are wanted; all when empty.
    """

    def parts(query: Select[Any], make: Callable[[tuple[Any, ...]], R]) -> dict[int, list[R]]:
        found: dict[int, list[R]] = {}
        for row in work.execute(query.where(*conditions)):
            values = tuple(row)
            found.setdefault(values[0], []).append(make(values))
        return found

    documents, filings = parts(_DOCUMENTS, _document), parts(_FILINGS, _filing)
    deliveries = parts(_DELIVERIES, _delivery)
    messages = parts(_MESSAGES, lambda row: _message(row, deliveries))
    found = [tuple(row) for row in work.execute(_PACKAGES.where(*conditions))]
    return tuple(_package(row, documents, messages, filings) for row in found if not keys or row[1] in keys)


def _package(
    row: tuple[Any, ...],
    documents: Mapping[int, Sequence[DocumentRecord]],
    messages: Mapping[int, Sequence[MessageRecord]],
    filings: Mapping[int, Sequence[FilingRecord]],
) -> PackageRecord:
    number, key, name, state, prepared_as, reason, rows, figures, odd, seal, keys, steps = row
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
        steps=tuple((rule, held, tuple(changes), tuple(gone)) for rule, held, changes, gone in steps),
        documents=tuple(documents.get(number, ())),
        messages=tuple(messages.get(number, ())),
        filings=tuple(filings.get(number, ())),
    )


def _document(row: tuple[Any, ...]) -> DocumentRecord:
    _, name, report, form, sha256, size, pages, rows, content = row
    return DocumentRecord(
        name=name, report=report, format=form, sha256=sha256, bytes=size, pages=pages, rows=rows, content=content
    )


def _message(row: tuple[Any, ...], deliveries: Mapping[int, Sequence[DeliveryRecord]]) -> MessageRecord:
    _, number, message_id, called, subject, sender, server, to, cc, bcc, files, sha256 = row
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
        deliveries=tuple(deliveries.get(number, ())),
    )


def _delivery(row: tuple[Any, ...]) -> DeliveryRecord:
    _, number, address, state, code, reply, at, attempts = row
    return DeliveryRecord(
        id=number, address=address, state=HandOver(state), code=code, reply=reply, at=_time(at), attempts=attempts
    )


def _filing(row: tuple[Any, ...]) -> FilingRecord:
    _, number, way, root, place, existing, sha256, state, put_at, reply, at = row
    return FilingRecord(
        id=number,
        way=way,
        root=root,
        place=place,
        existing=existing,
        sha256=sha256,
        state=HandOver(state),
        put_at=put_at,
        reply=reply,
        at=_time(at),
    )


def _time(text: str | None) -> dt.datetime | None:
    return dt.datetime.fromisoformat(text) if text else None


def run_of(row: Row[Any], counts: Mapping[State, int]) -> RunRecord:
    """A run."""
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
        counts=counts,
        reviewed=_time(row.reviewed),
    )
