"""What each recipient of a job was sent before."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import Connection, func, select

from gonnet.ledger import schema
from gonnet.ledger.records import State


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """What one key of a job was last sent.

    Attributes:
        times: In how many runs it was sent something.
        at: When the last of it was taken by a server.
        message: Which message it was.
        figures: The figures of then.
        contents: SHA-256 of what each document showed, in order.
    """

    times: int
    at: dt.datetime
    message: str
    figures: Mapping[str, str]
    contents: tuple[str, ...]


def sent_before(work: Connection, job: str) -> dict[str, Sent]:
    """Key → what it was last sent by `job`, for every key that was ever sent anything."""
    package, message, delivery, document = (
        table.c for table in (schema.packages, schema.messages, schema.deliveries, schema.documents)
    )
    last = (
        select(package.key, func.count().label("times"), func.max(package.id).label("id"))
        .join(schema.runs, schema.runs.c.id == package.run_id)
        .where(schema.runs.c.job == job, package.state == State.SENT)
        .group_by(package.key)
        .subquery()
    )
    shown: dict[int, list[str]] = {}
    query = select(document.package_id, document.content).join(last, last.c.id == document.package_id)
    query = query.where(document.content != "")  # a zip shows what its files show
    for number, content in work.execute(query.order_by(document.id)):
        shown.setdefault(number, []).append(content)
    rows = work.execute(
        select(
            package.id,
            package.key,
            last.c.times,
            func.max(delivery.at).label("at"),
            func.min(message.called).label("called"),
            package.figures,
        )
        .join(last, last.c.id == package.id)
        .join(schema.messages, message.package_id == package.id)
        .join(schema.deliveries, delivery.message_id == message.id)
        .group_by(package.id)
    )
    return {
        row.key: Sent(
            times=row.times,
            at=dt.datetime.fromisoformat(row.at),
            message=row.called,
            figures=row.figures,
            contents=tuple(shown.get(row.id, ())),
        )
        for row in rows
    }
