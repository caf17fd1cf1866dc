"""Certificates of made-up people, by an issuer of the tests' own; and what two other programs read of a message."""

from __future__ import annotations

import datetime as dt
import re
import subprocess
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import ec, rsa
from cryptography.hazmat.primitives.hashes import SHA1, SHA256
from cryptography.hazmat.primitives.serialization import (
    BestAvailableEncryption,
    Encoding,
    NoEncryption,
    PrivateFormat,
    pkcs12,
)
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from runs import require

Key = rsa.RSAPrivateKey | ec.EllipticCurvePrivateKey

BEGAN = dt.datetime(2026, 1, 1, tzinfo=dt.UTC)
ENDS = dt.datetime(2029, 1, 1, tzinfo=dt.UTC)


@cache
def rsa_key(number: int) -> rsa.RSAPrivateKey:
    """A key, the same for the same number: to make one takes a while."""
    assert number >= 0
    return rsa.generate_private_key(65537, 2048)


@dataclass(frozen=True)
class Holder:
    """A certificate with its key."""

    certificate: x509.Certificate
    key: Key = field(repr=False)

    @property
    def pem(self) -> bytes:
        return self.certificate.public_bytes(Encoding.PEM)

    def key_pem(self, password: str = "") -> bytes:
        lock = BestAvailableEncryption(password.encode()) if password else NoEncryption()
        return self.key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, lock)

    def p12(self, password: str) -> bytes:
        old = PrivateFormat.PKCS12.encryption_builder().key_cert_algorithm(pkcs12.PBES.PBESv1SHA1And3KeyTripleDESCBC)
        lock = old.hmac_hash(SHA1()).build(password.encode())  # as every program reads it
        return pkcs12.serialize_key_and_certificates(b"me", self.key, self.certificate, [issuer().certificate], lock)


def _name(text: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, text)])


@cache
def issuer() -> Holder:
    key = rsa_key(0)
    usage = x509.KeyUsage(
        digital_signature=True, content_commitment=False, key_encipherment=False, data_encipherment=False,
        key_agreement=False, key_cert_sign=True, crl_sign=True, encipher_only=False, decipher_only=False,
    )  # fmt: skip
    made = (
        x509.CertificateBuilder().subject_name(_name("Tarnvale test issuer")).issuer_name(_name("Tarnvale test issuer"))
    )
    made = made.public_key(key.public_key()).serial_number(1).not_valid_before(BEGAN).not_valid_after(ENDS)
    made = made.add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
    return Holder(made.add_extension(usage, critical=True).sign(key, SHA256()), key)


@cache
def holder(
    *addresses: str,
    key: Key | None = None,
    begins: dt.datetime = BEGAN,
    ends: dt.datetime = ENDS,
    purpose: x509.ObjectIdentifier | None = ExtendedKeyUsageOID.EMAIL_PROTECTION,
) -> Holder:
    """Whoever has some addresses."""
    key = key or rsa_key(1 + sum(map(ord, "".join(addresses))) % 3)
    made = x509.CertificateBuilder().subject_name(_name(addresses[0] if addresses else "nobody"))
    made = made.issuer_name(issuer().certificate.subject).public_key(key.public_key())
    made = made.serial_number(x509.random_serial_number()).not_valid_before(begins).not_valid_after(ends)
    if addresses:
        names = [x509.RFC822Name(address) for address in addresses]
        made = made.add_extension(x509.SubjectAlternativeName(names), critical=False)
    if purpose is not None:
        made = made.add_extension(x509.ExtendedKeyUsage([purpose]), critical=False)
    return Holder(made.sign(issuer().key, SHA256()), key)


def decrypted(message: bytes, who: Holder, folder: Path) -> bytes:
    """What `openssl` makes of an encrypted message with somebody's key."""
    (folder / "me.pem").write_bytes(who.pem)
    (folder / "me.key").write_bytes(who.key_pem())
    words = ["openssl", "cms", "-decrypt", "-inform", "SMIME", "-recip", "me.pem", "-inkey", "me.key"]
    return subprocess.run(words, input=message, cwd=folder, capture_output=True, check=True).stdout


def verified(message: bytes, folder: Path, *options: str) -> bytes:
    """What `openssl` says was signed, by somebody whom the tests' issuer knows."""
    (folder / "issuer.pem").write_bytes(issuer().pem)
    words = [
        "openssl",
        "cms",
        "-verify",
        "-inform",
        "SMIME",
        "-CAfile",
        "issuer.pem",
        "-purpose",
        "smimesign",
        *options,
    ]
    return subprocess.run(words, input=message, cwd=folder, capture_output=True, check=True).stdout


def pdf_signature(data: bytes, folder: Path) -> str:
    """What `openssl` says of the signature of a whole PDF, by somebody whom the tests' issuer knows.

    Raises:
        CalledProcessError: it is not of these bytes, or not by such a one.
    """
    ranges = re.search(rb"/ByteRange \[\s*(\d+) (\d+) (\d+) (\d+)\s*\]", data)
    assert ranges is not None
    begin, first, second, last = map(int, ranges.groups())
    assert (begin, second + last) == (0, len(data))
    (folder / "signed").write_bytes(data[:first] + data[second:])
    (folder / "signature").write_bytes(bytes.fromhex(data[first + 1 : second - 1].decode()))
    (folder / "issuer.pem").write_bytes(issuer().pem)
    cms, given = ["openssl", "cms"], ["-inform", "DER", "-in", "signature"]
    words = [*cms, "-verify", *given, "-binary", "-content", "signed", "-CAfile", "issuer.pem", "-purpose", "any"]
    subprocess.run([*words, "-out", "content"], cwd=folder, capture_output=True, check=True)
    printed = subprocess.run([*cms, "-cmsout", "-print", "-noout", *given], cwd=folder, capture_output=True, check=True)
    return printed.stdout.decode()


def token_with(who: Holder, folder: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    """The URI of a key on a token of this machine, which its PIN 4711 opens."""
    require("softhsm2-util")
    (folder / "tokens").mkdir()
    (folder / "softhsm2.conf").write_text(f"directories.tokendir = {folder / 'tokens'}\nobjectstore.backend = file\n")
    monkeypatch.setenv("SOFTHSM2_CONF", str(folder / "softhsm2.conf"))
    (folder / "key.pem").write_bytes(who.key_pem())
    pins = ["--pin", "4711", "--label", "Office"]
    subprocess.run(
        ["softhsm2-util", "--init-token", "--free", "--so-pin", "0815", *pins], capture_output=True, check=True
    )
    words = ["softhsm2-util", "--import", str(folder / "key.pem"), "--token", "Office", "--id", "A1", "--pin", "4711"]
    subprocess.run([*words, "--label", "statements"], capture_output=True, check=True)
    module = next(Path("/usr/lib").glob("**/softhsm/libsofthsm2.so"))
    return f"pkcs11:token=Office;object=statements?module-path={module}"
