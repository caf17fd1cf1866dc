"""Which stored files the runs of a ledger still need."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Engine, select, union_all

from gonnet.ledger import chain, schema
from gonnet.ledger.states import OVER, HandOverState, Purpose, RunState, State

REMOVED = "its files were removed"
"""How the event begins that says so of a run."""

_MAY_LEAVE = (State.READY, State.FAILED, State.UNSURE, State.HELD)  # what is held may be released
_NOT_DONE = [state for state in HandOverState if state not in OVER]


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


def copy_ledger(engine: Engine, to: Path) -> None:
    """Write the ledger, as it is at one moment, to a file that is not there yet; others may go on writing."""
    with engine.connect() as work:
        work.exec_driver_sql("vacuum into ?", (str(to),))
    to.chmod(0o600)


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
            for run in runs:
                chain.add_of_run(work, run, now, what)
