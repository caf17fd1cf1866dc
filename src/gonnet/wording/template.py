"""A text of a job file, before anything is merged into it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Template:
    """One text of a job file: its source, and where it stands (`file:line:column`)."""

    source: str
    where: str
