"""Header lines (RFC 5322, 2.2) that no value can add a line to."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from email.header import Header
from email.parser import BytesHeaderParser
from email.policy import compat32

from gonnet.recipients import Address

_CONTROL = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029]+")
_LINE = 76


def clean(text: str) -> str:
    """`text` on one line: control characters and line ends become blanks."""
    return re.sub(r" {2,}", " ", _CONTROL.sub(" ", text)).strip()


def unstructured(name: str, text: str) -> bytes:
    """A header line whose value is a text, such as Subject.

    What is not plain ASCII, and what could be read as an encoded word (RFC 2047), is encoded, so that a reader sees
    exactly `text`.
    """
    value = clean(text)
    if value.isascii() and "=?" not in value:
        return _folded(name, value.split(" "), " ")
    return f"{name}: {_encoded(value, name)}\r\n".encode("ascii")


def _encoded(text: str, name: str) -> str:
    """`text` as encoded words (RFC 2047), folded so that the line of the header `name` stays short."""
    return Header(text, "utf-8", maxlinelen=_LINE, header_name=name).encode(linesep="\r\n")


def addresses(name: str, found: Sequence[Address]) -> bytes:
    """A header line that lists mailboxes, such as To (RFC 5322, 3.6.3); nothing where there are none.

    A mailbox with letters beyond ASCII stands there as it is, in UTF-8 (RFC 6532): it cannot be encoded.
    """
    if not found:
        return b""
    return _folded(name, [_mailbox(address) for address in found], ", ")


def _mailbox(address: Address) -> str:
    display = clean(address.display)
    if not display:
        return address.mailbox
    if display.isascii() and "=?" not in display:
        escaped = display.replace("\\", "\\\\").replace('"', '\\"')
        return f'"{escaped}" <{address.mailbox}>'
    return f"{_encoded(display, 'Cc')} <{address.mailbox}>"


def _folded(name: str, parts: Iterable[str], joint: str) -> bytes:
    lines, line = [], f"{name}:"
    for number, part in enumerate(parts):
        lead = joint if number else " "
        if len(line) + len(lead) + len(part) > _LINE and line != f"{name}:":
            lines.append(line + lead.rstrip(" "))
            line = " " + part
        else:
            line += lead + part
    return ("\r\n".join([*lines, line]) + "\r\n").encode("utf-8")


def names_of(block: bytes) -> list[str]:
    """The names of the header lines that a reader finds in `block`, in order."""
    return BytesHeaderParser(policy=compat32).parsebytes(block).keys()


def lines_of(head: bytes) -> list[bytes]:
    """The header lines of a message, each with the lines that continue it, without its end."""
    lines: list[bytes] = []
    for line in head.split(b"\r\n"):
        if line.startswith((b" ", b"\t")):
            lines[-1] += b"\r\n" + line
        else:
            lines.append(line)
    return lines
