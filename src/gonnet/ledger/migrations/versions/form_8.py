"""Schema 8: the calendar: entries, occurrences, pauses and notices; why a run ended, and what makes two sends the same.

Revision ID: 8
"""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

from gonnet.ledger.same import same

revision = "8"
down_revision = "7"

_TEXT = sa.Text()


def upgrade() -> None:
    """Make the tables; the cycle of a run is now made of all of its parameters."""
    for table, name in (("runs", "reason"), ("packages", "once")):
        op.add_column(table, sa.Column(name, _TEXT, nullable=False, server_default=""))
    op.add_column("runs", sa.Column("occurrence_id", sa.Integer))
    op.create_index("ix_runs_occurrence_id", "runs", ["occurrence_id"])
    with op.batch_alter_table("hand_overs") as batch:
        batch.alter_column("run_id", existing_type=sa.Integer, nullable=True)
    _cycles()
    _entries()
    _occurrences()
    _pauses()
    _notices()


def _cycles() -> None:
    work = op.get_bind()
    for number, parameters in work.execute(sa.text("select id, parameters from runs")).all():
        values = [str(value) for value in json.loads(parameters).values()]
        if values:
            cycle = {"number": number, "cycle": same(", ".join(sorted(values)))}
            work.execute(sa.text("update runs set cycle = :cycle where id = :number"), cycle)


def _needed(*names: str) -> list[sa.Column[str]]:
    return [sa.Column(name, sa.String, nullable=False) for name in names]


def _text(*names: str) -> list[sa.Column[str]]:
    return [sa.Column(name, _TEXT, nullable=False, server_default="") for name in names]


def _count(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer, nullable=False, server_default="0")


def _entries() -> None:
    op.create_table(
        "entries",
        sa.Column("id", sa.Integer, primary_key=True),
        *_needed("job", "name"),
        sa.Column("says", sa.JSON, nullable=False),
        *_needed("since", "seen"),
        *_text("mark"),
        _count("unasked"),
        sa.UniqueConstraint("job", "name"),
    )


def _occurrences() -> None:
    op.create_table(
        "occurrences",
        sa.Column("id", sa.Integer, primary_key=True),
        *_needed("job", "entry", "named", "due"),
        sa.Column("says", sa.JSON, nullable=False),
        *_needed("state"),
        *_text("reason"),
        *_needed("entered"),
        *(sa.Column(name, sa.String) for name in ("begun", "ended")),
        _count("tries"),
        sa.Column("next_try", sa.String),
        *_text("mark"),
        sa.UniqueConstraint("job", "entry", "named"),
    )
    op.create_index("occurrences_by_state", "occurrences", ["state"])


def _pauses() -> None:
    op.create_table(
        "pauses",
        sa.Column("id", sa.Integer, primary_key=True),
        *_needed("job", "at"),
        sa.Column("until", sa.String(10)),
        *(sa.Column(name, _TEXT, nullable=False) for name in ("who", "why")),
        sa.Column("resumed", sa.String),
        *_text("resumed_by"),
    )
    op.create_index("ix_pauses_job", "pauses", ["job"])


def _notices() -> None:
    op.create_table(
        "notices",
        sa.Column("id", sa.Integer, primary_key=True),
        *_needed("at"),
        *(sa.Column(name, sa.Integer) for name in ("occurrence_id", "run_id")),
        *_text("tell"),
        *(sa.Column(name, _TEXT, nullable=False) for name in ("subject", "text")),
        sa.Column("told", sa.String),
        *_text("trouble"),
        sa.Column("alarmed", sa.String),
        sa.Column("is_digest", sa.Boolean, nullable=False, server_default="0"),
    )
    op.create_index("ix_notices_occurrence_id", "notices", ["occurrence_id"])
