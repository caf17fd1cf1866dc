"""The workspace: a folder with `gonnet.yaml`, jobs, and everything Gonnet keeps."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Literal, TypeVar
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import BeforeValidator, Field, field_validator

from gonnet.errors import JobError, meant
from gonnet.jobs import secrets
from gonnet.jobs.approval import Approval
from gonnet.jobs.calendar import Entry
from gonnet.jobs.reach import Reach
from gonnet.jobs.record_places import LedgerPlace
from gonnet.jobs.sections import LooksLike, Name, Names, Section
from gonnet.jobs.services import Database, ImapServer, MailServer, PrinterSpec
from gonnet.jobs.smime import SmimeSpec
from gonnet.jobs.style import Style
from gonnet.wording.formats import House

_T = TypeVar("_T")


_Permissions = Annotated[
    str, LooksLike("[0-7]{3}", "is no permission of files; write three digits in quotes, such as '640'")
]


class FolderRoot(Section):
    """A folder into which jobs put files, and out of which none of them gets.

    Attributes:
        path: The folder; relative to the workspace unless it is absolute.
        link: The address under which it can be seen, for links in messages: `https://files.tarnvale.example/archive`.
        mode: The permissions of files, in octal (`640`); those that the system gives when left out.
    """

    path: str
    link: str | None = None
    mode: _Permissions | None = None

    @field_validator("link")
    @classmethod
    def _of_the_web(cls, value: str | None) -> str | None:
        if value is not None and not re.match(r"https?://\S+$", value):
            raise ValueError(
                f"'{value}' is not the address of a folder; write one such as https://files.tarnvale.example"
            )
        return value


def _as_span(value: object) -> object:
    found = re.fullmatch(r"(\d\d:\d\d)\s*(?:-|–|to)\s*(\d\d:\d\d)", value) if isinstance(value, str) else None
    try:
        if found is not None:
            return dt.time.fromisoformat(found[1]), dt.time.fromisoformat(found[2])
    except ValueError:
        pass
    raise ValueError(f"'{value}' is not a time of the day; write one such as 22:00-06:00")


class Limits(Section):
    """What no job can lift.

    Attributes:
        domains: Where mail may go; those below them too; anywhere when left out.
        messages: How many messages of one run may leave, in all its sends, trials too.
        per_day: How many may leave on one day, over all runs.
        per_address: How many may go to one address on one day.
        quiet: When nothing leaves: `22:00-06:00`, in the workspace's time zone.
        ask_number_above: Above so many messages, whoever sends types their number.
        shortest_password: How many characters a password of a document or a zip has at least.
    """

    domains: Names = ()
    messages: int | None = Field(default=None, ge=1)
    per_day: int | None = Field(default=None, ge=1)
    per_address: int | None = Field(default=None, ge=1)
    quiet: Annotated[tuple[dt.time, dt.time] | None, BeforeValidator(_as_span, json_schema_input_type=str)] = None
    ask_number_above: int | None = Field(default=None, ge=0)
    shortest_password: int = Field(default=1, ge=1, le=64)


def _as_entry(value: object) -> object:
    """`monday 07:00` as an entry of a calendar."""
    days, _, time = value.rpartition(" ") if isinstance(value, str) else ("", "", "")
    if not days:
        raise ValueError(f"'{value}' says no day and time; write them such as monday 07:00")
    return {"every": days, "at": time}


class Summary(Section):
    """The message that tells an administrator what came of a send.

    Attributes:
        to: Addresses, separated by `;`.
        sender: From whom it is.
        when: After every send and every occurrence, or only where not everything that was due left.
        digest: When one message tells of everything since the last one: `monday 07:00`.
        with_review: Whether the review of a run that the calendar prepared, and that waits for somebody, is attached.
        server: The mail server by which it leaves; the only one when left out.
    """

    to: str
    sender: str = Field(alias="from")
    when: Literal["always", "when wrong"] = "always"
    digest: Annotated[Entry | None, BeforeValidator(_as_entry, json_schema_input_type=str)] = None
    with_review: bool = True
    server: str | None = None


class Program(Section):
    """A program that jobs may run, without a shell: its words, and how long it may take.

    Attributes:
        run: The program and its words, each by itself: no shell reads them.
        seconds: How long it may take.
    """

    run: Names = Field(min_length=1)
    seconds: int = Field(default=600, ge=1, le=86_400)


class Workers(Section):
    """Who draws, where that is not this machine alone.

    Attributes:
        dask: The scheduler of a Dask cluster, such as `tcp://10.0.0.5:8786`.
    """

    dask: Annotated[
        str, LooksLike(r"(tcp|tls|ws|wss)://\S+:[0-9]+", "is not a scheduler; write one such as tcp://10.0.0.5:8786")
    ]


class QueryLimits(Section):
    """How much one statement over the run's tables may take; one that takes more is ended.

    Attributes:
        seconds: How long a statement may take.
        megabytes: How much memory all statements together have; what has no room there is kept on the disk meanwhile.
    """

    seconds: int = Field(default=1_800, ge=1, le=86_400)
    megabytes: int = Field(default=300, ge=100)


class WorkspaceFile(Section):
    """The whole of `gonnet.yaml`.

    Attributes:
        mail_servers: Servers that take messages, by name.
        smime: What messages are signed and encrypted with.
        imap: Mailboxes for drafts, by name.
        databases: Databases that jobs read, by name.
        folders: Folders into which jobs put files, by name.
        printers: Programs that print, by name.
        limits: What no job can lift.
        summary: Who is told what came of a send.
        alarm: A program that is given what could not be told by mail, on its standard input: `[PROGRAM, WORD …]`.
        log: A file for machines: a line of JSON for each thing that happens; none when left out.
        time_zone: In which days are counted and times are shown, such as `Europe/Dublin`.
        year_begins: The month in which the year begins, 1 to 12, for quarters, half-years and years.
        holidays: The country (`IE`, `GB-SCT`) whose public holidays are no working days.
        style: The house style.
        ledger: Where the record of runs is kept, and how long files are.
        programs: Programs that jobs may run at the moments of a run, by name.
        reads: Folders outside of the workspace from which jobs may take files.
        queries: How much one statement over the tables of a run may take.
        workers: Who draws documents; this machine when left out.
        approval: Who must say yes to every run before it is sent.
    """

    mail_servers: dict[Name, MailServer] = {}
    smime: SmimeSpec = SmimeSpec()
    imap: dict[Name, ImapServer] = {}
    databases: dict[Name, Database] = {}
    folders: dict[Name, FolderRoot] = {}
    printers: dict[Name, PrinterSpec] = {}
    limits: Limits = Limits()
    summary: Summary | None = None
    alarm: Names = ()
    log: str | None = None
    time_zone: str = "UTC"
    year_begins: int = Field(default=1, ge=1, le=12)
    holidays: str | None = None
    style: Style = Style()
    ledger: LedgerPlace = LedgerPlace()
    programs: dict[Name, Program] = {}
    reads: Names = ()
    queries: QueryLimits = QueryLimits()
    workers: Workers | None = None
    approval: Approval | None = None

    @field_validator("time_zone")
    @classmethod
    def _zone_is_known(cls, value: str) -> str:
        try:
            ZoneInfo(value)
        except (ZoneInfoNotFoundError, ValueError) as error:
            raise ValueError(f"'{value}' is not a time zone; write one such as Europe/Dublin") from error
        return value


_NAME_ONE = "Whoever runs the workspace names it there: `programs: {NAME: {run: [PROGRAM, WORD …]}}`"


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

    @property
    def zone(self) -> ZoneInfo:
        """The time zone in which times are shown and dates are counted."""
        return ZoneInfo(self.file.time_zone)

    @property
    def secrets(self) -> secrets.Secrets:
        """Where passwords come from.

        Raises:
            JobError: the `.env` file can be read by others.
        """
        return secrets.Secrets.of(self.folder)

    @property
    def reach(self) -> Reach:
        """Which files jobs may take."""
        also = tuple(self.folder / Path(name).expanduser() for name in self.file.reads)
        return Reach(folder=self.folder, also=also, kept=self.kept)

    def program(self, name: str, where: str) -> Program:
        """The program `name`.

        Raises:
            JobError: there is no such one.
        """
        if name not in self.file.programs:
            what = f"there is no program '{name}' in gonnet.yaml"
            fix = meant(name, list(self.file.programs), noun="program") if self.file.programs else _NAME_ONE
            raise JobError(what, where=where, fix=fix)
        return self.file.programs[name]

    def database(self, name: str, where: str) -> Database:
        """The database `name`.

        Raises:
            JobError: there is no such one.
        """
        if name not in self.file.databases:
            known = list(self.file.databases)
            raise JobError(
                f"there is no database '{name}' in gonnet.yaml", where=where, fix=meant(name, known, noun="database")
            )
        return self.file.databases[name]

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
        return _one_of(self.file.mail_servers, name, ("mail server", "server", "Add one under `mail_servers:`"), where)

    def root(self, name: str | None, where: str) -> tuple[str, FolderRoot]:
        """The folder `name` into which files are put, or the only one.

        Raises:
            JobError: there is none, or no such one, or none was named among several.
        """
        fix = "Add one under `folders:`, such as `archive: {path: archive}`"
        return _one_of(self.file.folders, name, ("folder", "root", fix), where)

    def mailbox(self, name: str | None, where: str) -> tuple[str, ImapServer]:
        """The mailbox `name` for drafts, or the only one.

        Raises:
            JobError: there is none, or no such one, or none was named among several.
        """
        return _one_of(self.file.imap, name, ("mailbox", "imap", "Add one under `imap:`"), where)

    def printer(self, name: str | None, where: str) -> tuple[str, PrinterSpec]:
        """The printer `name`, or the only one.

        Raises:
            JobError: there is none, or no such one, or none was named among several.
        """
        fix = "Add one under `printers:`, such as `office: {command: [lp, -d, office]}`"
        return _one_of(self.file.printers, name, ("printer", "printer", fix), where)


def _one_of(known: Mapping[str, _T], name: str | None, words: tuple[str, str, str], where: str) -> tuple[str, _T]:
    """What is called `name`, or the only one; the words: what it is, the key that names it, how to add one."""
    what, key, cure = words
    if name is not None and name in known:
        return name, known[name]
    if name is None and len(known) == 1:
        return next(iter(known.items()))
    if not known:
        raise JobError(f"gonnet.yaml names no {what}", where=where, fix=cure)
    problem = f"there is no {what} '{name}' in gonnet.yaml" if name else f"there are several {what}s"
    raise JobError(problem, where=where, fix=f"Name one with `{key}:`: {', '.join(known)}")


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
