"""What every part of a job or workspace file is made of."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, GetCoreSchemaHandler, GetJsonSchemaHandler
from pydantic_core.core_schema import CoreSchema, no_info_after_validator_function


@dataclass(frozen=True, slots=True)
class LooksLike:
    """What a text of a job or workspace file must look like.

    Attributes:
        pattern: A regular expression for the whole text, read alike by Python and by JSON Schema.
        wrong: What a text is that has another form, and the cure: "… is not a cell; write one such as B3".
    """

    pattern: str
    wrong: str

    def _looked_at(self, text: str) -> str:
        if not re.fullmatch(self.pattern, text):
            raise ValueError(f"'{text}' {self.wrong}")
        return text

    def __get_pydantic_core_schema__(self, source: type, handler: GetCoreSchemaHandler) -> CoreSchema:
        return no_info_after_validator_function(self._looked_at, handler(source))

    def __get_pydantic_json_schema__(self, schema: CoreSchema, handler: GetJsonSchemaHandler) -> dict[str, Any]:
        return handler(schema) | {"pattern": f"^{self.pattern}$"}


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


Name = Annotated[
    str, LooksLike("[A-Za-z][A-Za-z0-9_]*", "cannot be a name here; use letters, digits and _, first a letter")
]


def _listed(value: object) -> object:
    return (value,) if isinstance(value, str) else tuple(value) if isinstance(value, list) else value


Names = Annotated[tuple[str, ...], BeforeValidator(_listed, json_schema_input_type=str | tuple[str, ...])]
