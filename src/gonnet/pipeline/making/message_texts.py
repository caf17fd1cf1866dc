"""Who writes the messages of a run, and how they are worded."""

from __future__ import annotations

from dataclasses import dataclass

from gonnet.errors import JobError
from gonnet.jobs import Job, references
from gonnet.jobs.texts import other_language
from gonnet.jobs.ways import Way
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from gonnet.recipients.addresses import NotAnAddressError, parse
from gonnet.wording.template import Template


@dataclass(frozen=True, slots=True, kw_only=True)
class Sender:
    """From whom messages are, where answers go, and the server by which they leave; none for drafts."""

    address: Address
    reply_to: Address | None
    server: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageText:
    """How one message of the job is worded, in one language.

    Attributes:
        reports: The reports that may stand in its body.
        is_page: Whether its body is HTML, not CommonMark.
        headers: Header lines of its own.
        language: The tag of its body's language, where that is not the reader's.
    """

    subject: Template
    body: Template
    reports: tuple[str, ...]
    is_page: bool = False
    headers: tuple[tuple[str, Template], ...] = ()
    language: str = ""


def message_texts(job: Job, locale: str) -> dict[str, MessageText]:
    """Name → message, in the language of `locale`, for which the job was read.

    Raises:
        JobError: the file of a page cannot be read.
    """
    return {
        name: MessageText(
            subject=job.text(text.subject, "messages", name, "subject"),
            body=job.body(name),
            reports=references.reports_in(text.body or "", job),
            is_page=text.page is not None,
            headers=tuple(
                (header, job.text(value, "messages", name, "headers", header)) for header, value in text.headers.items()
            ),
            language=other_language(text.body or "", locale),
        )
        for name, text in job.file.messages.items()
    }


def senders_of(job: Job, tools: Tools) -> dict[int, Sender]:
    """Way of the job, by number → who the messages are from that take it; nothing for a job that mails nothing.

    Raises:
        JobError: the sender is not an address, or there is no such server.
    """
    found = {}
    for at, way in enumerate(job.file.deliver):
        if way.writes is not None and job.file.messages:
            server = ""
            if way.email is not None:
                server, _ = tools.workspace.server(way.email.server, job.at("deliver", at, "email"))
            reply_to = _mailbox(job, at, way, "reply_to") if way.writes.reply_to else None
            found[at] = Sender(address=_mailbox(job, at, way, "from"), reply_to=reply_to, server=server)
    return found


def _mailbox(job: Job, at: int, way: Way, part: str) -> Address:
    assert way.writes is not None
    text = way.writes.sender if part == "from" else way.writes.reply_to or ""
    where = job.at("deliver", at, way.kind, part)
    try:
        found = parse(text)
    except NotAnAddressError as error:
        raise JobError(f"'{text}' is not an address: {error}", where=where, fix="Write Name <name@domain>") from error
    if len(found) != 1:
        raise JobError("there must be one address here", where=where, fix="Keep one")
    return found[0]
