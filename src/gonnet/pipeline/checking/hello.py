"""Saying hello to the servers by which a job would leave: connection, certificate, login. No message is offered."""

from __future__ import annotations

from collections.abc import Iterator

from gonnet.errors import JobError, UnreachableError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.services import ImapServer, MailServer
from gonnet.pipeline.checking.servers import servers_of
from gonnet.pipeline.sending.mail_links import drafts_for, link_for
from gonnet.pipeline.tools import Tools


def answers(job: Job, tools: Tools) -> Iterator[Finding]:
    """A finding for each mail server and mailbox of a job: what it answers, or why it does not."""
    for called, name, server in servers_of(job, tools.workspace):
        try:
            said = _greeted(name, server, tools) if isinstance(server, MailServer) else _opened(name, server, tools)
        except (UnreachableError, JobError) as error:
            yield Finding(weight=Weight.ATTENTION, text=f"{called}: {error.what}. {error.fix}")
        else:
            yield Finding(weight=Weight.NOTE, text=f"{called} answers: {said}")


def _greeted(name: str, server: MailServer, tools: Tools) -> str:
    link = link_for(name, tools)
    link.open()
    try:
        return f"{server.host}:{server.port}, {link.described()}"
    finally:
        link.close()


def _opened(name: str, server: ImapServer, tools: Tools) -> str:
    drafts = drafts_for(name, tools)
    drafts.open()
    drafts.close()
    return f"{server.host}, login taken, and its folder of drafts is there"
