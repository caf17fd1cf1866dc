"""Who must say yes to a run before it is sent: several eyes, from a size on."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated

from pydantic import BeforeValidator, Field, model_validator

from gonnet.jobs.sections import Names, Section
from gonnet.jobs.values import exact

MESSAGES = "messages"
"""What stands under `above` for the number of messages."""

_Sum = Annotated[Decimal, BeforeValidator(exact, json_schema_input_type=int | Decimal), Field(ge=0)]


class Approval(Section):
    """That people approve a run before anything of it leaves; whoever prepared it is none of them.

    Attributes:
        by: How many of them must say yes.
        of: Who may, by their names as users of the system.
        above: `messages`, or a figure → the number, or the sum over all packages, above which it is needed; always
            when left out.
    """

    by: int = Field(default=1, ge=1, le=9)
    of: Names = Field(min_length=1)
    above: dict[str, _Sum] = {}

    @model_validator(mode="after")
    def _enough_people(self) -> Approval:
        if self.by > len(set(self.of)):
            raise ValueError(f"{self.by} people must approve, and `of` names {len(set(self.of))}")
        return self
