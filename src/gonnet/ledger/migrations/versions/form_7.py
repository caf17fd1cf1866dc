"""Schema 7: what the leak check found in a package and could not read in a run, and how a run is sealed.

Revision ID: 7
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "7"
down_revision = "6"


def upgrade() -> None:
    """Add the columns; runs of before were sealed without a key, and nothing is known of what was not searched."""
    for table, name in (("packages", "hits"), ("runs", "unsearched")):
        op.add_column(table, sa.Column(name, sa.JSON, nullable=False, server_default="[]"))
    op.add_column("runs", sa.Column("sealed", sa.String, nullable=False, server_default="plain"))
