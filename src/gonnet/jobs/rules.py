"""Rules: conditions, and what they change about packages; and when a whole run waits for a person's word."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator

from gonnet.jobs.sections import Names, Section
from gonnet.jobs.values import Format, now_called


class Rule(Section):
    """A condition and what it changes about a package.

    Attributes:
        name: What people call it: `explain`, the review and the history name it.
        applies: Which packages it is for: those of keys, bundles, or all.
        when: SQL over figures, parameters, the list, the run and the past; or
        otherwise: for all for whom no rule above holds.
        skip: Why it is not sent at all.
        hold: Why a person must look at it first.
        message: The message that it gets.
        add: Optional documents that it has, by name or by report.
        drop: Documents that it does not have.
        format: The format of all of its documents.
        to: Who gets it in place of its contacts: columns of the list, or addresses.
        cc: Who gets it besides: columns of the list, or addresses.
        bcc: Who gets a copy unseen: columns of the list, or addresses.
        important: Whether its messages are marked as important.
        ways: The ways by which it leaves, in place of those of its list.
        deliver: No longer there.
    """

    name: str
    applies: Literal["keys", "bundles", "all"] = Field(default="keys", alias="for")
    when: str | None = None
    otherwise: Literal[True] | None = None
    skip: str | None = None
    hold: str | None = None
    message: str | None = None
    add: Names = ()
    drop: Names = ()
    format: Format | None = Field(default=None, alias="as")
    to: Names = ()
    cc: Names = ()
    bcc: Names = ()
    important: bool | None = None
    ways: Names = Field(default=(), alias="way")
    deliver: Annotated[None, BeforeValidator(now_called("deliver", "way"))] = None

    @model_validator(mode="after")
    def _a_condition_and_an_outcome(self) -> Rule:
        if (self.when is None) == (self.otherwise is None):
            raise ValueError("a rule needs a condition: either `when`, or `otherwise: true` for all the others")
        if self.skip is not None and self.hold is not None:
            raise ValueError("a rule either skips or holds")
        given = self.model_fields_set - {"name", "applies", "when", "otherwise"}
        if not any(getattr(self, part) not in (None, ()) for part in given):
            raise ValueError("a rule needs an outcome, such as skip or hold with the reason, or message")
        return self


def _share(value: object) -> object:
    if isinstance(value, str) and value.endswith("%"):
        try:
            return Decimal(value[:-1].strip())
        except InvalidOperation:
            pass
    raise ValueError(f"'{value}' is not a share; write one such as 10%")


_PERCENT = Annotated[str, Field(pattern="%$")]
Share = Annotated[Decimal, BeforeValidator(_share, json_schema_input_type=_PERCENT), Field(ge=0, le=1000)]
"""Percent."""


class Guard(Section):
    """When a whole run waits for a person's word.

    Attributes:
        recipients: By how much the number of keys with rows may differ from the last run of which something was sent.
        totals: Figure → by how much its value over all rows may differ from that run.
        held: Which share of the packages may be held.
    """

    recipients: Share | None = None
    totals: dict[str, Share] = {}
    held: Share | None = None
