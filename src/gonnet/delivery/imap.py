"""Putting messages into the drafts folder of a mailbox (RFC 3501), each once.

`imaplib` sends names of folders as it gets them; here they are quoted and encoded.
"""

from __future__ import annotations

import base64
import contextlib
import imaplib
import re
import ssl
import threading
from email.parser import BytesHeaderParser

from gonnet.delivery.certificates import untrusted
from gonnet.errors import UnreachableError
from gonnet.jobs.services import ImapServer

_LISTED = re.compile(rb'\((?P<flags>[^)]*)\) (?:"(?:[^"\\]|\\.)*"|NIL) (?P<name>.+)', re.DOTALL)
_PLAIN = re.compile(r"[\x20-\x7e]+|[^\x20-\x7e]+")


class NotPutError(Exception):
    """A message could not be put into the folder for now; its text says why."""


class DraftsFolder:
    """The drafts folder of one mailbox, opened when it is first needed; several threads may use it.

    Args:
        server: Where, whose, and how secured.
        password: Of the user.
        trusted: A file of certificates to trust besides the system's, or None.
    """

    def __init__(self, server: ImapServer, password: str, trusted: str | None = None) -> None:
        self._server, self._password, self._trusted = server, password, trusted
        self._turn = threading.Lock()
        self._link: imaplib.IMAP4 | None = None
        self._folder = b""

    def open(self) -> None:
        """Connect, log in and find the folder; nothing where that is done.

        Raises:
            UnreachableError: the server cannot be reached, trusted or logged in to, or has no such folder; says which.
        """
        with self._turn:
            self._open()

    def _open(self) -> None:
        if self._link is not None:
            return
        ready = False
        try:
            self._link = self._connected()
            self._folder = _encoded(self._server.folder) if self._server.folder else self._marked()
            code, said = self._link.select(self._folder.decode("ascii"))
            if code != "OK":
                raise self._failure(f"its folder cannot be opened: {_text(said)}", "Name another with `folder:`")
            ready = True
        except ssl.SSLCertVerificationError as error:
            raise self._failure(*untrusted(error)) from error
        except (OSError, imaplib.IMAP4.error) as error:
            reason = getattr(error, "strerror", None) or _text(error.args)
            raise self._failure(f"no connection: {reason}", "Check host and port, and whether it runs") from error
        finally:
            if not ready:
                self._drop()

    def _connected(self) -> imaplib.IMAP4:
        server = self._server
        context = ssl.create_default_context(cafile=self._trusted)
        if server.security == "tls":
            link: imaplib.IMAP4 = imaplib.IMAP4_SSL(
                server.host, server.port or 993, ssl_context=context, timeout=server.seconds
            )
        else:
            link = imaplib.IMAP4(server.host, server.port or 143, timeout=server.seconds)
            if server.security == "starttls":
                link.starttls(ssl_context=context)
        try:
            link.login(server.user, self._password)
        except imaplib.IMAP4.error as error:
            link.shutdown()
            what = f"it refuses the login of '{server.user}'"
            raise self._failure(what, "Check user and password in the environment") from error
        return link

    def _marked(self) -> bytes:
        """The folder that the server marks as that for drafts (SPECIAL-USE, RFC 6154), as it writes it."""
        assert self._link is not None
        _, offered = self._link.capability()  # more than before the login
        more = " RETURN (SPECIAL-USE)" if b"SPECIAL-USE" in b" ".join(offered).split() else ""
        _, lines = self._link.list('""', f'"*"{more}')
        for line in lines:
            head, literal = (line[0], line[1]) if isinstance(line, tuple) else (line, None)
            found = _LISTED.match(head) if head else None
            if found and b"\\drafts" in found["flags"].lower():
                return _quoted(literal) if literal is not None else found["name"].strip()
        raise self._failure("no folder is marked as that for drafts", "Name it with `folder:`")

    def put(self, data: bytes) -> None:
        """Put a message there, unless one with its Message-ID is there already.

        Raises:
            NotPutError: the server did not take it, or went away; whether it is there is looked at the next time.
        """
        if not data.partition(b"\r\n\r\n")[0].isascii():  # RFC 3501, 4.3.1
            raise NotPutError(
                "an address of it has letters beyond ASCII before the @; let its draft be put into a folder"
            )
        message_id = str(BytesHeaderParser().parsebytes(data)["Message-ID"])
        with self._turn:
            try:
                self._open()
                assert self._link is not None
                self._link.noop()  # what was put there since the folder was opened is seen
                # In its angle brackets: servers look for a part of the line, and one may be the beginning of another.
                code, found = self._link.search(None, "HEADER", "Message-ID", _quoted(message_id.encode()).decode())
                if code == "OK" and found and found[0]:
                    return
                said: object = found
                if code == "OK":  # else nobody knows whether it is there
                    code, said = self._link.append(self._folder.decode("ascii"), r"(\Draft \Seen)", "", data)
            except (OSError, imaplib.IMAP4.error, UnreachableError) as error:
                self._drop()
                raise NotPutError(f"the mailbox cannot be written: {_text(error.args) or error}") from error
            if code != "OK":
                raise NotPutError(f"the mailbox refuses it: {_text(said)}")

    def close(self) -> None:
        """Take leave of the server."""
        with self._turn:
            if self._link is not None:
                with contextlib.suppress(OSError, imaplib.IMAP4.error):
                    self._link.logout()
                self._drop()

    def _drop(self) -> None:
        if self._link is not None:
            with contextlib.suppress(OSError):
                self._link.shutdown()
        self._link, self._folder = None, b""

    def _failure(self, what: str, fix: str) -> UnreachableError:
        return UnreachableError(f"mailbox at {self._server.host}: {what}", fix=f"{fix}. Nothing is lost; run it again")


def _encoded(name: str) -> bytes:
    """The name of a folder in modified UTF-7 (RFC 3501, 5.1.3), quoted."""
    parts = []
    for part in _PLAIN.findall(name):
        if " " <= part[0] <= "~":
            parts.append(part.replace("&", "&-"))
        else:
            packed = base64.b64encode(part.encode("utf-16-be")).decode("ascii").rstrip("=").replace("/", ",")
            parts.append(f"&{packed}-")
    return _quoted("".join(parts).encode("ascii"))


def _quoted(text: bytes) -> bytes:
    return b'"' + text.replace(b"\\", b"\\\\").replace(b'"', b'\\"') + b'"'


def _text(said: object) -> str:
    parts = said if isinstance(said, (list, tuple)) else [said]
    words = (part.decode("utf-8", "replace") if isinstance(part, bytes) else str(part) for part in parts if part)
    return " ".join(" ".join(words).split())[:300]
