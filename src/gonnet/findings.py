"""What is collected along the way and judged together: neither an error nor an outcome."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Weight(StrEnum):
    """How much a finding matters."""

    ATTENTION = "attention"
    NOTE = "note"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """Something the operator should know before anything leaves.

    Attributes:
        weight: Whether it needs a decision, or is only good to know.
        text: One sentence, without a full stop.
        key: The key it is about, or None.
        about: The list that people keep and that it is about; empty for anything else.
    """

    weight: Weight
    text: str
    key: str | None = None
    about: str = ""
