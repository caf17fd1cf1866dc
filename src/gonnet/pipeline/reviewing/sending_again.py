"""Making what was sent ready to be sent again: the same bytes, under new Message-IDs."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Iterator
from dataclasses import replace

from gonnet import delivery
from gonnet.errors import RunError
from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.changes import Addition, Change
from gonnet.ledger.states import HandOverState, Purpose
from gonnet.pipeline.reviewing.decisions import Ask, agreed, decide
from gonnet.pipeline.reviewing.selecting import Selection
from gonnet.pipeline.tools import Tools


def again(
    run: RunRecord, tools: Tools, which: Selection, why: str, who: str, ask: Ask = agreed
) -> tuple[PackageRecord, ...]:
    """Make packages that were sent ready to be sent again: the same bytes, under new Message-IDs.

    Programs and servers drop a message with a Message-ID that they have; this one is meant to arrive. A package that
    has no message is filed, drafted or printed again.

    Returns:
        The packages as they are now; none where the answer was no.

    Raises:
        RunError: one of them was not sent.
        GonnetError: as for `decide`.
    """

    def plan(package: PackageRecord) -> list[Change]:
        if package.state is not State.SENT:
            raise RunError(f"package {package.key} is {package.state}: only what was sent can be sent again")
        copies, parts = _copies(package, tools) if package.mailed else ((), tuple(_once_more(package.placed)))
        messages, hand_overs = (*package.messages, *copies), (*package.hand_overs, *parts)
        seal = tools.seals.of(package, State.READY, messages=messages, hand_overs=hand_overs)
        what = f"to be sent again, by {who}" + (f": {why}" if why else "")
        return [Addition(package=package, what=what, messages=copies, hand_overs=parts, seal=seal)]

    return decide(run, tools, which, plan, ask)


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
        parts += [HandOverRecord.of_message(copy.message_id, address, Purpose.EXTRA) for address in addresses]
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
