"""The revisions; each says what became of every table and column, so that no history is lost."""
