"""Schema 6: indexes of hand-overs without what changes with each of them, so that fewer pages are written.

Revision ID: 6
"""

from __future__ import annotations

from alembic import op

revision = "6"
down_revision = "5"

_INDEXES = {"run": "run_id", "day": "day", "target": "target"}


def upgrade() -> None:
    """Make the indexes anew."""
    for old in ("run", "day", "place"):
        op.drop_index(f"hand_overs_by_{old}")
    for name, column in _INDEXES.items():
        op.create_index(f"hand_overs_by_{name}", "hand_overs", [column])
