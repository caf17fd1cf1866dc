"""A stand-in mail server for trying things out: it takes every message and keeps it in a Maildir.

It reaches nobody. Each message is kept with its envelope in `Return-Path` and `Delivered-To` (RFC 5321, 4.4).
"""

from __future__ import annotations

import asyncio
import mailbox
import re
import time
from collections.abc import Iterator
from dataclasses import dataclass
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from pathlib import Path

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session

from gonnet.errors import StorageError, UnreachableError

_LARGEST = 64 * 1024 * 1024


class Keeper:
    """Keeps what the server gets.

    Args:
        folder: The Maildir; made when it is not there.
        pause: Seconds between keeping a message and answering for it.
    """

    def __init__(self, folder: Path, pause: float = 0.0) -> None:
        folder.parent.mkdir(parents=True, exist_ok=True)
        self._maildir = mailbox.Maildir(str(folder), create=True)
        self._pause = pause

    async def handle_DATA(self, _server: SMTP, _session: Session, envelope: Envelope) -> str:  # noqa: N802
        """Keep one message for each of its envelope addresses."""
        content = envelope.original_content or b""
        for address in envelope.rcpt_tos:
            head = f"Return-Path: <{envelope.mail_from}>\r\nDelivered-To: {address}\r\n"
            self._maildir.add((head.encode("utf-8", "replace") + content).replace(b"\r\n", b"\n"))
        if self._pause:
            await asyncio.sleep(self._pause)
        return "250 kept"


def serve(folder: Path, host: str, port: int, pause: float = 0.0) -> Controller:
    """Start the server in a thread of its own; `.stop()` ends it.

    Raises:
        UnreachableError: the port is taken or not allowed.
    """
    controller = Controller(
        Keeper(folder, pause),
        hostname=host,
        port=port,
        data_size_limit=_LARGEST,
        ident="gonnet mailbox",
        enable_SMTPUTF8=True,
    )
    try:
        controller.start()
    except OSError as error:
        controller.loop.close()
        raise UnreachableError(
            f"no server can listen at {host}:{port}: {error.strerror or error}",
            fix="Another one may be running there; choose a port with --port",
        ) from error
    return controller


def serve_forever(folder: Path, host: str, port: int, pause: float = 0.0) -> None:
    """Serve until the process is told to stop."""
    controller = serve(folder, host, port, pause)
    try:
        while True:
            time.sleep(3600)
    finally:
        controller.stop()


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """One message that was kept.

    Attributes:
        number: Its place in the order of arrival, from 1.
        delivered_to: The envelope address.
        message: The message.
    """

    number: int
    delivered_to: str
    message: EmailMessage

    def attachments(self) -> Iterator[tuple[str, bytes]]:
        """File name and bytes of each attachment."""
        for part in self.message.iter_attachments():
            content = part.get_payload(decode=True)
            yield part.get_filename() or "unnamed", content if isinstance(content, bytes) else b""

    def text(self) -> str:
        """Its plain text."""
        part = self.message.get_body(("plain",))
        return str(part.get_content()) if part is not None else ""


def kept(folder: Path) -> tuple[Kept, ...]:
    """Every message of a Maildir, in order of arrival.

    Raises:
        StorageError: there is no Maildir.
    """
    if not (folder / "new").is_dir():
        raise StorageError("there is no mailbox here", where=str(folder), fix="`gonnet mailbox serve` makes one")
    found = sorted((folder / "new").iterdir(), key=lambda path: _arrival(path.name))
    messages = [message_from_bytes(path.read_bytes(), policy=default) for path in found]
    return tuple(
        Kept(number=number, delivered_to=str(message.get("Delivered-To", "")), message=message)
        for number, message in enumerate(messages, 1)
    )


def _arrival(name: str) -> tuple[int, ...]:
    """When a message came, from its file name: seconds, microseconds, and its number in the process."""
    return tuple(int(part) for part in re.findall(r"(?:^|[MPQ])(\d+)", name.partition(".")[0] + name.partition(".")[2]))
