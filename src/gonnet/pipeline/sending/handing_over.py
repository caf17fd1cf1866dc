"""Handing packages over: several at the same time over connections of their own, at a pace, each written down."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, closing
from dataclasses import dataclass
from functools import partial

from gonnet.delivery.smtp import lacks_utf8, needs_utf8
from gonnet.errors import SealError, UnreachableError
from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord, State
from gonnet.ledger.bases import Share
from gonnet.ledger.hand_overs import AllowanceUsedError, Outcome
from gonnet.ledger.past import TakenElsewhere
from gonnet.ledger.states import DONE, HandOverKind, HandOverState
from gonnet.pipeline.sending.composing import Composer
from gonnet.pipeline.sending.gate import Gate, Leaving, Scope, leaving_of
from gonnet.pipeline.sending.mail_links import Lane, link_for, outcome_of, paces_of
from gonnet.pipeline.sending.pacing import Paces
from gonnet.pipeline.sending.places import Places
from gonnet.pipeline.sending.protecting import of_contacts
from gonnet.pipeline.sending.queue import Queue
from gonnet.pipeline.tools import Tools

_BLOCKING = (HandOverState.REFUSED, HandOverState.UNSURE)  # of what is put somewhere: messages wait for a person

Tell = Callable[[PackageRecord, State], None]
"""Called with each package that was tried and the state that it has now."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SendReport:
    """What came of a send.

    Attributes:
        states: State → number of packages that were tried and came to it.
        interrupted: The server that went away before the last package, or None; what was not tried is still ready.
        ended: Why nothing more may leave for now, or empty.
        is_shared: Whether others are still at work on the run.
        troubles: What went wrong after it.
    """

    states: dict[State, int]
    interrupted: UnreachableError | None = None
    ended: str = ""
    is_shared: bool = False
    troubles: tuple[str, ...] = ()

    def followed_by(self, other: SendReport) -> SendReport:
        """Both together, where the other tried again what had failed in this one."""
        states = Counter(self.states)
        states[State.FAILED] -= sum(other.states.values())
        states.update(other.states)
        found = {state: count for state, count in states.items() if count > 0}
        return SendReport(states=found, interrupted=other.interrupted, ended=other.ended)

    @property
    def is_over(self) -> bool:
        """Whether everything was tried."""
        return self.interrupted is None and not self.ended


class Needs:
    """What a send is going to need: the mail servers and places of all that waits.

    Attributes:
        servers: Their names.
        places: Place → something that is put there.
    """

    def __init__(self, packages: Iterable[PackageRecord] = ()) -> None:
        self.servers, self.places = dict[str, None](), dict[tuple[str, str, str], HandOverRecord]()
        for package in packages:
            self.see(package)

    def see(self, package: PackageRecord) -> None:
        """One more."""
        self.servers.update(dict.fromkeys(servers_of(package)))
        self.places.update((part.destination, part) for part in package.waiting if part in package.placed)


def hand_over_all(
    run: RunRecord,
    packages: Sequence[PackageRecord],
    needs: Needs,
    taken: TakenElsewhere,
    tools: Tools,
    tell: Tell,
    share: Share,
) -> SendReport:
    """Hand over packages, over as many connections as the servers allow.

    Args:
        run: The run.
        packages: Its packages, of which something waits.
        needs: What they need.
        taken: What left in other runs of the same cycle, and does not leave again.
        tools: The tools.
        tell: Called with what was tried.
        share: This process's part in the sending.

    Raises:
        UnreachableError: a server cannot be reached, or refuses us; nothing was handed over.
        StorageError: the ledger cannot be written; nothing more is handed over.
    """
    servers = {name: tools.workspace.server(name, "gonnet.yaml")[1] for name in needs.servers}
    count = max(1, min(len(packages), max((server.connections for server in servers.values()), default=1)))
    paces = paces_of(servers, tools)
    with ExitStack() as stack:
        places = stack.enter_context(closing(Places(needs.places.values(), tools)))
        places.open()
        queue = Queue(packages, share, tools.ledger, tools.stop)
        hands = _Hands(run, queue, Gate(run, tools, taken, paces), places, tell)
        lanes = {name: stack.enter_context(closing(_lane(name, paces, tools))) for name in servers}
        tools.protection.require_ready(servers.values())
        for lane in lanes.values():  # whatever is wrong with any of them is told before the first message
            lane.link.open()
        if count == 1:
            hands.work(lanes)
        else:
            hands.work_together(count, lanes, partial(_lane, paces=paces, tools=tools))
        return hands.report()


def servers_of(package: PackageRecord) -> list[str]:
    """The mail servers by which something of a package is still to leave."""
    waiting = {part.message_id for part in package.waiting if part in package.mailed}
    return [message.server for message in package.messages if message.message_id in waiting]


def _lane(name: str, paces: Mapping[str, Paces], tools: Tools) -> Lane:
    return Lane(link_for(name, tools), paces[name].lane())


class _Hands:
    """Those who hand over; each takes the next package, until there is none or nothing more may leave."""

    def __init__(self, run: RunRecord, queue: Queue, gate: Gate, places: Places, tell: Tell) -> None:
        self._queue, self._gate, self._places, self._tell = queue, gate, places, tell
        self._run, self._tools = run, gate.tools
        self._ledger = gate.tools.ledger.hand_overs
        self._lock, self._end = threading.Lock(), queue.ended
        self._states: Counter[State] = Counter()
        self._interrupted: UnreachableError | None = None
        self._ended = ""

    def report(self) -> SendReport:
        """What came of it."""
        return SendReport(states=dict(self._states), interrupted=self._interrupted, ended=self._ended)

    def work_together(self, count: int, lanes: Mapping[str, Lane], another: Callable[[str], Lane]) -> None:
        """Work over `count` connections to each server; the first are open already."""
        with ThreadPoolExecutor(count) as threads:
            others = [threads.submit(self._work_alone, list(lanes), another) for _ in range(count - 1)]
            try:
                self.work(lanes)
            except BaseException:
                self._end.set()  # the others finish what is under way
                raise
            for other in others:
                other.result()

    def _work_alone(self, names: Iterable[str], another: Callable[[str], Lane]) -> None:
        with ExitStack() as stack:
            lanes = {name: stack.enter_context(closing(another(name))) for name in names}
            try:
                for lane in lanes.values():
                    lane.link.open()
            except UnreachableError:  # the server allows no more connections: the others do the work
                return
            self.work(lanes)

    def work(self, lanes: Mapping[str, Lane]) -> None:
        """Take packages and hand them over."""
        while (package := self._queue.next()) is not None:
            try:
                state = self._hand_over(package, lanes)
                self._queue.done(package)
            except UnreachableError as error:
                with self._lock:
                    self._interrupted = self._interrupted or error
                self._end.set()
                return
            except AllowanceUsedError as error:
                self._finish(str(error))
                return
            except BaseException:
                self._end.set()
                raise
            if state is not State.READY:  # as it stays where nothing more may leave before its turn came
                with self._lock:
                    self._states[state] += 1
                    self._tell(package, state)

    def _finish(self, why: str) -> None:
        """Let nothing more leave in this send."""
        with self._lock:
            self._ended = self._ended or why
        self._end.set()

    def _hand_over(self, package: PackageRecord, lanes: Mapping[str, Lane]) -> State:
        """Everything of a package that waits: what is put somewhere first, since messages may link to it."""
        run, waiting = self._run, package.waiting
        try:
            if len(waiting) > 1:  # one alone is asked right before it leaves
                self._require_allowed(package)
            composer = Composer(package, self._tools, run.id)
            mailed = [part for part in waiting if part.kind is HandOverKind.MESSAGE]
            for part in mailed:  # nothing leaves unless all of it is what was reviewed, and can be written
                _require_takes(part, composer, lanes)
            placed = [part for part in waiting if part.kind is not HandOverKind.MESSAGE]
            state, may_go_on = self._put_all(package, placed)
            for part in mailed if may_go_on else ():
                state = self._mail(Leaving(part, package), composer, lanes) or state
                if self._end.is_set():
                    break
        except (SealError, _NotAllowedError) as error:
            self._ledger.hold(run.id, package.id, str(error))
            return State.HELD
        return state

    def _require_allowed(self, package: PackageRecord) -> None:
        """See that no part of a package would be refused for good, before another part of it leaves.

        Raises:
            _NotAllowedError: one would.
        """
        for leaving in leaving_of([package]):
            refusal = self._gate.asks(leaving)
            if refusal is not None and refusal.scope is Scope.PACKAGE:
                raise _NotAllowedError(refusal.reason)

    def _may_leave(self, leaving: Leaving, server: str = "", lane: Lane | None = None) -> bool:
        """Whether the gate lets it leave now.

        Raises:
            _NotAllowedError: its package is to be held.
        """
        refusal = self._gate.asks(leaving, server, lane.pace if lane is not None else None)
        if refusal is None:
            return True
        if refusal.scope is Scope.PACKAGE:
            raise _NotAllowedError(refusal.reason)
        if refusal.scope is Scope.SEND:
            self._finish("" if self._tools.stop.asked else refusal.reason)
        return False

    def _put_all(self, package: PackageRecord, waiting: Sequence[HandOverRecord]) -> tuple[State, bool]:
        """Put files, drafts and prints where they belong; the state of the package, and whether its messages may go."""
        state: State = package.state
        blocked = any(part.state in _BLOCKING or part.is_in_doubt for part in package.placed)
        for part in waiting:
            leaving = Leaving(part, package)
            if not self._may_leave(leaving):
                if self._end.is_set():
                    return state, False
                continue  # it is there already, from another run: messages need not wait for it
            data = self._tools.store.get(part.sha256)
            if not self._gate.begins(leaving):
                continue
            outcome = self._places.of(part.target).put(part, data)
            state = self._answered(leaving, outcome) or state
            blocked |= outcome.state is not DONE[part.kind]
        return state, not blocked

    def _mail(self, leaving: Leaving, composer: Composer, lanes: Mapping[str, Lane]) -> State | None:
        """Hand one message over to one address; the state of its package, None when it was not to leave."""
        part = leaving.part
        message = composer.message(part.message_id)
        lane = lanes[message.server]
        if not self._may_leave(leaving, message.server, lane):
            return None
        intent = partial(self._gate.begins, leaving)
        data = composer.composed(part.message_id)
        texts = of_contacts(leaving.package.contacts, part.target.name) if leaving.package is not None else ()
        reply = lane.link.offer(message.sender, part.target.name, data, intent, message.message_id, texts)
        return self._answered(leaving, outcome_of(reply)) if reply is not None else None

    def _answered(self, leaving: Leaving, outcome: Outcome) -> State | None:
        part, package = leaving.part, leaving.package
        assert package is not None
        alone = len(package.hand_overs) == 1
        state = self._ledger.answered(self._run.id, package.id, part, outcome, alone=alone)
        # Only now: until the outcome is in the ledger, everything else would prolong the doubt.
        numbers = {"run": self._run.id, "package": package.id, "hand_over": part.id}
        kind, came = str(part.kind), str(outcome.state)
        self._tools.log.say("handed over", **numbers, kind=kind, state=came, code=outcome.code)
        return state


def _require_takes(part: HandOverRecord, composer: Composer, lanes: Mapping[str, Lane]) -> None:
    """See that the server of a message takes its addresses.

    Raises:
        SealError: the message is not what was reviewed.
        _NotAllowedError: the server does not take them.
    """
    message, data = composer.message(part.message_id), composer.composed(part.message_id)
    link = lanes[message.server].link
    if needs_utf8(message.sender, part.target.name, data) and not link.takes_utf8:
        raise _NotAllowedError(lacks_utf8(f"the mail server {message.server}"))


class _NotAllowedError(Exception):
    """A package must not leave; its text says why."""
