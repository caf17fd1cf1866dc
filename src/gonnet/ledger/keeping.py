"""Which stored files the runs of a ledger still need."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from sqlalchemy import Engine, insert, select, union_all

from gonnet.ledger import schema
from gonnet.ledger.states import DONE, HandOverState, Purpose, RunState, State

_MAY_LEAVE = (State.READY, State.FAILED, State.UNSURE, State.HELD)  # what is held may be released
_NOT_DONE = [state for state in HandOverState if state not in (*DONE.values(), HandOverState.CLOSED)]


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptRun:
    """A run as far as its files go.

    Attributes:
        id: Its number.
        job: Its job.
        prepared: When it was prepared.
        is_open: Whether something of it may still leave, or is in doubt.
        is_aborted: Whether it was aborted, so that nothing of it can be sent.
    """

    id: int
    job: str
    prepared: dt.datetime
    is_open: bool
    is_aborted: bool


def kept_runs(engine: Engine) -> list[KeptRun]:
    """Every run, the oldest first."""
    run, package, part = schema.runs.c, schema.packages.c, schema.hand_overs.c
    with engine.connect() as work:
        query = select(package.run_id).join(schema.hand_overs, part.package_id == package.id).distinct()
        query = query.where(part.state.in_(_NOT_DONE), part.purpose != Purpose.TRIAL)
        waiting = set(work.scalars(query.where(package.state.in_(_MAY_LEAVE))))
        rows = work.execute(select(run.id, run.job, run.prepared, run.state).order_by(run.id)).all()
    return [
        KeptRun(
            id=row.id,
            job=row.job,
            prepared=dt.datetime.fromisoformat(row.prepared),
            is_open=row.id in waiting and row.state == RunState.PREPARED,
            is_aborted=row.state == RunState.ABORTED,
        )
        for row in rows
    ]


def files_of_runs(engine: Engine) -> dict[str, set[int]]:
    """SHA-256 of every file that a run refers to → the runs."""
    package = schema.packages.c
    tables = (schema.documents, schema.messages, schema.hand_overs)
    queries = [
        select(table.c.sha256, package.run_id).join(schema.packages, package.id == table.c.package_id)
        for table in tables
    ]
    found: dict[str, set[int]] = {}
    with engine.connect() as work:
        for sha256, run_id in work.execute(union_all(*queries)):
            found.setdefault(str(sha256), set()).add(int(run_id))
    return found


def note_removal(engine: Engine, runs: list[int], what: str, now: str) -> None:
    """Write down that the files of runs were removed."""
    if runs:
        with engine.begin() as work:
            values = [{"run_id": run, "package_id": None, "at": now, "what": what} for run in runs]
            work.execute(insert(schema.events), values)
