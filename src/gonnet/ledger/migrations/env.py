"""What Alembic runs: the revisions, over the connection that `opening.py` hands in."""

from __future__ import annotations

from alembic import context

from gonnet.ledger.schema import metadata

context.configure(connection=context.config.attributes["connection"], target_metadata=metadata)
context.run_migrations()
