"""Who must say yes to a run before it is sent: several eyes, from a size on."""

from __future__ import annotations

import base64
from decimal import Decimal
from typing import Annotated

from pydantic import AfterValidator, BeforeValidator, Field, model_validator

from gonnet.jobs.sections import Names, Section
from gonnet.jobs.values import exact

MESSAGES = "messages"
"""What stands under `above` for the number of messages."""

_Sum = Annotated[Decimal, BeforeValidator(exact, json_schema_input_type=int | Decimal), Field(ge=0)]


_ED25519 = bytes.fromhex("302a300506032b6570032100")  # what a SubjectPublicKeyInfo of such a key begins with (RFC 8410)


def _as_public_key(text: str) -> str:
    try:
        data = base64.b64decode(text, validate=True)
    except ValueError:
        data = b""
    if not data.startswith(_ED25519) or len(data) != len(_ED25519) + 32:
        how = "`openssl pkey -in me.pem -pubout -outform DER | base64`"
        raise ValueError(f"'{text[:16]}…' is no public Ed25519 key; {how} shows the one of me.pem")
    return text


_PublicKey = Annotated[str, AfterValidator(_as_public_key)]


class Approval(Section):
    """That people approve a run before anything of it leaves; whoever prepared it is none of them.

    Attributes:
        by: How many of them must say yes.
        of: Who may, by their names as users of the system, or by those under `keys`.
        keys: Name → public key (Ed25519, in Base64) of those who sign with a key of their own, and count only so.
        above: `messages`, or a figure → the number, or the sum over all packages, above which it is needed; always
            when left out.
    """

    by: int = Field(default=1, ge=1, le=9)
    of: Names = Field(min_length=1)
    keys: dict[str, _PublicKey] = {}
    above: dict[str, _Sum] = {}

    @model_validator(mode="after")
    def _enough_people(self) -> Approval:
        if self.by > len(set(self.of)):
            raise ValueError(f"{self.by} people must approve, and `of` names {len(set(self.of))}")
        if strangers := sorted(set(self.keys) - set(self.of)):
            raise ValueError(f"`keys` names {', '.join(strangers)}, and `of` does not")
        return self
