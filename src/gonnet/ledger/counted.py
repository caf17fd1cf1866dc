"""Runs with what their packages and hand-overs come to, counted by the database."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, Row, case, func, select

from gonnet.ledger import schema
from gonnet.ledger.accounts import account_now
from gonnet.ledger.reading import run_of
from gonnet.ledger.records import RunRecord
from gonnet.ledger.states import AS_TOLD, DONE, HandOverState, Purpose, State


def run_as_counted(work: Connection, row: Row[Any]) -> RunRecord:
    """A run, with how many of its packages and hand-overs are in each state."""
    handed = _handed(work, row.id)
    return run_of(row, _counts(work, row.id), handed, _came(work, row.id, handed))


def run_with_account(work: Connection, row: Row[Any]) -> RunRecord:
    """The same, with the account of its rows as they stand now."""
    found = run_as_counted(work, row)
    return replace(found, account=_account(work, row)) if row.account else found


def _counts(work: Connection, run_id: int) -> dict[State, int]:
    table = schema.packages
    rows = work.execute(select(table.c.state, func.count()).where(table.c.run_id == run_id).group_by(table.c.state))
    found = {State(state): int(count) for state, count in rows}
    return {state: found.get(state, 0) for state in State if state in found}


def _account(work: Connection, row: Row[Any]) -> dict[str, Any]:
    table = schema.packages.c
    shares = work.execute(select(table.state, table.share).where(table.run_id == row.id))
    return account_now(row.account, ((State(state), share) for state, share in shares))


def _handed(work: Connection, run_id: int) -> dict[HandOverState, int]:
    table = schema.hand_overs.c
    query = select(table.state, func.count()).where(table.run_id == run_id, table.package_id.is_not(None))
    query = query.where(table.purpose != Purpose.TRIAL, table.state.in_(DONE.values())).group_by(table.state)
    return {HandOverState(state): int(count) for state, count in work.execute(query)}


def _came(work: Connection, run_id: int, handed: Mapping[HandOverState, int]) -> dict[HandOverState, int]:
    """How the packages that were sent are told of → how many; nothing where all went by mail."""
    if not handed.keys() - {HandOverState.SENT}:
        return {}
    part, package = schema.hand_overs.c, schema.packages.c
    rank = case({str(state): at for at, state in enumerate(AS_TOLD)}, value=part.state, else_=len(AS_TOLD))
    best = select(func.min(rank).label("best")).join(schema.packages, package.id == part.package_id)
    mine = best.where(package.run_id == run_id, package.state == State.SENT, part.purpose != Purpose.TRIAL)
    each = mine.group_by(part.package_id).subquery()
    rows = work.execute(select(each.c.best, func.count()).group_by(each.c.best).order_by(each.c.best))
    return {AS_TOLD[best]: int(count) for best, count in rows if best < len(AS_TOLD)}
