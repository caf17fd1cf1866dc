"""Bringing ledgers of earlier versions to the form of this one, with Alembic: a revision for each `schema.VERSION`."""
