"""Connections to the mail servers of the workspace, and what an answer of one means for a hand-over."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from gonnet.delivery import Meaning, Reply, SmtpLink
from gonnet.delivery.imap import DraftsFolder
from gonnet.jobs.services import MailServer
from gonnet.ledger.hand_overs import Outcome
from gonnet.ledger.states import HandOverState
from gonnet.pipeline.sending.pacing import Pace, Paces
from gonnet.pipeline.tools import Tools

_STATES = {
    Meaning.ACCEPTED: HandOverState.SENT,
    Meaning.LATER: HandOverState.DEFERRED,
    Meaning.REFUSED: HandOverState.REFUSED,
    Meaning.IN_DOUBT: HandOverState.UNSURE,
}


class Lane:
    """A connection to a mail server, and its pace."""

    def __init__(self, link: SmtpLink, pace: Pace) -> None:
        self.link, self.pace = link, pace

    def close(self) -> None:
        """Take leave of the server."""
        self.link.close()


def link_for(name: str, tools: Tools) -> SmtpLink:
    """The connection to a mail server.

    Raises:
        JobError: the workspace no longer has the server, or its password is not set.
    """
    _, server = tools.workspace.server(name, "gonnet.yaml")
    where = f"gonnet.yaml, mail server '{name}'"
    password = tools.workspace.secrets.resolve(server.password, where) if server.password else None
    trusted = str(tools.workspace.folder / server.ca_file) if server.ca_file else None
    return SmtpLink(server, password, trusted, partial(tools.protection.made, name))


def paces_of(servers: Mapping[str, MailServer], tools: Tools) -> dict[str, Paces]:
    """Mail server → its pace, over all who send by it."""
    take = tools.ledger.hand_overs.turns.take
    return {name: Paces(name, server.per_minute, take, tools.stop.sleep) for name, server in servers.items()}


def drafts_for(name: str, tools: Tools) -> DraftsFolder:
    """The connection to a mailbox.

    Raises:
        JobError: the workspace no longer has the mailbox, or its password is not set.
    """
    _, server = tools.workspace.mailbox(name, "gonnet.yaml")
    password = tools.workspace.secrets.resolve(server.password, f"gonnet.yaml, imap '{name}'")
    trusted = str(tools.workspace.folder / server.ca_file) if server.ca_file else None
    return DraftsFolder(server, password, trusted)


def outcome_of(reply: Reply) -> Outcome:
    """What came of a hand-over."""
    return Outcome(state=_STATES[reply.meaning], refused=reply.refused, code=reply.code, reply=reply.text)
