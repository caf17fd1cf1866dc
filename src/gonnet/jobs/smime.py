"""Whose keys sign messages, and where the certificates of those are for whom they are encrypted."""

from __future__ import annotations

from pydantic import Field, ValidationInfo, field_validator

from gonnet.jobs import secrets
from gonnet.jobs.sections import Name, Section


class SignerSpec(Section):
    """Whoever signs messages: a certificate that names the sender's address, and its private key.

    Attributes:
        certificate: A file in PEM, with those of its issuers if it has some; left out for a key in PKCS #12, which
            brings it.
        key: `${NAME}` or `${keyring:SERVICE/USER}`, which hold the private key in PEM, or the path of a file with it in
            PEM or PKCS #12; or the URI of one on a token: `pkcs11:token=…;object=…?module-path=…` (RFC 7512).
        password: What opens the key, never itself: only `${NAME}` or `${keyring:SERVICE/USER}`.
    """

    certificate: str | None = None
    key: str = Field(repr=False)
    password: str | None = Field(default=None, repr=False)

    @field_validator("key", "password")
    @classmethod
    def _never_in_the_file(cls, value: str | None, about: ValidationInfo) -> str | None:
        on_token = about.field_name == "key" and value is not None and value.startswith("pkcs11:")
        if value is not None and not on_token and not secrets.is_reference(value):
            raise ValueError("a key or its password does not stand in a file: write ${NAME} and set NAME")
        return value


class SmimeSpec(Section):
    """What messages are signed and encrypted with (S/MIME, RFC 8551), where a mail server asks for it.

    Attributes:
        signers: Who signs, by name: for each message the one whose certificate names its sender.
        certificates: A folder with the certificates of recipients, in PEM or DER.
    """

    signers: dict[Name, SignerSpec] = {}
    certificates: str | None = None
