"""Handing packages over: several at the same time over connections of their own, at a pace, each written down."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, closing
from dataclasses import dataclass
from functools import partial

from gonnet.delivery import SmtpLink, Verdict
from gonnet.errors import SealError, UnreachableError
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.ledger.records import HandOver
from gonnet.pipeline.sending.composing import Waiting, composed, waiting_in
from gonnet.pipeline.sending.filing import file_all, outlets_of
from gonnet.pipeline.sending.outlets import Outlets
from gonnet.pipeline.sending.pacing import Pace, Paces
from gonnet.pipeline.tools import Tools

OUTCOMES = {
    Verdict.ACCEPTED: HandOver.SENT,
    Verdict.LATER: HandOver.LATER,
    Verdict.REFUSED: HandOver.REFUSED,
    Verdict.IN_DOUBT: HandOver.UNSURE,
}

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

    def followed_by(self, other: SendReport) -> SendReport:
        """Both together, where the other tried again what had failed in this one."""
        states = Counter(self.states)
        states[State.FAILED] -= sum(other.states.values())
        states.update(other.states)
        return SendReport(states={state: n for state, n in states.items() if n > 0}, interrupted=other.interrupted)


def hand_over_all(run: RunRecord, packages: Sequence[PackageRecord], tools: Tools, told: Told) -> SendReport:
    """Hand over packages, over as many connections as the servers allow.

    Raises:
        UnreachableError: a server cannot be reached, or refuses us; nothing was handed over.
        StorageError: the ledger cannot be written; nothing more is handed over.
    """
    names = dict.fromkeys(message.server for package in packages for message, _, _ in waiting_in(package))
    servers = {name: tools.workspace.server(name, "gonnet.yaml")[1] for name in names}
    count = max(1, min(len(packages), max((server.connections for server in servers.values()), default=1)))
    with ExitStack() as stack:
        outlets = stack.enter_context(closing(outlets_of(packages, tools)))
        outlets.open()
        paces = {name: Paces(server.per_minute, tools.stop.sleep) for name, server in servers.items()}
        crew = _Crew(run, packages, outlets, tools, told, paces)
        lines = {name: stack.enter_context(closing(crew.line(name))) for name in names}
        for line in lines.values():  # whatever is wrong with any of them is told before the first message
            line.link.open()
        if count == 1:
            crew.work(lines)
        else:
            crew.work_together(count, lines)
        return crew.report()


class _Line:
    """A connection to a mail server, and its pace."""

    def __init__(self, link: SmtpLink, pace: Pace) -> None:
        self.link, self.pace = link, pace

    def close(self) -> None:
        """Take leave of the server."""
        self.link.close()


class _Crew:
    """Those who hand over; each takes the next package, until there is none or a server is gone."""

    def __init__(
        self,
        run: RunRecord,
        packages: Sequence[PackageRecord],
        outlets: Outlets,
        tools: Tools,
        told: Told,
        paces: Mapping[str, Paces],
    ) -> None:
        self._run, self._tools, self._told, self._paces = run, tools, told, paces
        self._packages, self._outlets = iter(packages), outlets
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._states: Counter[State] = Counter()
        self._interrupted: UnreachableError | None = None

    def report(self) -> SendReport:
        """What came of it."""
        return SendReport(states=dict(self._states), interrupted=self._interrupted)

    def line(self, name: str) -> _Line:
        """A line to a server."""
        return _Line(link_for(name, self._tools), self._paces[name].lane())

    def work_together(self, count: int, lines: Mapping[str, _Line]) -> None:
        """Work over `count` lines to each server; the first are open already."""
        with ThreadPoolExecutor(count) as threads:
            others = [threads.submit(self._work_alone, list(lines)) for _ in range(count - 1)]
            try:
                self.work(lines)
            finally:
                self._stop.set()  # whatever ended this one, the others finish what is under way
            for other in others:
                other.result()

    def _work_alone(self, names: Iterable[str]) -> None:
        with ExitStack() as stack:
            lines = {name: stack.enter_context(closing(self.line(name))) for name in names}
            try:
                for line in lines.values():
                    line.link.open()
            except UnreachableError:  # the server allows no more connections: the others do the work
                return
            self.work(lines)

    def work(self, lines: Mapping[str, _Line]) -> None:
        """Take packages and hand them over."""
        while not (self._stop.is_set() or self._tools.stop.asked) and (package := self._next()) is not None:
            try:
                state = self._send(package, lines)
            except UnreachableError as error:
                with self._lock:
                    self._interrupted = self._interrupted or error
                self._stop.set()
                return
            except BaseException:
                self._stop.set()
                raise
            if state is not State.READY:  # as it stays where an end was asked for before its turn came
                with self._lock:
                    self._states[state] += 1
                    self._told(package, state)

    def _next(self) -> PackageRecord | None:
        with self._lock:
            return next(self._packages, None)

    def _send(self, package: PackageRecord, lines: Mapping[str, _Line]) -> State:
        tools, run = self._tools, self._run
        try:
            waiting = composed(package, tools)
            filed, state = file_all(run, package, tools, self._outlets)
            state = state or package.state
            for one in waiting if filed else ():
                line = lines[one.message.server]
                self._paces[one.message.server].wait(one.address, line.pace)
                if tools.stop.asked:
                    break
                state = self._deliver(package, one, line.link) or state
        except SealError as error:
            tools.ledger.deliveries.hold(run.id, package.id, str(error))
            return State.HELD
        return state

    def _deliver(self, package: PackageRecord, one: Waiting, link: SmtpLink) -> State | None:
        """Hand one message over to one address; None when it was no longer to be sent."""
        ledger = self._tools.ledger.deliveries
        intent = partial(ledger.hand_over, one.delivery)
        reply = link.offer(one.message.sender, one.address, one.data, intent, one.message.message_id)
        if reply is None:
            return None
        outcome = OUTCOMES[reply.verdict]
        only = one.address if len(list(package.deliveries())) == 1 and not package.filings else None
        state = ledger.answered(self._run.id, package.id, one.delivery, outcome, reply.code, reply.text, only)
        # Only now: until the outcome is in the ledger, everything else would prolong the doubt.
        numbers = {"run": self._run.id, "package": package.id, "delivery": one.delivery}
        self._tools.log.say("handed over", **numbers, state=str(outcome), code=reply.code)
        return state


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
