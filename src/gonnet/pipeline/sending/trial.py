"""Trying a run on oneself: its messages, to other addresses than the real ones."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from contextlib import ExitStack, closing

from gonnet import delivery
from gonnet.delivery import Envelope, Reply
from gonnet.ledger import MessageRecord, PackageRecord, RunRecord, State
from gonnet.pipeline.send import require_sendable
from gonnet.pipeline.sending.composing import unsealed
from gonnet.pipeline.sending.handing_over import OUTCOMES, link_for
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address


def trial(
    run: RunRecord,
    tools: Tools,
    addresses: Sequence[Address],
    first: int | None = None,
    only: Sequence[str] = (),
    told: Callable[[PackageRecord, Reply], None] = lambda _package, _reply: None,
) -> tuple[Reply, ...]:
    """Send the messages of a run to given addresses instead of the real ones. The real delivery stays as it is.

    Args:
        run: The run.
        tools: The tools.
        addresses: Who get every message; one at least.
        first: How many packages at most; None for all.
        only: Keys to which it is limited.
        told: Called with each package and the server's reply.

    Returns:
        What came of each message for each address.

    Raises:
        RunError: the run cannot be sent.
        UnreachableError: the server cannot be reached.
        SealError: something is not what was reviewed.
    """
    packages = tools.ledger.packages(run.id, only)
    require_sendable(run, packages)
    mailed = [package for package in packages if any(message.server for message in package.messages)]
    chosen = [package for package in mailed if only or package.state is not State.HELD][:first]
    replies = []
    with ExitStack() as stack:
        servers = dict.fromkeys(message.server for package in chosen for message in package.messages)
        links = {name: stack.enter_context(closing(link_for(name, tools))) for name in servers}
        for package in chosen:
            files = unsealed(package, tools)
            for message in package.messages:
                sealed = delivery.for_trial(
                    tools.store.get(message.sha256), message.subject, _envelope(message, addresses[0]), addresses
                )
                data = delivery.compose(sealed, [files[name] for name in message.files], tools.clock())
                for address in addresses:
                    reply = links[message.server].offer(message.sender, address.mailbox, data, lambda: True)
                    assert reply is not None
                    _record(run, package, message, address, reply, tools)
                    replies.append(reply)
                    told(package, reply)
    return tuple(replies)


def _record(
    run: RunRecord, package: PackageRecord, message: MessageRecord, address: Address, reply: Reply, tools: Tools
) -> None:
    outcome = OUTCOMES[reply.verdict]
    tools.ledger.deliveries.record_trial(
        run.id, package.id, message.id, address.mailbox, outcome, reply.code, reply.text
    )
    tools.log.say("trial", run=run.id, package=package.id, state=str(outcome), code=reply.code)


def _envelope(message: MessageRecord, me: Address) -> Envelope:
    return Envelope(
        sender=Address(mailbox=message.sender),
        to=tuple(Address(mailbox=address) for address in message.to),
        cc=tuple(Address(mailbox=address) for address in message.cc),
        bcc=tuple(Address(mailbox=address) for address in message.bcc),
        message_id=f"<{secrets.token_hex(16)}@{me.domain}>",
    )
