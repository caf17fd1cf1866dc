"""Schema 12: the pace at which messages leave is kept over all sends at the same time; approvals may be signed.

Revision ID: 12
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "12"
down_revision = "11"


def upgrade() -> None:
    """Add the table and the column; nothing is known of earlier sends, and nothing need be."""
    op.add_column("approvals", sa.Column("signature", sa.String(88), nullable=False, server_default=""))
    op.create_table(
        "paces", sa.Column("name", sa.String, primary_key=True), sa.Column("free_at", sa.Float, nullable=False)
    )
