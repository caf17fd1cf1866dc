"""Keys of one's own: Ed25519 (RFC 8032). A private one is a file in PEM (RFC 8410), a public one a setting."""

from __future__ import annotations

import base64
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from gonnet.errors import JobError

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey

Password = Callable[[], str]
"""Asks for the password of a key that has one."""

_MISSING = "the library that signs is not installed"
_INSTALL = "Install it: pip install 'gonnet[sign]'"
_MAKE = "Make one: `openssl genpkey -algorithm ed25519 -out me.pem`"


def private_key(place: Path, password: Password | None, where: str) -> Ed25519PrivateKey:
    """The private key in a file.

    Args:
        place: The file.
        password: Gives the password that opens it; None where nobody knows one.
        where: What to name in an error.

    Raises:
        JobError: it cannot be read, is of another kind, or the password does not open it.
    """
    try:
        from cryptography.exceptions import UnsupportedAlgorithm
        from cryptography.hazmat.primitives.asymmetric import ed25519
        from cryptography.hazmat.primitives.serialization import load_pem_private_key
    except ImportError as error:
        raise JobError(_MISSING, where=where, fix=_INSTALL) from error
    try:
        data = place.read_bytes()
        said = password().encode("utf-8") if password is not None and b"ENCRYPTED" in data else None
        key = load_pem_private_key(data, said)
    except OSError as error:
        raise JobError(
            f"the key {place} cannot be read: {error.strerror}", where=where, fix="Correct its path"
        ) from error
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        fix = "Give an Ed25519 key in PEM, as `openssl genpkey -algorithm ed25519` makes one, and its password"
        raise JobError(f"the key {place} cannot be used: {error}", where=where, fix=fix) from error
    if not isinstance(key, ed25519.Ed25519PrivateKey):
        raise JobError(f"the key {place} is of another kind", where=where, fix=_MAKE)
    return key


def public_part(key: Ed25519PrivateKey) -> str:
    """The public key of a private one, in Base64 (SubjectPublicKeyInfo, RFC 8410)."""
    from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

    return base64.b64encode(key.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)).decode()


def is_signed(public: str, signature: str, data: bytes) -> bool:
    """Whether a signature of `data`, in Base64, is by the private key of a public one.

    Raises:
        JobError: the library that tells is not installed.
    """
    try:
        from cryptography.exceptions import InvalidSignature
        from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey
    except ImportError as error:
        raise JobError(_MISSING, where="gonnet.yaml, approval.keys", fix=_INSTALL) from error
    try:
        key = Ed25519PublicKey.from_public_bytes(base64.b64decode(public)[-32:])
        key.verify(base64.b64decode(signature, validate=True), data)
    except (InvalidSignature, ValueError):
        return False
    return True
