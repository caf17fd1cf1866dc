"""Schema 9: every contact of the key of a package, as the list had it; and the columns of it that are written back.

Revision ID: 9
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "9"
down_revision = "8"


def upgrade() -> None:
    """Add the columns; of packages that are there nobody knows."""
    for name, empty in (("contacts", "[]"), ("kept", "{}")):
        op.add_column("packages", sa.Column(name, sa.JSON, nullable=False, server_default=empty))
