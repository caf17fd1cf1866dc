"""Schema 9: every contact of the key of a package, as the list had it, whether it was written to or not.

Revision ID: 9
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "9"
down_revision = "8"


def upgrade() -> None:
    """Add the column; of packages that are there nobody knows."""
    op.add_column("packages", sa.Column("contacts", sa.JSON, nullable=False, server_default="[]"))
