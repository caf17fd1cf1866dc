"""Messages that are signed and encrypted (S/MIME 4.0, RFC 8551, over CMS, RFC 5652).

What is signed or encrypted is what a message says and carries; its header lines stay outside, for servers to read.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from gonnet.delivery.headers import lines_of
from gonnet.delivery.message import in_lines
from gonnet.recipients.certificates import Certificate

if TYPE_CHECKING:
    from cryptography import x509 as x5
    from cryptography.hazmat.primitives.asymmetric.ec import EllipticCurvePrivateKey
    from cryptography.hazmat.primitives.asymmetric.rsa import RSAPrivateKey

_OF_BODY = (b"content-", b"mime-version:")
_ENCRYPTED = (
    b"MIME-Version: 1.0\r\n"
    b"Content-Type: application/pkcs7-mime; smime-type=enveloped-data; name=smime.p7m\r\n"
    b"Content-Transfer-Encoding: base64\r\n"
    b"Content-Disposition: attachment; filename=smime.p7m\r\n\r\n"
)


@dataclass(frozen=True, slots=True, kw_only=True)
class SigningKey:
    """What signs.

    Attributes:
        key: The private key; shows nothing of it.
        certificate: Whose it is.
        issuers: Certificates that lead from it to one that readers trust.
    """

    key: RSAPrivateKey | EllipticCurvePrivateKey = field(repr=False)
    certificate: Certificate
    issuers: tuple[x5.Certificate, ...] = ()


def signed(message: bytes, by: SigningKey) -> bytes:
    """The message with a signature that every mail program shows it without (RFC 8551, 3.5.3).

    Args:
        message: A whole message, every line of it ended by CRLF, of seven-bit bytes below its header.
        by: What signs it, with SHA-256.
    """
    from cryptography.hazmat.primitives.hashes import SHA256
    from cryptography.hazmat.primitives.serialization import Encoding
    from cryptography.hazmat.primitives.serialization.pkcs7 import PKCS7Options, PKCS7SignatureBuilder

    head, entity = _apart(message)
    builder = PKCS7SignatureBuilder().set_data(entity).add_signer(by.certificate.x509, by.key, SHA256())
    for issuer in by.issuers:
        builder = builder.add_certificate(issuer)
    signature = builder.sign(Encoding.DER, [PKCS7Options.DetachedSignature, PKCS7Options.Binary])
    mark = b"=_s" + hashlib.sha256(signature).hexdigest()[:24].encode("ascii")
    return b"".join(
        [
            head,
            b'MIME-Version: 1.0\r\nContent-Type: multipart/signed; protocol="application/pkcs7-signature";\r\n',
            b' micalg=sha-256; boundary="' + mark + b'"\r\n\r\n--' + mark + b"\r\n",
            entity,
            b"\r\n--" + mark + b"\r\n",
            b"Content-Type: application/pkcs7-signature; name=smime.p7s\r\nContent-Transfer-Encoding: base64\r\n",
            b"Content-Disposition: attachment; filename=smime.p7s\r\n\r\n",
            in_lines(signature),
            b"--" + mark + b"--\r\n",
        ]
    )


def encrypted(message: bytes, to: x5.Certificate) -> bytes:
    """The message as nobody reads it without the key of a certificate (RFC 8551, 3.3): AES-256, a new key each time.

    Args:
        message: A whole message, every line of it ended by CRLF; signed before, where it is to be.
        to: The certificate, with an RSA key.
    """
    from cryptography.hazmat.primitives.ciphers.algorithms import AES256
    from cryptography.hazmat.primitives.serialization import Encoding
    from cryptography.hazmat.primitives.serialization.pkcs7 import PKCS7EnvelopeBuilder, PKCS7Options

    head, entity = _apart(message)
    builder = PKCS7EnvelopeBuilder().set_data(entity).add_recipient(to).set_content_encryption_algorithm(AES256)
    return b"".join([head, _ENCRYPTED, in_lines(builder.encrypt(Encoding.DER, [PKCS7Options.Binary]))])


def _apart(message: bytes) -> tuple[bytes, bytes]:
    """The header lines that stay outside, and the MIME entity (RFC 2045, 2.4) that is all the rest."""
    head, body = message.split(b"\r\n\r\n", 1)
    outside: list[bytes] = []
    of_body: list[bytes] = []
    for line in lines_of(head):
        kept = of_body if line.lower().startswith(_OF_BODY) else outside
        if not line.lower().startswith(b"mime-version:"):
            kept.append(line + b"\r\n")
    return b"".join(outside), b"".join([*of_body, b"\r\n", body])
