"""Signing an account with a key of one's own: Ed25519 (RFC 8032), kept as PEM (RFC 8410)."""

from __future__ import annotations

from gonnet.errors import JobError
from gonnet.pipeline.tools import Tools

_WHERE = "gonnet.yaml, ledger.sign"


def signature(data: bytes, tools: Tools) -> bytes | None:
    """The signature of `data`, of 64 bytes; None where the workspace names no key.

    Raises:
        JobError: the key cannot be used.
    """
    wanted = tools.workspace.file.ledger.sign
    if wanted is None:
        return None
    try:
        from cryptography.exceptions import UnsupportedAlgorithm
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
        from cryptography.hazmat.primitives.serialization import load_pem_private_key
    except ImportError as error:
        fix = "Install it: pip install 'gonnet[sign]'"
        raise JobError("the library that signs is not installed", where=_WHERE, fix=fix) from error
    password = None
    if wanted.password is not None:
        password = tools.workspace.secrets.resolve(wanted.password, f"{_WHERE}.password").encode("utf-8")
    try:
        key = load_pem_private_key((tools.workspace.folder / wanted.key).read_bytes(), password)
    except OSError as error:
        raise JobError(
            f"the key {wanted.key} cannot be read: {error.strerror}", where=_WHERE, fix="Correct its path"
        ) from error
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        raise JobError(
            f"the key {wanted.key} cannot be used: {error}",
            where=_WHERE,
            fix="Give an Ed25519 key in PEM, as `openssl genpkey -algorithm ed25519` makes one, and its password",
        ) from error
    if not isinstance(key, Ed25519PrivateKey):
        raise JobError(
            f"the key {wanted.key} is of another kind",
            where=_WHERE,
            fix="Make one: `openssl genpkey -algorithm ed25519`",
        )
    return key.sign(data)
