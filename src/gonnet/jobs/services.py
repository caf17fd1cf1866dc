"""What a workspace reaches outside of itself: mail servers, mailboxes, databases, printers."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator

from gonnet.jobs import secrets
from gonnet.jobs.sections import LooksLike, Section


class PerMinute(Section):
    """How many messages leave in a minute; as many as can be where nothing is said.

    Attributes:
        over_all: How many over all connections to the server.
        connection: How many over each connection.
        domain: How many to each domain.
        domains: Domain → how many to it, in place of the number for each.
    """

    over_all: int | None = Field(default=None, ge=1, alias="all")
    connection: int | None = Field(default=None, ge=1)
    domain: int | None = Field(default=None, ge=1)
    domains: dict[str, Annotated[int, Field(ge=1)]] = {}

    def of_domain(self, domain: str) -> int | None:
        """How many may go to one domain."""
        return next((count for name, count in self.domains.items() if name.casefold() == domain), self.domain)


def _as_over_all(value: object) -> object:
    return {"all": value} if isinstance(value, int) and not isinstance(value, bool) else value


_Host = Annotated[
    str,
    LooksLike(r"[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)*", "is no name of a machine; write one such as mail.tarnvale.example"),
]
_Address = Annotated[
    str, LooksLike(r"[!-~]+@[A-Za-z0-9.-]+", "is not an address; write one such as office@tarnvale.example")
]
_Report = Literal["failure", "delay", "success"]


class MailServer(Section):
    """A server that takes messages by SMTP (RFC 5321).

    Attributes:
        host: The name of the server.
        port: The port; 587 when left out.
        security: `starttls` and `tls` check the server's certificate; `none` is for a server on this machine.
        user: The name of the account; none where it asks for none.
        password: The password, never itself: only `${NAME}`, which stands in the environment.
        ca_file: A file with the certificate that signed that of the server, where the system does not know it.
        seconds: How long it may be silent.
        greets_as: The name of this machine that the server is told (EHLO); its host name when left out.
        bounces_to: The envelope sender, to whom failures are reported; the sender of each message when left out.
        connections: Over how many connections messages are handed over at the same time.
        per_minute: How many messages go in a minute: a number for all of them, or more than that.
        notify: What it is to report to the sender by mail, where it can (RFC 3461): `failure`, `delay`, `success`.
        retries: How often what it refuses for now is tried again before a send ends.
        pause: Seconds before the first new try; twice as long before each other one.
        retry_minutes: How long a send goes on with new tries.
        sign: Whether every message is signed, by the signer under `smime` whose certificate names its sender.
        encrypt: Which messages are encrypted to the certificate of each address: none; those whose address has one
            (`where possible`); the same, and the files of others must have passwords (`or password`); or all, and
            whoever has no certificate gets none.
    """

    host: str
    port: int = Field(default=587, ge=1, le=65535)
    security: Literal["starttls", "tls", "none"] = "starttls"
    user: str | None = None
    password: str | None = Field(default=None, repr=False)
    ca_file: str | None = None
    seconds: int = Field(default=60, ge=1, le=3600)
    greets_as: _Host | None = None
    bounces_to: _Address | None = None
    connections: int = Field(default=1, ge=1, le=50)
    per_minute: Annotated[PerMinute, BeforeValidator(_as_over_all, json_schema_input_type=int | PerMinute)] = (
        PerMinute()
    )
    notify: tuple[_Report, ...] = ("failure", "delay")
    retries: int = Field(default=0, ge=0, le=12)
    pause: int = Field(default=60, ge=0, le=3600)
    retry_minutes: int = Field(default=240, ge=1, le=2880)
    sign: bool = False
    encrypt: Literal["never", "where possible", "or password", "always"] = "never"

    @field_validator("notify", mode="before", json_schema_input_type=_Report | tuple[_Report, ...])
    @classmethod
    def _notify_as_tuple(cls, value: object) -> object:
        return tuple(value) if isinstance(value, list) else (value,) if isinstance(value, str) else value

    @field_validator("password")
    @classmethod
    def _never_in_the_file(cls, value: str | None) -> str | None:
        return secrets.required(value)


class ImapServer(Section):
    """A mailbox into whose drafts folder messages are put (RFC 3501).

    Attributes:
        host: The name of the server.
        port: The port; 993 for `tls`, else 143 when left out.
        security: How the connection is protected; the certificate is checked.
        user: The name of the account.
        password: The password, never itself: only `${NAME}` or `${keyring:SERVICE/USER}`.
        ca_file: A file with the certificate that signed that of the server, where the system does not know it.
        seconds: How long it may be silent.
        folder: Its name; the one that the server marks as that for drafts when left out.
    """

    host: str
    port: int | None = Field(default=None, ge=1, le=65535)
    security: Literal["tls", "starttls"] = "tls"
    user: str
    password: str = Field(repr=False)
    ca_file: str | None = None
    seconds: int = Field(default=60, ge=1, le=3600)
    folder: str | None = None

    @field_validator("password")
    @classmethod
    def _never_in_the_file(cls, value: str) -> str | None:
        return secrets.required(value)


class Database(Section):
    """A database that data sets are read from.

    Attributes:
        url: As SQLAlchemy writes it: `postgresql://reader@host/name`, `mysql://…`, `sqlite:///file.db`, or any other.
        password: The password, never itself: only `${NAME}` or `${keyring:SERVICE/USER}`.
        seconds: How long a query may take.
        max_rows: More rows than this stop the run.
    """

    url: str
    password: str | None = Field(default=None, repr=False)
    seconds: int = Field(default=600, ge=1, le=86_400)
    max_rows: int = Field(default=50_000_000, ge=1)

    @field_validator("password")
    @classmethod
    def _never_in_the_file(cls, value: str | None) -> str | None:
        return secrets.required(value)

    @field_validator("url")
    @classmethod
    def _no_password_in_the_url(cls, value: str) -> str:
        found = re.match(r"^[^:/]+://[^/@:]*:(.*?)@", value) or re.search(r"[?&](?:password|passwd|pwd)=([^&]*)", value)
        if found and not secrets.is_reference(found[1]):
            raise ValueError("a password does not stand in a file: write ${NAME} in its place and set NAME")
        return value


class PrinterSpec(Section):
    """A program that prints what it is given on standard input, or the file whose path stands in for `{file}`.

    Attributes:
        command: The program and its arguments, each by itself: no shell reads them; `{title}` stands for the file's
            name.
        seconds: How long it may take.
    """

    command: tuple[str, ...] = Field(default=("lp", "-t", "{title}"), min_length=1)
    seconds: int = Field(default=60, ge=1, le=3600)

    @field_validator("command", mode="before")
    @classmethod
    def _words(cls, value: object) -> object:
        if isinstance(value, str):
            raise ValueError('a command is a list, such as [lp, -d, office, -t, "{title}"]: no shell reads it')
        return tuple(value) if isinstance(value, list) else value

    @property
    def by_file(self) -> bool:
        """Whether it is given the path of a file."""
        return any("{file}" in word for word in self.command)
