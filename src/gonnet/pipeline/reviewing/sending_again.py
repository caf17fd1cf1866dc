"""Making what was sent ready to be sent again: the same bytes, under new Message-IDs."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from gonnet import delivery
from gonnet.errors import RunError, meant
from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.changes import Addition, Change
from gonnet.ledger.states import HandOverState, Purpose
from gonnet.pipeline.reviewing.amending.contacts import addresses_in
from gonnet.pipeline.reviewing.decisions import Ask, agreed, decide
from gonnet.pipeline.reviewing.selecting import Selection, selected
from gonnet.pipeline.sending import gate
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address


def again(
    run: RunRecord,
    tools: Tools,
    which: Selection,
    why: str,
    who: str,
    ask: Ask = agreed,
    to: str | None = None,
    ways: Sequence[str] = (),
) -> tuple[PackageRecord, ...]:
    """Make packages that were sent ready to be sent again: the same bytes, under new Message-IDs.

    Programs and servers drop a message with a Message-ID that they have; this one is meant to arrive. A package that
    has no message is filed, drafted or printed again; so is one that left by several ways, where `ways` says so.

    Args:
        run: The run.
        tools: The tools.
        which: Which packages.
        why: The reason, which is recorded.
        who: Who says so.
        ask: Asked before anything is changed.
        ways: By which of the ways by which they left; by mail, where they were mailed, when empty.
        to: Addresses that get the message of one package this once, in the place of those to whom it went.

    Returns:
        The packages as they are now; none where the answer was no.

    Raises:
        RunError: one of them was not sent, or `to` cannot be used.
        DataError: `to` is no address.
        GonnetError: as for `decide`.
    """
    others = None if to is None else _others(run, tools, which, to)

    def plan(package: PackageRecord) -> list[Change]:
        if package.state is not State.SENT:
            raise RunError(f"package {package.key} is {package.state}: only what was sent can be sent again")
        if others is not None:
            copies, parts = _to_others(package, others, tools)
        else:
            copies, parts = _by_ways(package, ways, tools)
        messages, hand_overs = (*package.messages, *copies), (*package.hand_overs, *parts)
        seal = tools.seals.of(package, State.READY, messages=messages, hand_overs=hand_overs)
        whom = "" if to is None else f" to {to} this once"
        what = f"to be sent again{whom}, by {who}" + (f": {why}" if why else "")
        return [Addition(package=package, what=what, messages=copies, hand_overs=parts, seal=seal)]

    return decide(run, tools, which, plan, ask)


def _by_ways(
    package: PackageRecord, ways: Sequence[str], tools: Tools
) -> tuple[tuple[MessageRecord, ...], tuple[HandOverRecord, ...]]:
    """What left by some ways, once more; its messages where no way is named, or what was put somewhere.

    Raises:
        RunError: nothing of it left by one of them.
    """
    if lacking := next((way for way in ways if way not in package.ways), None):
        what = f"nothing of package {package.key} left by '{lacking}'"
        raise RunError(what, fix=meant(lacking, list(package.ways), noun="way"))
    if not ways:
        return _copies(package, tools) if package.mailed else ((), tuple(_once_more(package.placed)))
    is_mailed = any(part.way in ways for part in package.mailed)
    copies, parts = _copies(package, tools) if is_mailed else ((), ())
    return copies, (*_once_more(part for part in package.placed if part.way in ways), *parts)


def _others(run: RunRecord, tools: Tools, which: Selection, to: str) -> tuple[Address, ...]:
    """The addresses that get one package this once.

    Raises:
        RunError: several packages are meant, the workspace does not allow the address, or it is another recipient's.
        DataError: it is no address.
    """
    found, *more = selected(run, tools, which)
    if more:
        raise RunError(f"{len(more) + 1} packages cannot go to one address", fix="Give one key with --to")
    addresses = addresses_in(to, "--to")
    if strangers := gate.strangers([one.mailbox for one in addresses], tools.workspace.file.limits):
        raise RunError(gate.not_allowed(strangers), fix="Give another address")
    mine = {address.casefold() for message in found.messages for address in message.everybody}
    wanted = {one.mailbox.casefold() for one in addresses} - mine
    for package in tools.ledger.packages(run.id):
        for address in package.to:
            if package.key != found.key and address.casefold() in wanted:
                what = f"it would be written to {address}, the address of {package.key}"
                raise RunError(what, fix="Nothing was changed; the list can say so")
    return addresses


def _to_others(
    package: PackageRecord, people: Sequence[Address], tools: Tools
) -> tuple[tuple[MessageRecord, ...], tuple[HandOverRecord, ...]]:
    """The messages that went to its first contact, for others.

    Raises:
        RunError: nothing of it was mailed.
    """
    sent = [message for message in package.messages if _addresses(package, message)]
    if not sent:
        raise RunError(f"nothing of package {package.key} was mailed", fix="`gonnet save` gives its files")
    mailboxes = tuple(one.mailbox for one in people)
    copies = []
    for message in dict.fromkeys(one for one in sent if one.to == sent[0].to):
        copy = _copy(message, tools)
        data = delivery.readdressed(tools.store.get(copy.sha256), people, ())
        copies.append(replace(copy, to=mailboxes, cc=(), bcc=(), sha256=tools.store.put(data)))
    copies = copies[: max(1, len(copies) // sum(_is_alike(copies[0], copy) for copy in copies))]
    way = package.mailed[0].way
    parts = [
        HandOverRecord.of_message(copy.message_id, one, Purpose.EXTRA, way) for copy in copies for one in mailboxes
    ]
    return tuple(copies), tuple(parts)


def _once_more(parts: Iterable[HandOverRecord]) -> Iterator[HandOverRecord]:
    """What was put somewhere, once for each place, to be put there anew."""
    found = {(part.kind, part.target): part for part in parts}
    for part in found.values():
        yield HandOverRecord(
            kind=part.kind,
            target=part.target,
            way=part.way,
            purpose=Purpose.EXTRA,
            existing=part.existing,
            sha256=part.sha256,
        )


def _copies(package: PackageRecord, tools: Tools) -> tuple[tuple[MessageRecord, ...], tuple[HandOverRecord, ...]]:
    """The messages that were sent, once each, under new Message-IDs, and their hand-overs to the same addresses."""
    sent = [message for message in package.messages if _addresses(package, message)]
    first = len(sent) // max(1, sum(_is_alike(sent[0], message) for message in sent))
    copies, parts = [], []
    for message in sent[:first] or sent:
        copy = _copy(message, tools)
        copies.append(copy)
        addresses = _addresses(package, message)
        way = package.mailed[0].way
        parts += [HandOverRecord.of_message(copy.message_id, address, Purpose.EXTRA, way) for address in addresses]
    return tuple(copies), tuple(parts)


def _addresses(package: PackageRecord, message: MessageRecord) -> list[str]:
    """Where a message went."""
    return [
        part.target.name
        for part in package.mailed
        if part.message_id == message.message_id and part.state is HandOverState.SENT
    ]


def _is_alike(one: MessageRecord, other: MessageRecord) -> bool:
    """Whether a message says and carries what another does, to the same people."""
    return (one.to, one.files, one.subject) == (other.to, other.files, other.subject)


def _copy(message: MessageRecord, tools: Tools) -> MessageRecord:
    new = new_message_id(message)
    data = delivery.with_message_id(tools.store.get(message.sha256), new)
    return replace(message, message_id=new, sha256=tools.store.put(data), id=0)


def new_message_id(message: MessageRecord) -> str:
    """Another Message-ID of the same domain."""
    domain = message.message_id.rpartition("@")[2].rstrip(">")
    return f"<{secrets.token_hex(16)}@{domain}>"
