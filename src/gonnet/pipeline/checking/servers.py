"""What of the servers, mailboxes and databases of a job will not work, as the files show: what `check` says beforehand.

Nothing is connected to.
"""

from __future__ import annotations

from collections.abc import Iterator

from gonnet.errors import JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job, Workspace
from gonnet.jobs.services import ImapServer, MailServer

_AT_ONCE = {465: "a mail server", 993: "a mailbox"}
"""Ports on which TLS begins with the connection (RFC 8314)."""

_LATER = {25: "a mail server", 587: "a mail server", 143: "a mailbox"}
"""Ports on which a connection begins in the open, and STARTTLS protects it (RFC 3207, 6409, 3501)."""


def troubles(job: Job, workspace: Workspace) -> Iterator[Finding]:
    """A finding for each thing that would stop a send or a write-back of this job before it begins."""
    for what, _, server in servers_of(job, workspace):
        where = f"gonnet.yaml, {what}"
        if server.ca_file is not None and not (workspace.folder / server.ca_file).is_file():
            yield _wrong(f"{where}: there is no file {server.ca_file}, which `ca_file` names")
        if isinstance(server, MailServer) and server.user is not None and server.password is None:
            yield _wrong(f"{where}: it has a `user` and no `password`; write `password: ${{NAME}}`")
        if isinstance(server, MailServer) and server.user is not None and server.security == "none":
            yield _wrong(f"{where}: a password must not go over an open line; set `security` to starttls or tls")
        if server.security == "tls" and server.port in _LATER:
            yield _wrong(f"{where}: port {server.port} begins without TLS; write `security: starttls`")
        if server.security == "starttls" and server.port in _AT_ONCE:
            yield _wrong(f"{where}: port {server.port} begins with TLS; write `security: tls`")
        yield from _unset(server.password, where, workspace)
    written = job.file.write_back
    if written is not None and written.database in workspace.file.databases:
        database = workspace.file.databases[written.database]
        yield from _unset(database.password, f"gonnet.yaml, database '{written.database}'", workspace)


def servers_of(job: Job, workspace: Workspace) -> Iterator[tuple[str, str, MailServer | ImapServer]]:
    """Those by which something of the job leaves, each once, with what they are called and their name."""
    found: dict[str, tuple[str, MailServer | ImapServer]] = {}
    for at, way in enumerate(job.file.deliver):
        if way.email is not None:
            name, server = workspace.server(way.email.server, job.at("deliver", at, "email"))
            found[f"mail server '{name}'"] = name, server
        if way.drafts is not None and way.drafts.imap is not None:
            name, mailbox = workspace.mailbox(way.drafts.imap, job.at("deliver", at, "drafts"))
            found[f"mailbox '{name}'"] = name, mailbox
    summary = workspace.file.summary
    if summary is not None:
        name, server = workspace.server(summary.server, "gonnet.yaml, summary")
        found[f"mail server '{name}'"] = name, server
    yield from ((called, *part) for called, part in found.items())


def _unset(reference: str | None, where: str, workspace: Workspace) -> Iterator[Finding]:
    if reference is not None:
        try:
            workspace.secrets.resolve(reference, where)
        except JobError as error:
            yield _wrong(f"{where}: {error.what}. {error.fix}")


def _wrong(text: str) -> Finding:
    return Finding(weight=Weight.ATTENTION, text=text)
