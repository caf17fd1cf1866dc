"""Trying a run on oneself: its messages, to other addresses than the real ones."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass
from functools import partial

from gonnet import delivery
from gonnet.delivery import Envelope, Reply
from gonnet.errors import RunError
from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.hand_overs import AllowanceUsedError
from gonnet.ledger.states import Purpose
from gonnet.pipeline.sending.choosing import require_prepared
from gonnet.pipeline.sending.composing import unsealed
from gonnet.pipeline.sending.gate import Gate, Leaving, not_allowed, strangers
from gonnet.pipeline.sending.mail_links import Lane, link_for, outcome_of, paces_of
from gonnet.pipeline.surveying.picking import picked_of
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address

Tell = Callable[[PackageRecord, Reply], None]


@dataclass(frozen=True, slots=True, kw_only=True)
class TrialReport:
    """What came of a trial.

    Attributes:
        replies: What the server said to each message for each address.
        ended: Why it ended before the last one, or empty.
    """

    replies: tuple[Reply, ...]
    ended: str = ""


def trial(
    run: RunRecord,
    tools: Tools,
    addresses: Sequence[Address],
    first: int | None = None,
    only: Sequence[str] = (),
    tell: Tell = lambda _package, _reply: None,
) -> TrialReport:
    """Send the messages of a run to given addresses instead of the real ones. The real hand-overs stay as they are.

    Args:
        run: The run.
        tools: The tools.
        addresses: Who get every message; one at least.
        first: How many packages at most; None for all.
        only: Keys to which it is limited.
        tell: Called with each package and the server's reply.

    Raises:
        RunError: the run cannot be sent, or the workspace does not allow it; nothing was sent.
        UnreachableError: the server cannot be reached.
        SealError: something is not what was reviewed.
    """
    packages = tools.ledger.packages(run.id, picked_of(run, tools, only))
    require_prepared(run)
    mailed = [package for package in packages if any(message.server for message in package.messages)]
    chosen = [package for package in mailed if only or package.state is not State.HELD][:first]
    if found := strangers([address.mailbox for address in addresses], tools.workspace.file.limits):
        raise RunError(not_allowed(found), where="--trial", fix="Try it on an address that is allowed")
    names = dict.fromkeys(message.server for package in chosen for message in package.messages)
    servers = {name: tools.workspace.server(name, "gonnet.yaml")[1] for name in names}
    paces = paces_of(servers, tools)
    gate = Gate(run, tools, paces=paces)
    tools.protection.require_ready(servers.values())
    with ExitStack() as stack:
        lanes = {
            name: stack.enter_context(closing(Lane(link_for(name, tools), paces[name].lane()))) for name in servers
        }
        one = _Trial(run, gate, addresses, lanes, tell)
        coming = gate.coming()
        for _, leaving in (part for package in chosen for part in one.parts(package)):
            coming.see(leaving)
        gate.require_open(coming)
        for package in chosen:
            one.send(package)
            if one.ended:
                break
    return TrialReport(replies=tuple(one.replies), ended=one.ended)


class _Trial:
    """One trial, package by package."""

    def __init__(
        self, run: RunRecord, gate: Gate, addresses: Sequence[Address], lanes: dict[str, Lane], tell: Tell
    ) -> None:
        self._run = run
        self._gate, self._addresses, self._lanes, self._tell = gate, addresses, lanes, tell
        self.replies: list[Reply] = []
        self.ended = ""

    def parts(self, package: PackageRecord) -> Iterator[tuple[MessageRecord, Leaving]]:
        """Each message of a package for each address."""
        for message in package.messages:
            for address in self._addresses:
                part = HandOverRecord.of_message(message.message_id, address.mailbox, Purpose.TRIAL)
                yield message, Leaving(part, package)

    def send(self, package: PackageRecord) -> None:
        """Send every message of a package to every address, until the gate ends it."""
        tools = self._gate.tools
        files = unsealed(package, tools, self._run.id)
        made: dict[str, bytes] = {}
        for message, leaving in self.parts(package):
            if message.message_id not in made:
                envelope = _envelope(message, self._addresses[0])
                data = tools.store.get(message.sha256)
                sealed = delivery.for_trial(data, message.subject, envelope, self._addresses)
                attached = [files[name] for name in message.files]
                made[message.message_id] = delivery.compose(sealed, attached, tools.clock())
            lane = self._lanes[message.server]
            refusal = self._gate.asks(leaving, message.server, lane.pace)
            if refusal is not None:
                self.ended = refusal.reason
                return
            self._offer(message, leaving, made[message.message_id], lane)
            if self.ended:
                return

    def _offer(self, message: MessageRecord, leaving: Leaving, data: bytes, lane: Lane) -> None:
        gate, package = self._gate, leaving.package
        assert package is not None
        ledger, run = gate.tools.ledger.hand_overs, self._run
        part = ledger.add(run.id, package.id, message.id, leaving.part)
        intent = partial(gate.begins, Leaving(part, package))
        try:
            reply = lane.link.offer(message.sender, part.target.name, data, intent)
        except AllowanceUsedError as error:
            self.ended = str(error)
            return
        if reply is None:
            return
        outcome = outcome_of(reply)
        ledger.answered(run.id, package.id, part, outcome)
        gate.tools.log.say("trial", run=run.id, package=package.id, state=str(outcome.state), code=outcome.code)
        self.replies.append(reply)
        self._tell(package, reply)


def _envelope(message: MessageRecord, me: Address) -> Envelope:
    return Envelope(
        sender=Address(mailbox=message.sender),
        to=tuple(Address(mailbox=address) for address in message.to),
        cc=tuple(Address(mailbox=address) for address in message.cc),
        bcc=tuple(Address(mailbox=address) for address in message.bcc),
        message_id=f"<{secrets.token_hex(16)}@{me.domain}>",
    )
