"""STARTTLS and TLS with a certificate that is checked, and a login that goes over nothing else."""

from __future__ import annotations

import ssl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
import trustme
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, AuthResult, LoginPassword

from gonnet.delivery import SmtpLink
from gonnet.demo.mailserver import Keeper, kept
from gonnet.errors import UnreachableError
from gonnet.jobs.services import MailServer
from support import free_port


def login(_server: Any, _session: Any, _envelope: Any, _mechanism: str, data: LoginPassword) -> AuthResult:  # noqa: ANN401
    return AuthResult(success=data == LoginPassword(b"reports", b"right"), handled=False)


class Secured(Controller):
    """The stand-in server behind STARTTLS, with a login."""

    tls: ssl.SSLContext

    def factory(self) -> SMTP:
        return SMTP(self.handler, tls_context=self.tls, require_starttls=True, authenticator=login, auth_required=True)


@contextmanager
def secured(folder: Path, kind: str) -> Iterator[tuple[int, str]]:
    """The port of a server for 127.0.0.1, and the file of its issuer's certificate."""
    issuer = trustme.CA()
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    issuer.issue_cert("127.0.0.1").configure_cert(context)
    issuer.cert_pem.write_to_path(str(folder / "issuer.pem"))
    port, keeper = free_port(), Keeper(folder / "mailbox")
    if kind == "tls":
        controller = Controller(keeper, hostname="127.0.0.1", port=port, ssl_context=context)
    else:
        controller = Secured(keeper, hostname="127.0.0.1", port=port)
        controller.tls = context
    controller.start()
    try:
        yield port, str(folder / "issuer.pem")
    finally:
        controller.stop()


def link(port: int, security: str, trusted: str | None, password: str | None = "right") -> SmtpLink:
    user = "reports" if security == "starttls" else None
    server = MailServer.model_validate(
        {"host": "127.0.0.1", "port": port, "security": security, "user": user, "seconds": 5}
    )
    return SmtpLink(server, password, trusted)


@pytest.mark.parametrize("security", ["starttls", "tls"])
def test_a_message_goes_to_a_server_whose_certificate_is_trusted(tmp_path: Path, security: str) -> None:
    with secured(tmp_path, security) as (port, issuer):
        found = link(port, security, issuer)
        assert found.offer("from@x.example", "a@x.example", b"Subject: x\r\n\r\n", lambda: True)
        found.close()
    assert [message.delivered_to for message in kept(tmp_path / "mailbox")] == ["a@x.example"]


@pytest.mark.parametrize("security", ["starttls", "tls"])
def test_an_untrusted_certificate_stops_before_the_first_message(tmp_path: Path, security: str) -> None:
    with secured(tmp_path, security) as (port, _), pytest.raises(UnreachableError, match="certificate is not trusted"):
        link(port, security, None).open()
    assert kept(tmp_path / "mailbox") == ()


def test_a_wrong_password_is_told_and_not_shown(tmp_path: Path) -> None:
    refused = pytest.raises(UnreachableError, match="refuses the login: 535")
    with secured(tmp_path, "starttls") as (port, issuer), refused as caught:
        link(port, "starttls", issuer, "hunter2").open()
    assert "hunter2" not in str(caught.value)
