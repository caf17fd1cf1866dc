"""The message: written and sealed when a run is prepared, joined with its attachments when it is handed over.

What is sealed is everything but the attachments (which have digests of their own) and the Date, which is the time of
the hand-over. Nothing in it is random but what the Message-ID gives, so that the same parts give the same bytes.
"""

from __future__ import annotations

import binascii
import datetime as dt
import hashlib
import html
import mimetypes
import re
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from email import message_from_bytes
from email.policy import default
from email.utils import format_datetime
from urllib.parse import quote

from gonnet.delivery import headers
from gonnet.delivery.body import Body
from gonnet.delivery.frame import Frame, framed, with_other_words
from gonnet.recipients import Address

_TYPES = {
    "zip": "application/zip",
    "csv": "text/csv",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "ods": "application/vnd.oasis.opendocument.spreadsheet",
    "txt": "text/plain",
    "html": "text/html",
    "pdf": "application/pdf",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
_EPOCH = dt.datetime(1970, 1, 1, tzinfo=dt.UTC)
_LINE_END = re.compile(rb"\r\n|\r|\n")
_LINE = 76  # characters of an encoded line (RFC 2045, 6.8)
_PLAIN = Frame()


@dataclass(frozen=True, slots=True, kw_only=True)
class Envelope:
    """Who a message is from and for, and what identifies it.

    Attributes:
        sender: From, and the envelope's sender.
        reply_to: Where answers go, or None.
        to: Addresses of To.
        cc: Addresses of Cc.
        bcc: Addresses that get it unseen: in no header line.
        message_id: With its angle brackets.
        important: Whether it is marked so (RFC 2156, 5.3.6).
        headers: Header lines of its own: name and text.
    """

    sender: Address
    to: tuple[Address, ...]
    message_id: str
    reply_to: Address | None = None
    cc: tuple[Address, ...] = ()
    bcc: tuple[Address, ...] = ()
    important: bool = False
    headers: tuple[tuple[str, str], ...] = ()

    def everybody(self) -> tuple[Address, ...]:
        """Every envelope address once, To first."""
        found: dict[str, Address] = {}
        for address in (*self.to, *self.cc, *self.bcc):
            found.setdefault(address.identity, address)
        return tuple(found.values())


@dataclass(frozen=True, slots=True, kw_only=True)
class Attachment:
    """A file that goes with a message."""

    name: str
    format: str
    data: bytes


def write_message(envelope: Envelope, subject: str, body: Body, locale: str, frame: Frame = _PLAIN) -> bytes:
    """A message up to its attachments, ready to be sealed.

    Args:
        envelope: From, to whom, Message-ID.
        subject: The subject line.
        body: What it says.
        locale: The CLDR locale of the texts.
        frame: What the house gives it.
    """
    outer, inner = _boundaries(envelope.message_id)
    page = body.html if body.is_page else framed(body.html, headers.clean(subject), locale, frame, body.style)
    block = b"".join(
        [
            headers.addresses("From", [envelope.sender]),
            headers.addresses("To", envelope.to),
            headers.addresses("Cc", envelope.cc),
            headers.addresses("Reply-To", [envelope.reply_to] if envelope.reply_to else []),
            headers.unstructured("Subject", subject),
            f"Message-ID: {envelope.message_id}\r\n".encode("ascii"),
            b"Auto-Submitted: auto-generated\r\n",  # RFC 3834, 5.1: no automatic answers
            b"Importance: high\r\nPriority: urgent\r\n" if envelope.important else b"",
            *(headers.unstructured(name, text) for name, text in envelope.headers),
            b"MIME-Version: 1.0\r\n",
            f'Content-Type: multipart/mixed; boundary="{outer}"\r\n'.encode("ascii"),
        ]
    )
    _require_lines(block, envelope)
    return b"".join(
        [
            block,
            f"\r\n--{outer}\r\n".encode("ascii"),
            _both(body.text, _page_part(page, body, envelope.message_id), inner),
        ]
    )


def with_body(sealed: bytes, body: Body) -> bytes:
    """The same message with another body; its language is the one that it had."""
    head, _ = sealed.split(b"\r\n\r\n", 1)
    message = message_from_bytes(sealed, policy=default)
    found = message.get_body(("html",))
    page = str(found.get_content()) if found is not None else ""
    lang = re.search(r'<html[^>]*\blang="([^"]*)"', page)
    text = with_other_words(page, body.html)
    if text is None:  # a page of the job's own, or a message of an earlier version
        text = framed(body.html, str(message["Subject"]), lang[1].replace("-", "_") if lang else "en", _PLAIN)
    outer, inner = _outer(sealed).encode("ascii"), _boundaries(str(message["Message-ID"]))[1]
    return b"".join([head, b"\r\n\r\n--", outer, b"\r\n", _both(body.text, _part(text, "html"), inner)])


def _both(text: str, page: bytes, inner: str) -> bytes:
    """Plain text and HTML, of which a reader shows one (RFC 2046, 5.1.4)."""
    mark = f"--{inner}\r\n".encode("ascii")
    head = f'Content-Type: multipart/alternative; boundary="{inner}"\r\n\r\n'.encode("ascii")
    return b"".join([head, mark, _part(text, "plain"), mark, page, f"--{inner}--\r\n".encode("ascii")])


def _part(content: str, kind: str) -> bytes:
    head = f'Content-Type: text/{kind}; charset="utf-8"\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\n'
    # RFC 2045, 6.7: line ends are CRLF as they stand, soft ones too.
    encoded = binascii.b2a_qp(content.encode("utf-8"), istext=True)
    return head.encode("ascii") + encoded.replace(b"\r\n", b"\n").replace(b"\n", b"\r\n") + b"\r\n"


def _page_part(page: str, body: Body, message_id: str) -> bytes:
    """The HTML, together with its pictures where it has some (RFC 2387)."""
    if not body.pictures:
        return _part(page, "html")
    mark = "=_r" + hashlib.sha256(message_id.encode("utf-8")).hexdigest()[:24]
    parts = [f'Content-Type: multipart/related; boundary="{mark}"; type="text/html"\r\n'.encode("ascii")]
    parts.append(f"\r\n--{mark}\r\n".encode("ascii") + _part(page, "html"))
    for name, data in body.pictures.items():
        kind = "png" if data.startswith(b"\x89PNG") else "jpeg"
        head = (
            f"--{mark}\r\nContent-Type: image/{kind}\r\nContent-Transfer-Encoding: base64\r\n"
            f"Content-ID: <{name}>\r\nContent-Disposition: inline\r\n\r\n"
        )
        parts += [head.encode("ascii"), in_lines(data)]
    parts.append(f"--{mark}--\r\n".encode("ascii"))
    return b"".join(parts)


def in_lines(data: bytes) -> bytes:
    """Base64 in lines of 76 characters (RFC 2045, 6.8)."""
    text = binascii.b2a_base64(data, newline=False)
    full = len(text) // _LINE
    lines = struct.unpack(f"{_LINE}s" * full, text[: full * _LINE])
    rest = text[full * _LINE :]
    return b"\r\n".join((*lines, rest, b"") if rest else (*lines, b""))


def _boundaries(message_id: str) -> tuple[str, str]:
    mark = hashlib.sha256(message_id.encode("utf-8")).hexdigest()[:24]
    return f"=_m{mark}", f"=_a{mark}"


def _require_lines(block: bytes, envelope: Envelope) -> None:
    """A last look that no value became a header line: whatever it is, it must not leave."""
    wanted = ["From", *(["To"] if envelope.to else [])]
    wanted += ["Cc"] if envelope.cc else []
    wanted += ["Reply-To"] if envelope.reply_to else []
    wanted += ["Subject", "Message-ID", "Auto-Submitted"]
    wanted += ["Importance", "Priority"] if envelope.important else []
    wanted += [*(name for name, _ in envelope.headers), "MIME-Version", "Content-Type"]
    if headers.names_of(block) != wanted:
        raise ValueError("the header lines of a message are not the ones that were written")


def compose(sealed: bytes, attachments: Sequence[Attachment], date: dt.datetime) -> bytes:
    """The whole message as it is handed over: Date first, then what was sealed, then the attachments.

    Every line is ended by CRLF and nothing else: a server that took another end of line for one could be made to see
    the end of the message in the middle of it.
    """
    if not sealed.count(b"\r") == sealed.count(b"\n") == sealed.count(b"\r\n"):
        sealed = _LINE_END.sub(b"\r\n", sealed)
    outer = _outer(sealed)
    parts = [f"Date: {format_datetime(date)}\r\n".encode("ascii"), sealed]
    for attachment in attachments:
        parts.append(f"\r\n--{outer}\r\n{_attachment_head(attachment)}\r\n".encode("ascii"))
        parts.append(in_lines(attachment.data))
    parts.append(f"\r\n--{outer}--\r\n".encode("ascii"))
    return b"".join(parts)


def _outer(sealed: bytes) -> str:
    head = sealed.partition(b"\r\n\r\n")[0].decode("utf-8")
    return head.rpartition('boundary="')[2].rstrip('"')


def _type_of(attachment: Attachment) -> str:
    """The media type of a file by the ending of its name; text that says nothing else is ASCII (RFC 2046, 4.1.2)."""
    form = attachment.format
    found = _TYPES.get(form) or mimetypes.guess_type(f"file.{form}")[0] or "application/octet-stream"
    is_more = found.startswith("text/") and not attachment.data.isascii() and _is_utf_8(attachment.data)
    return f'{found}; charset="utf-8"' if is_more else found


def _is_utf_8(data: bytes) -> bool:
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def _attachment_head(attachment: Attachment) -> str:
    name = attachment.name
    if name.isascii() and '"' not in name and "\\" not in name:
        shown = f'filename="{name}"'
    else:  # RFC 2231, 4
        shown = f"filename*=utf-8''{quote(name, safe='')}"
    return (
        f"Content-Type: {_type_of(attachment)}\r\n"
        "Content-Transfer-Encoding: base64\r\n"
        f"Content-Disposition: attachment; {shown}\r\n"
    )


def plain_text(sealed: bytes) -> str:
    """The plain text of a message, as a reader sees it."""
    part = message_from_bytes(compose(sealed, (), _EPOCH), policy=default).get_body(("plain",))
    return "" if part is None else str(part.get_content()).replace("\r\n", "\n")


def draft(sealed: bytes, attachments: Sequence[Attachment], bcc: Sequence[str]) -> bytes:
    """The whole message as a file that mail programs open as unsent: without a Date, with its Bcc.

    `X-Unsent` is what programs look for that can take up such a file; others show it like any message.
    """
    whole = compose(sealed, attachments, _EPOCH).split(b"\r\n", 1)[1]
    unseen = headers.addresses("Bcc", [Address(mailbox=mailbox) for mailbox in bcc])
    return b"X-Unsent: 1\r\n" + unseen + whole


def html_page(sealed: bytes) -> str:
    """The HTML of a message, with the pictures that travel in it."""
    message = message_from_bytes(compose(sealed, (), _EPOCH), policy=default)
    part = message.get_body(("html",))
    page = "" if part is None else str(part.get_content())
    for inside in message.walk():
        name = str(inside.get("Content-ID", "")).strip("<>")
        if name:
            data = "".join(str(inside.get_payload()).split())  # it travels in Base64
            page = page.replace(f"cid:{name}", f"data:{inside.get_content_type()};base64,{data}")
    return page


def for_trial(sealed: bytes, subject: str, envelope: Envelope, trial: Sequence[Address]) -> bytes:
    """The same message to `trial` alone; the real addresses stand in the subject and in a header line.

    Args:
        sealed: The message as it was sealed.
        subject: Its subject.
        envelope: Its real envelope, with the Message-ID that the trial is to have.
        trial: Who get it.
    """
    head, body = sealed.split(b"\r\n\r\n", 1)
    kept = [
        line
        for line in headers.lines_of(head)
        if not line.lower().startswith((b"to:", b"cc:", b"subject:", b"message-id:"))
    ]
    parts = {"to": envelope.to, "cc": envelope.cc, "bcc": envelope.bcc}
    real = "; ".join(f"{name} {', '.join(a.mailbox for a in found)}" for name, found in parts.items() if found)
    lines = [
        headers.addresses("To", trial),
        headers.unstructured("Subject", f"[trial: {real}] {subject}"),
        headers.unstructured("X-Gonnet-Trial", real),
        f"Message-ID: {envelope.message_id}\r\n".encode("ascii"),
    ]
    return b"".join(line + b"\r\n" for line in kept[:1]) + b"".join(lines) + b"\r\n".join(kept[1:]) + b"\r\n\r\n" + body


def with_message_id(sealed: bytes, message_id: str) -> bytes:
    """The same message with another Message-ID, so that no program takes it for one that it has already."""
    head, body = sealed.split(b"\r\n\r\n", 1)
    line = f"Message-ID: {message_id}".encode("ascii")
    lines = [line if old.lower().startswith(b"message-id:") else old for old in headers.lines_of(head)]
    return b"\r\n".join(lines) + b"\r\n\r\n" + body


def with_subject(sealed: bytes, old: str, subject: str) -> bytes:
    """The same message under another subject, which is also the title of its HTML where the old one was."""
    head, body = sealed.split(b"\r\n\r\n", 1)
    line = headers.unstructured("Subject", subject).removesuffix(b"\r\n")
    lines = [line if part.lower().startswith(b"subject:") else part for part in headers.lines_of(head)]
    return b"\r\n".join(lines) + b"\r\n\r\n" + _retitled(body, old, subject)


def _retitled(body: bytes, old: str, new: str) -> bytes:
    mark = _part("", "html").removesuffix(b"\r\n")
    before, found, rest = body.partition(mark)
    if not found:
        return body
    encoded, end, after = rest.partition(b"\r\n--")
    page = binascii.a2b_qp(encoded).decode("utf-8").replace("\r\n", "\n")
    was, title = (f"<title>{html.escape(headers.clean(text))}</title>" for text in (old, new))
    return before + _part(page.replace(was, title, 1), "html").removesuffix(b"\r\n") + end + after


def readdressed(sealed: bytes, to: Sequence[Address] | None, cc: Sequence[Address] | None) -> bytes:
    """The same message to others: To and Cc as given, everything else as it was; None leaves a line with its names."""
    head, body = sealed.split(b"\r\n\r\n", 1)
    sender, *lines = headers.lines_of(head)
    named = b""
    for name, people in (("To", to), ("Cc", cc)):
        old = [line for line in lines if line.lower().startswith(f"{name}:".lower().encode())]
        lines = [line for line in lines if line not in old]
        named += b"".join(line + b"\r\n" for line in old) if people is None else headers.addresses(name, people)
    return sender + b"\r\n" + named + b"\r\n".join(lines) + b"\r\n\r\n" + body
