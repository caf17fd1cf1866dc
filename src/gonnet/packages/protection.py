"""Passwords on finished documents.

PDFs are encrypted by AES-256 (ISO 32000-2, 7.6), workbooks by agile encryption (ECMA-376 with MS-OFFCRYPTO, 2.3.4.10).
"""

from __future__ import annotations

import io
import re
import secrets
from dataclasses import dataclass, field

from gonnet.errors import require_library
from gonnet.jobs.values import OfDocument

_LONGEST = 127  # bytes of a PDF's password (ISO 32000-2, 7.6.4.3.2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Lock:
    """The passwords of one document; shows nothing of them.

    Attributes:
        open: What opens it.
        change: What allows everything, of a PDF; one that nobody knows when empty.
        may_print: Whether those who opened it may print it.
        may_copy: Whether they may copy from it.
    """

    open: str = field(repr=False)
    change: str = field(default="", repr=False)
    may_print: bool = True
    may_copy: bool = True


class PasswordError(Exception):
    """A password that a document cannot have; its text does not tell it."""


def require(form: OfDocument, where: str) -> None:
    """Refuse where the library that protects documents of a format is not installed.

    Raises:
        JobError: names the line that installs it.
    """
    module = "pikepdf" if form == "pdf" else "msoffcrypto"
    require_library(module, f"protects documents `as: {form}`", "protect", where)


def protected(data: bytes, form: OfDocument, lock: Lock) -> bytes:
    """The document as nobody opens it without the password. Its bytes are new every time: salts are random.

    Raises:
        PasswordError: the password cannot be one.
    """
    if len(lock.open.encode("utf-8")) > _LONGEST or any(ord(sign) < 32 for sign in lock.open):
        raise PasswordError(f"a password has at most {_LONGEST} bytes and no control characters")
    return _pdf(data, lock) if form == "pdf" else _workbook(data, lock)


def is_locked(data: bytes) -> bool:
    """Whether a document or a zip opens only with a password, as its bytes say.

    Of a PDF the entry Encrypt says so (ISO 32000-2, 7.5.5), of a workbook the stream EncryptedPackage (MS-OFFCRYPTO,
    1.3.3), of a zip bit 0 of the flags of its first entry.
    """
    if data.startswith(b"PK\x03\x04"):
        return bool(data[6] & 1)
    if data.startswith(b"%PDF-"):
        return re.search(rb"/Encrypt\s+\d+\s+\d+\s+R", data) is not None
    return data.startswith(b"\xd0\xcf\x11\xe0") and "EncryptedPackage".encode("utf-16-le") in data


def _pdf(data: bytes, lock: Lock) -> bytes:
    import pikepdf

    allowed = pikepdf.Permissions(
        accessibility=True,
        extract=lock.may_copy,
        print_lowres=lock.may_print,
        print_highres=lock.may_print,
        modify_annotation=False,
        modify_assembly=False,
        modify_form=False,
        modify_other=False,
    )
    target = io.BytesIO()
    owner = lock.change or secrets.token_urlsafe(32)
    with pikepdf.open(io.BytesIO(data)) as document:
        document.save(target, encryption=pikepdf.Encryption(user=lock.open, owner=owner, R=6, allow=allowed))
    return target.getvalue()


def _workbook(data: bytes, lock: Lock) -> bytes:
    from msoffcrypto.format.ooxml import OOXMLFile

    target = io.BytesIO()
    OOXMLFile(io.BytesIO(data)).encrypt(lock.open, target)
    return target.getvalue()
