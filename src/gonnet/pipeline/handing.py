"""Handing packages over: several at the same time over connections of their own, at a pace, each written down."""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack, closing
from dataclasses import dataclass

from gonnet.delivery import SmtpLink, Verdict
from gonnet.errors import SealError, UnreachableError
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.ledger.records import HandOver
from gonnet.pipeline.composing import Ahead, Waiting, waiting_in
from gonnet.pipeline.filing import file_all
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
        links = {name: stack.enter_context(closing(link_for(name, tools))) for name in names}
        for link in links.values():  # whatever is wrong with any of them is told before the first message
            link.open()
        ahead = stack.enter_context(Ahead(packages, tools, count + 1))
        crew = _Crew(run, ahead, tools, told, {name: Pace(server.per_minute) for name, server in servers.items()})
        if count == 1:
            crew.work(links)
        else:
            crew.work_together(count, links)
        return crew.report()


class Pace:
    """Lets so many messages go in a minute, evenly.

    Args:
        per_minute: How many; None for as many as can be.
        sleep: Waits so many seconds.
    """

    def __init__(self, per_minute: int | None, sleep: Callable[[float], None] = time.sleep) -> None:
        self._gap = 60 / per_minute if per_minute else 0.0
        self._lock, self._sleep = threading.Lock(), sleep
        self._next = 0.0

    def wait(self, now: Callable[[], float] = time.monotonic) -> None:
        """Wait until the next message may go."""
        if not self._gap:
            return
        with self._lock:
            mine = max(self._next, now())
            self._next = mine + self._gap
        self._sleep(max(0.0, mine - now()))


class _Crew:
    """Those who hand over; each takes the next package, until there is none or a server is gone."""

    def __init__(
        self,
        run: RunRecord,
        ahead: Ahead,
        tools: Tools,
        told: Told,
        paces: Mapping[str, Pace],
    ) -> None:
        self._run, self._tools, self._told, self._paces = run, tools, told, paces
        self._ahead = ahead
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._states: Counter[State] = Counter()
        self._interrupted: UnreachableError | None = None

    def report(self) -> SendReport:
        """What came of it."""
        return SendReport(states=dict(self._states), interrupted=self._interrupted)

    def work_together(self, count: int, links: Mapping[str, SmtpLink]) -> None:
        """Work over `count` connections to each server; the first are open already."""
        with ThreadPoolExecutor(count) as threads:
            others = [threads.submit(self._work_alone, list(links)) for _ in range(count - 1)]
            try:
                self.work(links)
            finally:
                self._stop.set()  # also where somebody pressed Ctrl-C: what is under way is finished, no more
            for other in others:
                other.result()

    def _work_alone(self, names: Sequence[str]) -> None:
        with ExitStack() as stack:
            links = {name: stack.enter_context(closing(link_for(name, self._tools))) for name in names}
            try:
                for link in links.values():
                    link.open()
            except UnreachableError:  # the server allows no more connections: the others do the work
                return
            self.work(links)

    def work(self, links: Mapping[str, SmtpLink]) -> None:
        """Take packages and hand them over."""
        while not self._stop.is_set() and (taken := self._ahead.next()) is not None:
            package, messages = taken
            try:
                state = self._send(package, messages, links)
            except UnreachableError as error:
                with self._lock:
                    self._interrupted = self._interrupted or error
                self._stop.set()
                return
            except BaseException:
                self._stop.set()
                raise
            with self._lock:
                self._states[state] += 1
                self._told(package, state)

    def _send(
        self, package: PackageRecord, messages: Future[tuple[Waiting, ...]], links: Mapping[str, SmtpLink]
    ) -> State:
        tools, run = self._tools, self._run
        try:
            waiting = messages.result()
            filed, state = file_all(run, package, tools)
            state = state or package.state
            for one in waiting if filed else ():
                self._paces[one.message.server].wait()
                state = self._deliver(package, one, links[one.message.server]) or state
        except SealError as error:
            tools.ledger.deliveries.hold(run.id, package.id, str(error))
            return State.HELD
        return state

    def _deliver(self, package: PackageRecord, one: Waiting, link: SmtpLink) -> State | None:
        """Hand one message over to one address; None when it was no longer to be sent."""
        ledger = self._tools.ledger.deliveries
        reply = link.offer(one.message.sender, one.address, one.data, lambda: ledger.hand_over(one.delivery))
        if reply is None:
            return None
        outcome = OUTCOMES[reply.verdict]
        only = one.address if len(list(package.deliveries())) == 1 and not package.filings else None
        return ledger.answered(self._run.id, package.id, one.delivery, outcome, reply.code, reply.text, only)


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
