"""The private keys that sign messages: from what the environment or a keyring holds or names."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from gonnet.delivery.smime import SigningKey
from gonnet.errors import JobError
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.smime import SignerSpec
from gonnet.recipients.certificates import INSTALL, Certificate, x509_in

if TYPE_CHECKING:
    from cryptography import x509 as x5
    from cryptography.hazmat.primitives.asymmetric.types import PrivateKeyTypes

_PEM = b"-----BEGIN"
_ON_TOKEN = "pkcs11:"
_CURE = "Give an RSA or elliptic-curve key in PEM or PKCS #12, and its password"


def read(spec: SignerSpec, secrets: Secrets, folder: Path, where: str) -> SigningKey:
    """The key of a signer, with its certificate.

    Args:
        spec: What the workspace says.
        secrets: What references are resolved with.
        folder: That of the workspace, to which paths are relative.
        where: What to name in an error.

    Raises:
        JobError: something cannot be read, or the certificate is of another key.
    """
    try:
        from cryptography.exceptions import UnsupportedAlgorithm
    except ImportError as error:
        raise JobError("the library that signs is not installed", where=where, fix=INSTALL) from error
    password = secrets.resolve(spec.password, f"{where}.password") if spec.password else None
    named = _certificates(folder / spec.certificate, f"{where}.certificate") if spec.certificate is not None else []
    if spec.key.startswith(_ON_TOKEN):
        return _on_token(spec.key, password, named, where)
    said = secrets.resolve(spec.key, f"{where}.key").strip()
    try:
        data = said.encode("utf-8") if said.startswith(_PEM.decode()) else (folder / said).read_bytes()
        key, own = _opened(data, password.encode("utf-8") if password is not None else None)
    except OSError as error:  # what it is called may be the key itself: it is not told
        what = f"the file of the key cannot be read: {error.strerror}"
        raise JobError(what, where=f"{where}.key", fix="Set its path, or the key in PEM") from error
    except (ValueError, TypeError, UnsupportedAlgorithm) as error:
        raise JobError(f"the key cannot be used: {error}", where=f"{where}.key", fix=_CURE) from error
    return _together(key, named or own, where)


def _on_token(uri: str, pin: str | None, chain: list[x5.Certificate], where: str) -> SigningKey:
    if not chain:
        raise JobError("the key has no certificate", where=where, fix="Name it with `certificate:`")
    from gonnet.delivery.tokens import key_on_token  # few have one

    key = key_on_token(uri, pin, chain[0].public_key(), f"{where}.key")
    return SigningKey(key=key, certificate=Certificate.of(chain[0], where), issuers=tuple(chain[1:]))


def _opened(data: bytes, password: bytes | None) -> tuple[PrivateKeyTypes, list[x5.Certificate]]:
    """A private key, and the certificates that are with it in PKCS #12 (RFC 7292)."""
    from cryptography.hazmat.primitives.serialization import load_pem_private_key, pkcs12

    if data.lstrip().startswith(_PEM):
        return load_pem_private_key(data, password if b"ENCRYPTED" in data else None), []
    key, certificate, others = pkcs12.load_key_and_certificates(data, password)
    if key is None:
        raise ValueError("it holds no private key")
    return key, [*([certificate] if certificate is not None else []), *others]


def _together(key: PrivateKeyTypes, chain: list[x5.Certificate], where: str) -> SigningKey:
    from cryptography.hazmat.primitives.asymmetric import ec, rsa

    if not isinstance(key, rsa.RSAPrivateKey | ec.EllipticCurvePrivateKey):
        raise JobError("the key is of another kind", where=f"{where}.key", fix=_CURE)
    if not chain:
        fix = "Name it with `certificate:`, or give a key in PKCS #12 that brings it"
        raise JobError("the key has no certificate", where=where, fix=fix)
    own = next((one for one in chain if one.public_key() == key.public_key()), None)
    if own is None:
        fix = "Name the certificate that was issued for this key"
        raise JobError("the certificate is of another key", where=f"{where}.certificate", fix=fix)
    return SigningKey(
        key=key, certificate=Certificate.of(own, where), issuers=tuple(one for one in chain if one is not own)
    )


def _certificates(path: Path, where: str) -> list[x5.Certificate]:
    try:
        return x509_in(path.read_bytes())
    except OSError as error:
        what = f"the file {path} cannot be read: {error.strerror}"
        raise JobError(what, where=where, fix="Correct the path, or put the file there") from error
    except ValueError as error:
        raise JobError(f"{path.name}: {error}", where=where, fix="Give a file in PEM") from error
