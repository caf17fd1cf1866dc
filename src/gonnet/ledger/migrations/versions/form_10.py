"""Schema 10: who prepared a run, which approvals it needs, and those that were given.

Revision ID: 10
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "10"
down_revision = "9"


def upgrade() -> None:
    """Add the columns and the table; runs that are there need no approval by their jobs."""
    op.add_column("runs", sa.Column("prepared_by", sa.String, nullable=False, server_default=""))
    op.add_column("runs", sa.Column("approval", sa.JSON, nullable=False, server_default="[]"))
    op.create_table(
        "approvals",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id"), nullable=False, index=True),
        sa.Column("who", sa.String, nullable=False),
        sa.Column("at", sa.String, nullable=False),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("voided", sa.String),
    )
