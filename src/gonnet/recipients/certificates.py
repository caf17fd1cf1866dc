"""Certificates of mailboxes (RFC 5280, RFC 8550): whose they are, how long they hold, and what they may be used for."""

from __future__ import annotations

import base64
import binascii
import datetime as dt
import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from gonnet.errors import JobError
from gonnet.recipients.addresses import Address

if TYPE_CHECKING:
    from cryptography import x509 as x5

Use = Literal["sign", "encrypt", "sign documents"]

INSTALL = "Install it: pip install 'gonnet[sign]'"
_ENDINGS = (".pem", ".crt", ".cer", ".der")
_PEM = re.compile(rb"-----BEGIN CERTIFICATE-----.+?-----END CERTIFICATE-----", re.DOTALL)
_SHOWN = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Certificate:
    """A certificate of somebody who gets or writes mail.

    Attributes:
        x509: It.
        where: The file or the line of a list in which it is.
        addresses: The mailboxes that it names, as they are compared.
    """

    x509: x5.Certificate = field(repr=False)
    where: str
    addresses: frozenset[str]

    @classmethod
    def of(cls, x509: x5.Certificate, where: str) -> Certificate:
        """The certificate, with the mailboxes that it names."""
        return cls(x509=x509, where=where, addresses=_addresses(x509))

    @property
    def ends(self) -> dt.datetime:
        """Until when it holds, in UTC."""
        return self.x509.not_valid_after_utc

    def trouble(self, now: dt.datetime, use: Use) -> str | None:
        """Why it cannot be used at a time; None where it can."""
        if now > self.ends:
            return f"expired on {self.ends:%Y-%m-%d}"
        if now < self.x509.not_valid_before_utc:
            return f"holds only from {self.x509.not_valid_before_utc:%Y-%m-%d}"
        return _not_for(self.x509, use)


def _not_for(x509: x5.Certificate, use: Use) -> str | None:
    """Why a certificate is not for a use, whenever (RFC 8550, 4.4; CMS of `cryptography` wraps keys by RSA alone)."""
    from cryptography.hazmat.primitives.asymmetric import ec, rsa
    from cryptography.x509 import ExtendedKeyUsage, ExtensionNotFound, KeyUsage
    from cryptography.x509.oid import ExtendedKeyUsageOID

    kinds = (rsa.RSAPublicKey,) if use == "encrypt" else (rsa.RSAPublicKey, ec.EllipticCurvePublicKey)
    if not isinstance(x509.public_key(), kinds):
        return "has a key of another kind than RSA" + ("" if use == "encrypt" else " or an elliptic curve")
    try:
        usage = x509.extensions.get_extension_for_class(KeyUsage).value
        if not (usage.key_encipherment if use == "encrypt" else usage.digital_signature or usage.content_commitment):
            return f"is not one to {use} with"
    except ExtensionNotFound:
        pass
    if use == "sign documents":
        return None
    try:
        purposes = x509.extensions.get_extension_for_class(ExtendedKeyUsage).value
        if not {ExtendedKeyUsageOID.EMAIL_PROTECTION, ExtendedKeyUsageOID.ANY_EXTENDED_KEY_USAGE} & set(purposes):
            return "is not one for mail"
    except ExtensionNotFound:
        pass
    return None


def certificates_in(data: bytes, where: str) -> tuple[Certificate, ...]:
    """The certificates in a file or a cell, without those of issuers.

    Args:
        data: PEM (RFC 7468), with as many as there are; DER; or DER in Base64, as directories write it.
        where: What to name in an error.

    Raises:
        ValueError: there is none, or one that cannot be read.
        JobError: the library that reads them is not installed.
    """
    found = (Certificate.of(one, where) for one in x509_in(data))
    return tuple(one for one in found if one.addresses or not _is_issuer(one.x509))  # who made their own is both


def x509_in(data: bytes) -> list[x5.Certificate]:
    """All certificates in a file or a cell, as `certificates_in` takes them.

    Raises:
        ValueError: there is none, or one that cannot be read.
        JobError: the library that reads them is not installed.
    """
    try:
        from cryptography.x509 import load_der_x509_certificate, load_pem_x509_certificate
    except ImportError as error:
        raise JobError("the library that reads certificates is not installed", where="smime", fix=INSTALL) from error
    if found := _PEM.findall(data):
        return [load_pem_x509_certificate(part) for part in found]
    try:
        return [load_der_x509_certificate(data)]
    except ValueError:
        pass
    try:
        return [load_der_x509_certificate(base64.b64decode(b"".join(data.split()), validate=True))]
    except (binascii.Error, ValueError) as error:
        raise ValueError("it holds no certificate, neither PEM nor DER") from error


def _addresses(x509: x5.Certificate) -> frozenset[str]:
    """The mailboxes that a certificate names: its alternative names, else those of its subject (RFC 8550, 3)."""
    from cryptography.x509 import ExtensionNotFound, RFC822Name, SubjectAlternativeName
    from cryptography.x509.oid import NameOID

    named = [str(one.value) for one in x509.subject.get_attributes_for_oid(NameOID.EMAIL_ADDRESS)]
    try:
        others = x509.extensions.get_extension_for_class(SubjectAlternativeName).value
        named = [*others.get_values_for_type(RFC822Name), *named]
    except ExtensionNotFound:
        pass
    return frozenset(Address(mailbox=name).identity for name in named)


def _is_issuer(x509: x5.Certificate) -> bool:
    from cryptography.x509 import BasicConstraints, ExtensionNotFound

    try:
        return x509.extensions.get_extension_for_class(BasicConstraints).value.ca
    except ExtensionNotFound:
        return False


class Known:
    """The certificates of recipients that a workspace keeps in a folder, by address.

    A file whose certificate names no mailbox is of the one that the file is called after.

    Args:
        folder: The folder; None for none.

    Raises:
        JobError: there is no such folder, or the library that reads certificates is not installed.
    """

    def __init__(self, folder: Path | None) -> None:
        self._by_address: defaultdict[str, list[Certificate]] = defaultdict(list)
        self.unreadable: list[str] = []
        if folder is None:
            return
        if not folder.is_dir():
            fix = "Make it, or correct the path"
            raise JobError(f"there is no folder {folder}", where="gonnet.yaml, smime.certificates", fix=fix)
        for file in sorted(folder.iterdir()):
            if file.suffix.casefold() in _ENDINGS:
                self._add(file)

    def _add(self, file: Path) -> None:
        try:
            found = certificates_in(file.read_bytes(), file.name)
        except (OSError, ValueError) as error:
            self.unreadable.append(f"{file.name}: {error}")
            return
        for one in found:
            for address in one.addresses or {Address(mailbox=file.stem).identity}:
                self._by_address[address].append(one)

    def of(self, address: str, listed: Iterable[Certificate] = ()) -> list[Certificate]:
        """The certificates of an address, those of its own line on the list first."""
        identity = Address(mailbox=address).identity
        own = [one for one in listed if not one.addresses or identity in one.addresses]
        return [*own, *self._by_address.get(identity, ())]


def chosen(found: Iterable[Certificate], now: dt.datetime) -> Certificate | None:
    """The certificate to encrypt with: of those that can be used, the one that holds longest; None for none."""
    usable = (one for one in found if one.trouble(now, "encrypt") is None)
    return max(usable, key=lambda one: one.ends, default=None)


def why_none(address: str, found: Iterable[Certificate], now: dt.datetime) -> str:
    """Why an address has no certificate that can be used, in words."""
    troubles = [f"that in {one.where} {one.trouble(now, 'encrypt')}" for one in found]
    if not troubles:
        return f"{address} has no certificate"
    return f"no certificate of {address} can be used ({', '.join(troubles[:_SHOWN])})"
