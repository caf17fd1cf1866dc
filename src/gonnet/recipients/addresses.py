"""Whether a cell holds addresses that a message can be sent to (RFC 5321, 4.1.2; RFC 6531, 3.3; RFC 5890 for names)."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass

import idna

_ATOM = r"[A-Za-z0-9!#$%&'*+/=?^_`{|}~\u00a0-\U0010ffff-]+"
_LOCAL = re.compile(rf"^{_ATOM}(\.{_ATOM})*$")
_NOT_SEEN = frozenset(
    {"Cc", "Cf", "Cn", "Co", "Cs", "Zl", "Zp", "Zs"}
)  # what does not show, or shows as something else
_LABEL = re.compile(r"^[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?$")
_NAMED = re.compile(r'^\s*(?P<name>"(?:[^"\\]|\\.)*"|[^<>"]*?)\s*<(?P<address>[^<>]*)>\s*$')
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f]")
_APART = re.compile(r"[;\n]")


class NotAnAddressError(ValueError):
    """The text is not an address; the message says what is wrong with it."""


@dataclass(frozen=True, slots=True, kw_only=True, order=True)
class Address:
    """One mailbox.

    Attributes:
        mailbox: `local@domain`, the domain in its ASCII form.
        display: The name shown with it; empty where there is none.
    """

    mailbox: str
    display: str = ""

    @property
    def domain(self) -> str:
        """What comes after the @, in lower case."""
        return self.mailbox.rpartition("@")[2].lower()

    @property
    def is_ascii(self) -> bool:
        """Whether every mail server takes it; others need SMTPUTF8 (RFC 6531)."""
        return self.mailbox.isascii()

    @property
    def identity(self) -> str:
        """What makes two addresses the same for us: the mailbox without regard to case."""
        return self.mailbox.casefold()


def parse(cell: str, *, display: str = "") -> tuple[Address, ...]:
    """The addresses of one cell, separated by `;` or line ends; the same one twice counts once.

    Args:
        cell: `ann@farm.example` or `Ann Bell <ann@farm.example>`, or several of them.
        display: The name to show where the cell gives none.

    Raises:
        NotAnAddressError: one of them is not an address, or there is none.
    """
    found: dict[str, Address] = {}
    for part in _APART.split(cell):
        if part.strip():
            address = _one(part.strip(), display)
            found.setdefault(address.identity, address)
    if not found:
        raise NotAnAddressError("there is no address")
    return tuple(found.values())


def _one(text: str, display: str) -> Address:
    named = _NAMED.match(text)
    mailbox = named["address"].strip() if named else text
    shown = named["name"].strip().strip('"') if named else display
    if _CONTROL.search(text):
        raise NotAnAddressError("it contains a control character")
    local, at, domain = mailbox.rpartition("@")
    if not at:
        raise NotAnAddressError("there is no @ in it")
    if "@" in local:
        raise NotAnAddressError("it looks like several addresses; put ; between them")
    if re.search(r"\s", mailbox):
        raise NotAnAddressError("it contains a blank")
    local = unicodedata.normalize("NFC", local)  # RFC 6532, 3.1
    if any(unicodedata.category(sign) in _NOT_SEEN for sign in local):
        raise NotAnAddressError("there is a sign before the @ that cannot be seen")
    if set(local) & set("%!"):
        raise NotAnAddressError("a % or ! before the @ is a route to another address, which servers may follow")
    if not _LOCAL.match(local) or len(local.encode("utf-8")) > 64:
        raise NotAnAddressError("what comes before the @ is not allowed there")
    return Address(mailbox=f"{local}@{_ascii_domain(domain)}", display=_CONTROL.sub(" ", shown))


def _ascii_domain(domain: str) -> str:
    try:
        name = domain if domain.isascii() else idna.encode(domain, uts46=True).decode("ascii")
    except idna.IDNAError as error:
        raise NotAnAddressError("what comes after the @ is not a domain") from error
    labels = name.split(".")
    if len(labels) < 2 or len(name) > 253 or not all(_LABEL.match(label) for label in labels):
        raise NotAnAddressError("what comes after the @ is not a domain")
    return name
