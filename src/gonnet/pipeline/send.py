"""Handing over what was reviewed: at most once, and never silently not at all."""

from __future__ import annotations

import secrets
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass

from gonnet import delivery
from gonnet.delivery import Attachment, Envelope, Reply, SmtpLink, Verdict
from gonnet.errors import RunError, SealError, UnreachableError
from gonnet.ledger import MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.records import HandOver, RunState
from gonnet.packages import seal_of
from gonnet.pipeline import guards
from gonnet.pipeline.filing import file_all, to_file
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address

_STATES = {
    Verdict.ACCEPTED: HandOver.SENT,
    Verdict.LATER: HandOver.LATER,
    Verdict.REFUSED: HandOver.REFUSED,
    Verdict.IN_DOUBT: HandOver.UNSURE,
}
_OPEN = (HandOver.WAITING, HandOver.LATER)

Told = Callable[[PackageRecord, State], None]
"""Called with each package that was tried and the state that it has now."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SendReport:
    """What came of a send.

    Attributes:
        states: State → number of packages that were tried and came to it.
        interrupted: Why it ended before the last package, or None; what was not tried is still ready.
    """

    states: dict[State, int]
    interrupted: UnreachableError | None = None


def sendable(
    run: RunRecord, tools: Tools, only: Sequence[str] = (), *, again: bool = False
) -> tuple[PackageRecord, ...]:
    """The packages of a run that a send would hand over: ready ones, and what was refused only for now.

    Those that were sent in another run for the same period are left out, unless `again` is said.

    Raises:
        RunError: the run was not prepared to its end, or delivers nothing.
    """
    packages = tools.ledger.packages(run.id, only)
    _require_sendable(run, packages)
    waiting = tuple(package for package in packages if any(_waiting(package)) or any(to_file(package)))
    earlier = {} if again else guards.sent_before(run, waiting, tools)
    return tuple(package for package in waiting if package.key not in earlier)


def _require_sendable(run: RunRecord, packages: Sequence[PackageRecord]) -> None:
    if run.state is not RunState.PREPARED:
        raise RunError(f"run {run.id} was not prepared to its end", fix=f"Run `gonnet prepare {run.job}` again")
    if not any(package.messages or package.filings for package in packages):
        raise RunError(
            f"the job '{run.job}' of run {run.id} delivers nothing",
            fix="Give it `recipients`, `messages` and `deliver`, and prepare it again",
        )


def _waiting(package: PackageRecord) -> Iterator[tuple[MessageRecord, int, str]]:
    """Message, delivery and address of everything of a package that is still to be handed over."""
    if package.state in (State.READY, State.FAILED, State.UNSURE):
        for message in package.messages:
            for part in message.deliveries:
                if part.state in _OPEN:
                    yield message, part.id, part.address


def send(
    run: RunRecord,
    tools: Tools,
    only: Sequence[str] = (),
    told: Told = lambda _package, _state: None,
    *,
    again: bool = False,
) -> SendReport:
    """Hand over what is ready. Run again after an interruption, it goes on with what is not sent.

    Every delivery is written to the ledger before its body is offered and after the server answered. What an earlier
    send left without an answer is called unsure and not sent again.

    Raises:
        RunError: the run cannot be sent, goes beyond the limits of the workspace, or another process is sending it.
        UnreachableError: a server cannot be reached; nothing was handed over.
        StorageError: the ledger cannot be written; nothing more is handed over.
    """
    with tools.ledger.alone(run.id):
        tools.ledger.doubt_open_hand_overs(run.id)
        packages = _allowed(run, sendable(run, tools, only, again=again), tools)
        guards.require_within_limits(packages, tools)
        states: Counter[State] = Counter()
        with ExitStack() as stack:
            servers = dict.fromkeys(message.server for package in packages for message, _, _ in _waiting(package))
            links = {name: stack.enter_context(closing(link_for(name, tools))) for name in servers}
            for link in links.values():  # whatever is wrong with any of them is told before the first message
                link.open()
            for package in packages:
                try:
                    state = _send_package(run, package, tools, links)
                except UnreachableError as error:
                    return SendReport(states=dict(states), interrupted=error)
                states[state] += 1
                told(package, state)
        return SendReport(states=dict(states))


def _allowed(run: RunRecord, packages: Sequence[PackageRecord], tools: Tools) -> list[PackageRecord]:
    """The packages that may leave; one with an address that the workspace does not allow is held."""
    found = []
    for package in packages:
        addresses = [part.address for part in package.deliveries()]
        if strangers := guards.strangers(addresses, tools.workspace.file.limits):
            tools.ledger.hold(run.id, package.id, guards.told_of_strangers(strangers))
        else:
            found.append(package)
    return found


def link_for(name: str, tools: Tools) -> SmtpLink:
    """The connection to a mail server.

    Raises:
        JobError: the workspace no longer has the server, or its password is not set.
    """
    _, server = tools.workspace.server(name, "gonnet.yaml")
    where = f"gonnet.yaml, mail server '{name}'"
    password = tools.workspace.secrets.resolve(server.password, where) if server.password else None
    trusted = str(tools.workspace.folder / server.ca_file) if server.ca_file else None
    return SmtpLink(server, password, trusted)


def _send_package(run: RunRecord, package: PackageRecord, tools: Tools, links: Mapping[str, SmtpLink]) -> State:
    try:
        files = unsealed(package, tools)
        filed, state = file_all(run, package, tools)
        state = state or package.state
        for message, delivery_id, address in _waiting(package) if filed else ():
            attached = [files[name] for name in message.files]
            data = delivery.compose(tools.store.get(message.sha256), attached, tools.clock())
            link = links[message.server]
            state = _deliver(run, package, message, delivery_id, address, data, tools, link) or state
    except SealError as error:
        tools.ledger.hold(run.id, package.id, str(error))
        return State.HELD
    return state


def _deliver(
    run: RunRecord,
    package: PackageRecord,
    message: MessageRecord,
    delivery_id: int,
    address: str,
    data: bytes,
    tools: Tools,
    link: SmtpLink,
) -> State | None:
    """Hand one message over to one address; None when it was no longer to be sent."""
    reply = link.offer(message.sender, address, data, lambda: tools.ledger.hand_over(delivery_id))
    if reply is None:
        return None
    return tools.ledger.answered(run.id, package.id, delivery_id, _STATES[reply.verdict], reply.code, reply.text)


def unsealed(package: PackageRecord, tools: Tools) -> dict[str, Attachment]:
    """Name → the file, of those that are attached: each checked against its digest and all against the seal.

    Raises:
        SealError: something is not what was reviewed.
    """
    documents = [(document.name, document.sha256) for document in package.documents]
    messages = [
        (message.message_id, message.sha256, [part.address for part in message.deliveries], message.files)
        for message in package.messages
    ]
    filings = [(filing.root, filing.place, filing.sha256) for filing in package.filings]
    if seal_of(package.key, documents, messages, filings) != package.seal:
        raise SealError("the record of this package is no longer what was reviewed", fix="Prepare it again")
    attached = {name for message in package.messages for name in message.files}
    return {
        document.name: Attachment(name=document.name, format=document.format, data=tools.store.get(document.sha256))
        for document in package.documents
        if document.name in attached
    }


def trial(
    run: RunRecord,
    tools: Tools,
    address: Address,
    first: int | None = None,
    only: Sequence[str] = (),
    told: Callable[[PackageRecord, Reply], None] = lambda _package, _reply: None,
) -> tuple[Reply, ...]:
    """Send the messages of a run to one address instead of the real ones. The real delivery stays as it is.

    Args:
        run: The run.
        tools: The tools.
        address: Who gets every message.
        first: How many packages at most; None for all.
        only: Keys to which it is limited.
        told: Called with each package and the server's reply.

    Raises:
        RunError: the run cannot be sent.
        UnreachableError: the server cannot be reached.
        SealError: something is not what was reviewed.
    """
    packages = tools.ledger.packages(run.id, only)
    _require_sendable(run, packages)
    chosen = [p for p in packages if p.messages and (only or p.state is not State.HELD)][:first]
    replies = []
    with ExitStack() as stack:
        servers = dict.fromkeys(message.server for package in chosen for message in package.messages)
        links = {name: stack.enter_context(closing(link_for(name, tools))) for name in servers}
        for package in chosen:
            files = unsealed(package, tools)
            for message in package.messages:
                sealed = delivery.for_trial(
                    tools.store.get(message.sha256), message.subject, _envelope(message, address), address
                )
                attached = [files[name] for name in message.files]
                data = delivery.compose(sealed, attached, tools.clock())
                reply = links[message.server].offer(message.sender, address.mailbox, data, lambda: True)
                assert reply is not None
                tools.ledger.record_trial(
                    run.id, package.id, message.id, address.mailbox, _STATES[reply.verdict], reply.code, reply.text
                )
                replies.append(reply)
                told(package, reply)
    return tuple(replies)


def _envelope(message: MessageRecord, trial_address: Address) -> Envelope:
    return Envelope(
        sender=Address(mailbox=message.sender),
        to=tuple(Address(mailbox=address) for address in message.to),
        cc=tuple(Address(mailbox=address) for address in message.cc),
        bcc=tuple(Address(mailbox=address) for address in message.bcc),
        message_id=f"<{secrets.token_hex(16)}@{trial_address.domain}>",
    )
