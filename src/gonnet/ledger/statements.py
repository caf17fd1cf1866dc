"""The statements of the ledger that run for every package, made once: making them costs more than running them."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from sqlalchemy import Connection, Dialect, Executable, bindparam, insert, or_, select, update
from sqlalchemy.engine.interfaces import DBAPICursor
from sqlalchemy.exc import DBAPIError

from gonnet.ledger import schema
from gonnet.ledger.records import HandOver

_delivery, _message, _package = schema.deliveries.c, schema.messages.c, schema.packages.c
_filing = schema.filings.c

ADD_PACKAGE = insert(schema.packages).returning(_package.id, sort_by_parameter_order=True)
ADD_DOCUMENT = insert(schema.documents)
ADD_MESSAGE = insert(schema.messages).returning(_message.id, sort_by_parameter_order=True)
ADD_DELIVERY = insert(schema.deliveries)
ADD_FILING = insert(schema.filings)
NOTE = insert(schema.events)
NOTE_ONE = insert(schema.events).values(
    run_id=bindparam("run"), package_id=bindparam("package"), at=bindparam("now"), what=bindparam("said")
)

HAND_OVER = (
    update(schema.deliveries)
    .where(
        _delivery.id == bindparam("delivery"),
        or_(_delivery.state == HandOver.WAITING, _delivery.state == HandOver.LATER),
    )
    .values(state=HandOver.HANDING, at=bindparam("now"), attempts=_delivery.attempts + 1)
)
ANSWERED = (
    update(schema.deliveries)
    .where(_delivery.id == bindparam("delivery"))
    .values(state=bindparam("answered"), code=bindparam("answer"), reply=bindparam("said"), at=bindparam("now"))
)
DELIVERIES_OF = (
    select(_delivery.id, _delivery.state, _delivery.address, _delivery.reply)
    .join(schema.messages, _message.id == _delivery.message_id)
    .where(_message.package_id == bindparam("package"))
)
BEGIN_FILING = (
    update(schema.filings)
    .where(_filing.id == bindparam("filing"), or_(_filing.state == HandOver.WAITING, _filing.state == HandOver.LATER))
    .values(state=HandOver.HANDING, at=bindparam("now"))
)
FILED = (
    update(schema.filings)
    .where(_filing.id == bindparam("filing"))
    .values(state=bindparam("answered"), put_at=bindparam("where"), reply=bindparam("said"), at=bindparam("now"))
)
FILINGS_OF = select(_filing.id, _filing.state, _filing.root, _filing.place, _filing.reply).where(
    _filing.package_id == bindparam("package")
)
SETTLE = (
    update(schema.packages)
    .where(_package.id == bindparam("package"))
    .values(state=bindparam("settled"), reason=bindparam("why"))
)


def run(work: Connection, statement: Executable, **values: object) -> DBAPICursor:
    """Run a statement for one package within a transaction that has begun; its cursor.

    It runs thousands of times in a send: as text that was compiled once, by the database's own driver.

    Raises:
        DBAPIError: the database refuses.
    """
    sql, fixed, order = _compiled(statement, work.dialect)
    known = {**fixed, **values}
    cursor = work.connection.cursor()
    try:
        cursor.execute(sql, tuple([known[name] for name in order]))
    except work.dialect.loaded_dbapi.Error as error:
        raise DBAPIError(sql, None, error) from error
    return cursor


@lru_cache(maxsize=32)
def _compiled(statement: Any, dialect: Dialect) -> tuple[str, dict[str, Any], tuple[str, ...]]:  # noqa: ANN401
    found = statement.compile(dialect=dialect)
    return str(found), dict(found.params), tuple(found.positiontup or ())
