"""From rows of the ledger's tables to values."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import ColumnElement, Connection, Row, select

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


def grouped(
    work: Connection,
    table: Any,  # noqa: ANN401
    by: str,
    packages: Sequence[ColumnElement[bool]],
) -> dict[int, list[Row[Any]]]:
    """The rows of `table` that belong to packages for which conditions hold, by the row they belong to."""
    query = select(table)
    if by == "message_id":
        query = query.join(schema.messages, schema.messages.c.id == table.c.message_id)
        query = query.join(schema.packages, schema.packages.c.id == schema.messages.c.package_id)
    else:
        query = query.join(schema.packages, schema.packages.c.id == table.c.package_id)
    found: dict[int, list[Row[Any]]] = {}
    for row in work.execute(query.where(*packages).order_by(table.c.id)):
        found.setdefault(getattr(row, by), []).append(row)
    return found


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


def package_of(
    row: Row[Any],
    documents: Sequence[Row[Any]],
    messages: Sequence[Row[Any]],
    deliveries: Mapping[int, Sequence[Row[Any]]],
    filings: Sequence[Row[Any]] = (),
) -> PackageRecord:
    """A package with all that belongs to it."""
    return PackageRecord(
        id=row.id,
        key=row.key,
        name=row.name,
        state=State(row.state),
        prepared_as=State(row.prepared_as),
        reason=row.reason,
        rows=row.rows,
        figures=row.figures,
        odd=tuple(row.odd),
        seal=row.seal,
        keys=tuple(row.keys),
        steps=tuple((rule, held, tuple(changes), tuple(gone)) for rule, held, changes, gone in row.steps),
        filings=tuple(
            FilingRecord(
                id=f.id,
                way=f.way,
                root=f.root,
                place=f.place,
                existing=f.existing,
                sha256=f.sha256,
                state=HandOver(f.state),
                put_at=f.put_at,
                reply=f.reply,
                at=_time(f.at),
            )
            for f in filings
        ),
        documents=tuple(
            DocumentRecord(
                name=d.name,
                report=d.report,
                format=d.format,
                sha256=d.sha256,
                bytes=d.bytes,
                pages=d.pages,
                rows=d.rows,
                content=d.content,
            )
            for d in documents
        ),
        messages=tuple(
            MessageRecord(
                id=m.id,
                message_id=m.message_id,
                called=m.called,
                subject=m.subject,
                sender=m.sender,
                to=tuple(m.to),
                cc=tuple(m.cc),
                bcc=tuple(m.bcc),
                files=tuple(m.files),
                server=m.server,
                sha256=m.sha256,
                deliveries=tuple(
                    DeliveryRecord(
                        id=d.id,
                        address=d.address,
                        state=HandOver(d.state),
                        code=d.code,
                        reply=d.reply,
                        at=_time(d.at),
                        attempts=d.attempts,
                    )
                    for d in deliveries.get(m.id, ())
                ),
            )
            for m in messages
        ),
    )
