"""Handing over what was reviewed, through one gate, and telling what came of it."""
