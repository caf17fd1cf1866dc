"""One SMTP conversation (RFC 5321), kept open for many messages, each with one envelope address.

The steps MAIL, RCPT and DATA are driven one by one, because only the step at which a conversation ended tells
"surely not sent" from "in doubt".
"""

from __future__ import annotations

import contextlib
import re
import smtplib
import socket
import ssl
from collections.abc import Callable, Sequence
from typing import NamedTuple

from gonnet.delivery.certificates import untrusted
from gonnet.delivery.replies import Meaning, Phase, Reply, judged, refused_part
from gonnet.errors import UnreachableError
from gonnet.jobs.services import MailServer

_AFTER_THE_DOT = 600  # seconds (RFC 5321, 4.5.3.2.6)
_LINE_FEED = 10
_PATIENCE = 3  # messages in a row at which a server ends the conversation, before it is taken to be broken


class _Offered(NamedTuple):
    """A message that is offered: envelope, size in bytes, Message-ID for reports, and whether it needs SMTPUTF8."""

    sender: str
    address: str
    size: int
    message_id: str
    needs_utf8: bool


Protect = Callable[[str, str, bytes, Sequence[str]], bytes]
"""Makes a message as an address gets it, of its sender, the address, the message and certificates of the address."""


def as_it_is(_sender: str, _address: str, data: bytes, _certificates: Sequence[str]) -> bytes:
    """Neither signed nor encrypted."""
    return data


class SmtpLink:
    """A connection to one mail server, opened when it is first needed.

    Args:
        server: Where, and how secured.
        password: For its user, or None.
        trusted: A file of certificates to trust besides the system's, or None.
        protect: Signs and encrypts whatever leaves.
    """

    def __init__(
        self, server: MailServer, password: str | None, trusted: str | None = None, protect: Protect = as_it_is
    ) -> None:
        self._server = server
        self._password = password
        self._trusted = trusted
        self._protect = protect
        self._smtp: smtplib.SMTP | None = None
        self._takes_utf8 = False
        self._broken = 0  # messages in a row that were cut off before their body

    @property
    def where(self) -> str:
        """The server, as an operator names it."""
        return f"{self._server.host}:{self._server.port}"

    def open(self) -> None:
        """Connect, secure and log in; nothing where that is done.

        Raises:
            UnreachableError: the server cannot be reached, trusted or logged in to; says which.
        """
        if self._smtp is not None:
            return
        try:
            self._smtp = self._connected()
            self._takes_utf8 = self._smtp.has_extn("smtputf8")
        except ssl.SSLCertVerificationError as error:
            raise self._failure(*untrusted(error)) from error
        except smtplib.SMTPAuthenticationError as error:
            wrong = error.smtp_code >= 500
            raise self._failure(
                f"it refuses the login: {error.smtp_code} {_text(error.smtp_error)}",
                "Check user and password in the environment" if wrong else "Try again later",
            ) from error
        except smtplib.SMTPNotSupportedError as error:
            raise self._failure(
                f"it offers no {'STARTTLS' if 'STARTTLS' in str(error) else 'login'}", "Check `security` and `user`"
            ) from error
        except smtplib.SMTPResponseException as error:
            raise self._failure(f"it answers {error.smtp_code} {_text(error.smtp_error)}", "Try again later") from error
        except (OSError, smtplib.SMTPException) as error:
            reason = getattr(error, "strerror", None) or str(error) or type(error).__name__
            raise self._failure(
                f"no connection: {reason}", "Check host and port, and whether the server runs"
            ) from error

    def described(self) -> str:
        """What the open connection is: how secured, and whether the login was taken."""
        socket = getattr(self._smtp, "sock", None)
        secured = f"{socket.version()}, certificate trusted" if isinstance(socket, ssl.SSLSocket) else "no encryption"
        login = "login taken" if self._server.user is not None else "no login needed"
        return f"{secured}, {login}" + (", takes letters beyond ASCII in addresses" if self.takes_utf8 else "")

    @property
    def takes_utf8(self) -> bool:
        """Whether the server, when it was last spoken to, took letters beyond ASCII in addresses (RFC 6531)."""
        return self._takes_utf8

    def _failure(self, what: str, fix: str) -> UnreachableError:
        return UnreachableError(f"mail server {self.where}: {what}", fix=f"{fix}. Nothing is lost; run it again")

    def _connected(self) -> smtplib.SMTP:
        server, name = self._server, self._server.greets_as or _own_name()
        if server.security == "tls":
            smtp: smtplib.SMTP = smtplib.SMTP_SSL(
                server.host, server.port, local_hostname=name, timeout=server.seconds, context=self._context()
            )
        else:
            smtp = smtplib.SMTP(server.host, server.port, local_hostname=name, timeout=server.seconds)
        try:
            smtp.ehlo_or_helo_if_needed()
            if server.security == "starttls":
                smtp.starttls(context=self._context())
                smtp.ehlo_or_helo_if_needed()
            if server.user is not None:
                if server.security == "none":
                    raise self._failure("a password must not go over an open line", "Set security to starttls or tls")
                smtp.login(server.user, self._password or "")
        except BaseException:
            smtp.close()
            raise
        return smtp

    def _context(self) -> ssl.SSLContext:
        return ssl.create_default_context(cafile=self._trusted)

    def close(self) -> None:
        """Take leave of the server."""
        if self._smtp is not None:
            with contextlib.suppress(smtplib.SMTPException, OSError):
                self._smtp.quit()
            self._drop()

    def _drop(self) -> None:
        if self._smtp is not None:
            self._smtp.close()
            self._smtp = None

    def offer(
        self,
        sender: str,
        address: str,
        data: bytes,
        intent: Callable[[], bool],
        message_id: str = "",
        certificates: Sequence[str] = (),
    ) -> Reply | None:
        """Offer one message to one address.

        Args:
            sender: Envelope sender.
            address: Envelope address.
            data: The message, every line of it ended by CRLF, as `compose` gives it.
            intent: Called right before the body is offered; when it returns False, the body is not sent.
            message_id: By which a later report of a failure is to name it, where the server makes such reports.
            certificates: Those of the address that stand on the list.

        Returns:
            What came of it; None when `intent` forbade it.

        A server that ends the conversation before the body gets one more, over a fresh connection: many allow only so
        many messages in each. One that ends that too refuses this message, and no other.

        Raises:
            UnreachableError: the connection is gone and cannot be opened again, or breaks whatever is offered; the
                message was not sent.
            JobError: it is to be signed or encrypted and cannot be; it was not sent.
        """
        data = self._protect(sender, address, data, certificates)
        offered = _Offered(sender, address, len(data), message_id, needs_utf8=needs_utf8(sender, address, data))
        early = self._introduced(offered)
        if early is not None:
            return early
        self._broken = 0
        wanted = False
        try:
            wanted = intent()
        finally:
            if not wanted:
                self._drop()  # the server waits for a body, and would take for one whatever else it is told
        return self._hand_over(data) if wanted else None

    def _introduced(self, offered: _Offered) -> Reply | None:
        """A Reply when the server refuses the message before its body; None when it waits for the body.

        Raises:
            UnreachableError: the server cannot be reached, or ends every conversation.
        """
        for is_last in (False, True):
            self.open()
            if offered.needs_utf8 and not self.takes_utf8:
                return Reply(meaning=Meaning.REFUSED, code=None, text=lacks_utf8(self.where), refused="recipient")
            try:
                early = self._introduce(offered)
            except (smtplib.SMTPServerDisconnected, OSError) as error:
                self._drop()  # surely not sent
                reason = f"the server ended the conversation: {_text(str(error))}"
                early = Reply(meaning=Meaning.LATER, code=None, text=reason, refused="recipient")
            if early is None or not _wants_a_fresh_one(early):
                return early
            if is_last:
                break
            self.close()
        assert early is not None
        if not _ends_it(early):
            return early
        self._broken += 1
        if self._broken == _PATIENCE:
            what = f"it ended the conversation at {_PATIENCE} messages in a row ({early.text})"
            raise self._failure(what, "Ask who runs it")
        return early

    def _introduce(self, offered: _Offered) -> Reply | None:
        """MAIL, RCPT and DATA, in one go where the server allows (PIPELINING, RFC 2920).

        Returns:
            A Reply when the server refuses any of them; None when it waits for the body.
        """
        smtp = self._smtp
        assert smtp is not None
        steps = (*self._envelope(smtp, offered), "DATA")
        grouped = smtp.has_extn("pipelining")
        if grouped:
            smtp.send(("\r\n".join(steps) + "\r\n").encode("utf-8"))
        for left, step in enumerate(steps, 1 - len(steps)):
            try:
                if not grouped:
                    smtp.send(f"{step}\r\n".encode())
                code, text = smtp.getreply()
            except (smtplib.SMTPException, OSError) as error:
                if left:
                    raise
                self._drop()
                reason = f"connection lost before the body: {error}"
                return Reply(meaning=Meaning.LATER, code=None, text=reason, refused="message")
            if not (200 <= code < 300 if left else code == 354):
                meaning = judged(code, Phase.BEFORE_BODY, at_recipient=step.startswith("RCPT"))
                if grouped and code != 421:
                    self._pass_over(-left)
                said = _text(text)
                return self._ended(Reply(meaning=meaning, code=code, text=said, refused=refused_part(step, code, said)))
        return None

    def _envelope(self, smtp: smtplib.SMTP, offered: _Offered) -> tuple[str, str]:
        mail = f"MAIL FROM:<{_path(self._server.bounces_to or offered.sender)}>" + (
            f" SIZE={offered.size}" if smtp.has_extn("size") else ""
        )
        if offered.needs_utf8:  # RFC 6531, 3.1: a server that takes it takes 8BITMIME too
            mail += " BODY=8BITMIME SMTPUTF8"
        rcpt = f"RCPT TO:<{_path(offered.address)}>"
        if offered.message_id and smtp.has_extn("dsn"):  # of a failure the headers alone come back, not the figures
            mail += f" RET=HDRS ENVID={_xtext(offered.message_id.strip('<>'))}"
            rcpt += f" NOTIFY={','.join(self._server.notify).upper() or 'NEVER'} ORCPT={_original(offered.address)}"
        return mail, rcpt

    def _pass_over(self, count: int) -> None:
        """Read what the server says to the rest of a group of which it refused a part."""
        assert self._smtp is not None
        try:
            if 354 in [self._smtp.getreply()[0] for _ in range(count)]:
                self._drop()  # it wants a body that nobody is to get
        except (smtplib.SMTPException, OSError):
            self._drop()  # nothing: what it said before counts

    def _hand_over(self, data: bytes) -> Reply:
        """The body and the final dot."""
        smtp = self._smtp
        assert smtp is not None
        try:
            smtp.send(_on_the_wire(data))
            if smtp.sock is not None:
                smtp.sock.settimeout(max(_AFTER_THE_DOT, self._server.seconds))
            code, text = smtp.getreply()
            if smtp.sock is not None:
                smtp.sock.settimeout(self._server.seconds)
        except (smtplib.SMTPException, OSError):
            self._drop()
            return Reply(meaning=Meaning.IN_DOUBT, code=None, text="connection lost before the answer")
        except BaseException:
            self._drop()  # somebody stops it here: no word of leave must get into the body
            raise
        meaning = judged(code, Phase.ANSWERED)
        said = _text(text)
        if meaning in (Meaning.ACCEPTED, Meaning.IN_DOUBT):
            reply = Reply(meaning=meaning, code=code, text=said)
            return reply if meaning is Meaning.ACCEPTED else self._ended(reply)
        return self._ended(Reply(meaning=meaning, code=code, text=said, refused=refused_part("", code, said)))

    def _ended(self, reply: Reply) -> Reply:
        """After a refusal the conversation begins anew, so that it cannot spoil the next message."""
        if reply.code == 421 or reply.meaning is Meaning.IN_DOUBT:
            self._drop()
        else:
            self._reset()
        return reply

    def _reset(self) -> None:
        try:
            if self._smtp is not None and self._smtp.rset()[0] != 250:
                self._drop()
        except (smtplib.SMTPException, OSError):
            self._drop()


def _ends_it(reply: Reply) -> bool:
    """Whether the server ended the conversation before a body."""
    return reply.code is None or reply.code == 421


def _wants_a_fresh_one(reply: Reply) -> bool:
    """Whether the same may be taken over a fresh connection: the server ended this one, or wants no more by it."""
    return _ends_it(reply) or (reply.refused == "sender" and 400 <= (reply.code or 0) < 500)


def _on_the_wire(data: bytes) -> bytes:
    """The message with dots at the beginning of lines doubled (RFC 5321, 4.5.2), and the final dot."""
    at = data.find(b".")  # attachments have none: to go from dot to dot is a tenth of looking at every line
    while at > 0 and data[at - 1] != _LINE_FEED:
        at = data.find(b".", at + 1)
    if at >= 0:
        data = re.sub(rb"(?m)^\.", b"..", data)
    return data + b".\r\n"


def _path(mailbox: str) -> str:
    """A mailbox as it stands in a command, of which it must stay a part."""
    if not mailbox.isprintable() or set(mailbox) & set("<> "):
        raise ValueError(f"{mailbox!r} cannot be written in SMTP")
    return mailbox


def needs_utf8(sender: str, address: str, data: bytes) -> bool:
    """Whether a message goes only to a server that takes letters beyond ASCII in addresses (RFC 6531, 3.6)."""
    return not (sender.isascii() and address.isascii() and data.partition(b"\r\n\r\n")[0].isascii())


def lacks_utf8(where: str) -> str:
    """Why a message with such an address does not leave."""
    return f"an address of it has letters beyond ASCII before the @, which {where} does not take (no SMTPUTF8)"


def _original(address: str) -> str:
    """The address for a report (RFC 3461, 4.2; RFC 6533, 3)."""
    if address.isascii():
        return f"rfc822;{_xtext(address)}"
    plain = (sign if "!" <= sign <= "~" and sign not in "+=\\" else f"\\x{{{ord(sign):02X}}}" for sign in address)
    return f"utf-8;{''.join(plain)}"


def _xtext(text: str) -> str:
    """Text as a parameter's value (RFC 3461, 4)."""
    return "".join(sign if "!" <= sign <= "~" and sign not in "+=" else f"+{ord(sign):02X}" for sign in text)


def _text(reply: bytes | str) -> str:
    text = reply.decode("utf-8", errors="replace") if isinstance(reply, bytes) else reply
    return " ".join(text.split())[:300]


def _own_name() -> str:
    name = socket.gethostname()
    return name if re.fullmatch(r"[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)*", name) else "[127.0.0.1]"
