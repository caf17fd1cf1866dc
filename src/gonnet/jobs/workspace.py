"""The workspace: a folder with `gonnet.yaml`, jobs, and everything Gonnet keeps."""

from __future__ import annotations

import os
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from babel import Locale, UnknownLocaleError
from pydantic import Field, field_validator

from gonnet.errors import JobError
from gonnet.jobs.models import Name, Part
from gonnet.wording.formats import House

_ENVIRONMENT = re.compile(r"\$\{([A-Za-z_][A-Za-z0-9_]*)\}")


class MailServer(Part):
    """A server that takes messages by SMTP (RFC 5321).

    Attributes:
        security: `starttls` and `tls` check the server's certificate; `none` is for a server on this machine.
        password: Only `${NAME}`: the password stands in the environment, never in the file.
    """

    host: str
    port: int = Field(default=587, ge=1, le=65535)
    security: Literal["starttls", "tls", "none"] = "starttls"
    user: str | None = None
    password: str | None = Field(default=None, repr=False)
    ca_file: str | None = None
    seconds: int = Field(default=60, ge=1, le=3600)

    @field_validator("password")
    @classmethod
    def _never_in_the_file(cls, value: str | None) -> str | None:
        if value is not None and not _ENVIRONMENT.fullmatch(value):
            raise ValueError("a password does not stand in a file: write ${NAME} and set NAME in the environment")
        return value

    def secret(self, environment: os._Environ[str] | dict[str, str], where: str) -> str | None:
        """The password from the environment, or None where the server has none.

        Raises:
            JobError: the variable is not set.
        """
        if self.password is None:
            return None
        name = self.password[2:-1]
        if name not in environment:
            raise JobError(
                f"the environment variable {name} is not set",
                where=where,
                fix=f"Set it, for instance `export {name}=…`",
            )
        return environment[name]


class Style(Part):
    """The house style of every document and message."""

    organisation: str = ""
    accent: str = "#2f5d50"
    paper: Literal["A4", "Letter"] = "A4"
    locale: str = "en"
    currency: str | None = None

    @field_validator("locale")
    @classmethod
    def _locale_is_known(cls, value: str) -> str:
        try:
            Locale.parse(value)
        except (UnknownLocaleError, ValueError) as error:
            raise ValueError(f"'{value}' is not a locale; write one such as en_IE or de_AT") from error
        return value

    @field_validator("currency")
    @classmethod
    def _currency_is_a_code(cls, value: str | None) -> str | None:
        if value is not None and value not in Locale("en").currencies:
            raise ValueError(f"'{value}' is not a currency code of ISO 4217; write one such as EUR")
        return value

    @field_validator("accent")
    @classmethod
    def _accent_is_a_colour(cls, value: str) -> str:
        if not re.fullmatch(r"#[0-9a-fA-F]{6}", value):
            raise ValueError(f"'{value}' is not a colour; write one such as #2f5d50")
        return value


class LedgerPlace(Part):
    """Where the record of runs and the rendered files are kept."""

    folder: str = ".gonnet"


class WorkspaceFile(Part):
    """The whole of `gonnet.yaml`."""

    mail_servers: dict[Name, MailServer] = Field(default={})
    style: Style = Style()
    ledger: LedgerPlace = LedgerPlace()


@dataclass(frozen=True, slots=True, kw_only=True)
class Workspace:
    """A workspace that was found and read.

    Attributes:
        folder: Its absolute path.
        file: What `gonnet.yaml` says.
    """

    folder: Path
    file: WorkspaceFile

    @property
    def jobs_folder(self) -> Path:
        """Where the job files are."""
        return self.folder / "jobs"

    @property
    def kept(self) -> Path:
        """Where the ledger and the rendered files are."""
        return self.folder / self.file.ledger.folder

    @property
    def house(self) -> House:
        """The conventions for figures."""
        return House(locale=self.file.style.locale, currency=self.file.style.currency)

    def job_path(self, name: str) -> Path:
        """The file of the job `name`, which may be given with its ending or folder too."""
        return self.jobs_folder / f"{Path(name).stem if name.endswith(('.yaml', '.yml')) else Path(name).name}.yaml"

    def job_names(self) -> list[str]:
        """The jobs there are, sorted."""
        return sorted(path.stem for path in self.jobs_folder.glob("*.yaml"))

    def server(self, name: str | None, where: str) -> tuple[str, MailServer]:
        """The mail server `name`, or the only one.

        Raises:
            JobError: there is none, or no such one, or none was named among several.
        """
        servers = self.file.mail_servers
        if name is not None and name in servers:
            return name, servers[name]
        if name is None and len(servers) == 1:
            return next(iter(servers.items()))
        if not servers:
            raise JobError("gonnet.yaml names no mail server", where=where, fix="Add one under `mail_servers:`")
        known = ", ".join(servers)
        what = f"there is no mail server '{name}'" if name else "there are several mail servers"
        raise JobError(what, where=where, fix=f"Name one with `server:`: {known}")


def find_workspace(start: Path) -> Path:
    """The folder with `gonnet.yaml`: `start` or the nearest one above it.

    Raises:
        JobError: there is none.
    """
    for folder in (start, *start.parents):
        if (folder / "gonnet.yaml").is_file():
            return folder
    raise JobError(
        "there is no workspace here",
        where=str(start),
        fix="Go to a folder with gonnet.yaml, give --workspace DIR, or begin with `gonnet new` or `gonnet demo`",
    )
