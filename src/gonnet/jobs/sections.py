"""What every part of a job or workspace file is made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

NAME = r"^[A-Za-z][A-Za-z0-9_]*$"


class Section(BaseModel):
    """Any mapping of a job or workspace file: unknown keys are mistakes, values never change.

    How one is checked is worked out when the first is read: most commands read no job.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True, populate_by_name=True, defer_build=True)


class ConditionalBlock(Section):
    """Any block of a report.

    Attributes:
        when: SQL over figures, parameters and `recipient.column`; the block is left out unless it holds.
    """

    when: str | None = None


Name = Annotated[str, Field(pattern=NAME)]


def _listed(value: object) -> object:
    return (value,) if isinstance(value, str) else tuple(value) if isinstance(value, list) else value


Names = Annotated[tuple[str, ...], BeforeValidator(_listed, json_schema_input_type=str | tuple[str, ...])]
