"""The statements of the ledger that run for every package, made once: making them costs more than running them."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from sqlalchemy import ColumnElement, Connection, Dialect, Executable, bindparam, insert, or_, select, update
from sqlalchemy.engine.interfaces import DBAPICursor
from sqlalchemy.exc import DBAPIError

from gonnet.ledger import schema
from gonnet.ledger.states import BY_HAND, HandOverState, State, origins

_message, _package, _part = schema.messages.c, schema.packages.c, schema.hand_overs.c

ADD_PACKAGE = insert(schema.packages).returning(_package.id, sort_by_parameter_order=True)
ADD_DOCUMENT = insert(schema.documents)
ADD_MESSAGE = insert(schema.messages).returning(_message.id, sort_by_parameter_order=True)
ADD_HAND_OVER = insert(schema.hand_overs)
NOTE = insert(schema.events)
NOTE_ONE = insert(schema.events).values(
    {column.name: bindparam(f"new_{column.name}") for column in schema.events.c if not column.primary_key}
)
TAKE_HEAD = update(schema.about).values(events=schema.about.c.events + bindparam("many")).returning(schema.about.c.head)
SET_HEAD = update(schema.about).values(head=bindparam("now_head"))


def _may_become(state: HandOverState) -> ColumnElement[bool]:
    return or_(*(_part.state == before for before in origins(state)))


BEGIN = (
    update(schema.hand_overs)
    .where(_part.id == bindparam("part"), _may_become(HandOverState.BEGUN))
    .values(state=HandOverState.BEGUN, at=bindparam("now"), day=bindparam("today"), attempts=_part.attempts + 1)
)
BEGIN_AGAIN = (  # of what was cut off and can be repeated
    update(schema.hand_overs)
    .where(_part.id == bindparam("part"), _part.state == HandOverState.BEGUN)
    .values(at=bindparam("now"), day=bindparam("today"), attempts=_part.attempts + 1)
)
ANSWERED = {
    state: update(schema.hand_overs)
    .where(_part.id == bindparam("part"), _may_become(state))
    .values(
        state=state,
        refused=bindparam("of"),
        code=bindparam("answer"),
        reply=bindparam("said"),
        put_at=bindparam("put"),
        at=bindparam("now"),
    )
    for state in HandOverState
    if origins(state)
}
MOVE = {
    to: update(schema.packages)
    .where(_package.id == bindparam("number"), or_(*(_package.state == before for before in BY_HAND[to])))
    .values(state=to, reason=bindparam("why"), seal=bindparam("sealed"))
    for to in BY_HAND
}
SEAL = (
    update(schema.packages)
    .where(_package.id == bindparam("number"))
    .values(state=bindparam("now"), reason=bindparam("why"), seal=bindparam("sealed"))
)
PARTS_OF = (
    select(_part.target_kind, _part.target, _part.place, _part.state, _part.refused, _part.code, _part.reply)
    .where(_part.package_id == bindparam("package"), _part.purpose != "trial")
    .order_by(_part.id)
)
DOUBTED = (
    update(schema.packages)
    .where(_package.id == bindparam("package"))
    .values(state=State.UNSURE, reason=bindparam("why"))
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
        cursor.execute(sql, tuple([known[name] for name in order]) if order else known)
    except work.dialect.loaded_dbapi.Error as error:
        raise DBAPIError(sql, None, error) from error
    return cursor


@lru_cache(maxsize=32)
def _compiled(statement: Any, dialect: Dialect) -> tuple[str, dict[str, Any], tuple[str, ...]]:  # noqa: ANN401
    found = statement.compile(dialect=dialect)
    return str(found), dict(found.params), tuple(found.positiontup or ())
