"""Signing an account with the key of the workspace."""

from __future__ import annotations

from gonnet.pipeline.tools import Tools
from gonnet.signing import private_key

_WHERE = "gonnet.yaml, ledger.sign"


def signature(data: bytes, tools: Tools) -> bytes | None:
    """The signature of `data`, of 64 bytes; None where the workspace names no key.

    Raises:
        JobError: the key cannot be used.
    """
    wanted = tools.workspace.file.ledger.sign
    if wanted is None:
        return None

    def password() -> str:
        return tools.workspace.secrets.resolve(wanted.password or "", f"{_WHERE}.password")

    place = tools.workspace.folder / wanted.key
    return private_key(place, password if wanted.password is not None else None, _WHERE).sign(data)
