"""Schema 11: events are chained, and say what they left behind.

Revision ID: 11
"""

from __future__ import annotations

import hashlib
import json
import secrets

import sqlalchemy as sa
from alembic import op

revision = "11"
down_revision = "10"


def _digest(said: list[object]) -> str:
    text = json.dumps(said, separators=(",", ":"), sort_keys=True)
    return hashlib.sha256(text.encode("ascii")).hexdigest()


def upgrade() -> None:
    """Add the columns, and chain the events that are there as they stand; what they left behind is not known."""
    op.add_column("events", sa.Column("part_id", sa.Integer))
    op.add_column("events", sa.Column("content", sa.String(64)))
    op.add_column("events", sa.Column("standing", sa.String(64)))
    op.add_column("events", sa.Column("salt", sa.String(16), nullable=False, server_default=""))
    op.add_column("events", sa.Column("said", sa.String(64)))
    op.add_column("events", sa.Column("digest", sa.String(64), nullable=False, server_default=""))
    op.add_column("about", sa.Column("events", sa.Integer, nullable=False, server_default="0"))
    op.add_column("about", sa.Column("head", sa.String(64), nullable=False, server_default=""))
    work = op.get_bind()
    head, links = "", []
    rows = work.execute(sa.text("select id, at, what, run_id, package_id from events order by id"))
    for number, at, what, run, package in rows:
        salt = secrets.token_hex(8)
        head = _digest([1, "event", head, at, _digest([1, "words", salt, what]), run, package, None, None, None])
        links.append({"number": number, "salt": salt, "digest": head})
    if links:
        work.execute(sa.text("update events set salt = :salt, digest = :digest where id = :number"), links)
    work.execute(sa.text("update about set events = :many, head = :head"), {"many": len(links), "head": head})
