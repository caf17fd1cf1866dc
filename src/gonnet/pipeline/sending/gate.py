"""The gate: the one place that all that leaves passes right before each attempt, and where its intent is written.

Packages, trials, second copies and summaries pass it alike, also when they are tried again. What the workspace does not
allow is asked here and nowhere else; what is asked before a send begins only tells the same earlier.
"""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum

from gonnet.errors import RunError, typed
from gonnet.jobs.targets import TargetKind
from gonnet.jobs.workspace import Limits
from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord
from gonnet.ledger.hand_overs import Allowance, AllowanceUsedError
from gonnet.ledger.past import TakenElsewhere
from gonnet.ledger.states import Purpose
from gonnet.pipeline.sending.approving import Lacking, Needed
from gonnet.pipeline.sending.pacing import Pace, Paces
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address

_SHOWN = 3


class Scope(Enum):
    """What a refusal is about."""

    HAND_OVER = "this hand-over"
    PACKAGE = "the package, which is held"
    SEND = "the whole send, which ends"


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why something does not leave."""

    scope: Scope
    reason: str


@dataclass(frozen=True, slots=True)
class Leaving:
    """What stands at the gate.

    Attributes:
        part: The hand-over.
        package: The package that it is of; none for a summary.
        by: The mail server by which a summary leaves; a message of a package knows its own.
    """

    part: HandOverRecord
    package: PackageRecord | None
    by: str = ""

    @property
    def message(self) -> MessageRecord | None:
        """The message of the package that it is."""
        messages = self.package.messages if self.package is not None else ()
        return next((one for one in messages if one.message_id == self.part.message_id), None)


class Coming:
    """All that is to stand at the gate, counted.

    Args:
        by_address: Whether messages are counted for each address too.

    Attributes:
        first: The first of it; None where nothing is to leave.
        messages: How many messages.
        to: Address, without regard to case → how many of them.
    """

    def __init__(self, *, by_address: bool) -> None:
        self._by_address = by_address
        self.first: Leaving | None = None
        self.messages = 0
        self.to: Counter[str] = Counter()

    def see(self, leaving: Leaving) -> None:
        """One more."""
        self.first = self.first or leaving
        target = leaving.part.target
        if target.kind is TargetKind.ADDRESS:
            self.messages += 1
            if self._by_address:
                self.to[target.name.casefold()] += 1


Rule = Callable[["Gate", Leaving], Refusal | None]


class Gate:
    """The gate of one send.

    Args:
        run: The run; None for what belongs to none.
        tools: The tools.
        taken: What left in other runs of the same cycle; nothing where it may leave again.
        paces: Mail server → its pace.
    """

    def __init__(
        self,
        run: RunRecord | None,
        tools: Tools,
        taken: TakenElsewhere | None = None,
        paces: Mapping[str, Paces] | None = None,
    ) -> None:
        self.run, self.tools, self.taken = run, tools, taken or TakenElsewhere()
        self.run_id = run.id if run is not None else None
        self._paces = paces or {}
        self._needed: Needed | None = None
        limits = tools.workspace.file.limits
        self.allowance = Allowance(of_run=limits.messages, of_day=limits.per_day, to_address=limits.per_address)

    def asks(self, leaving: Leaving, server: str = "", lane: Pace | None = None) -> Refusal | None:
        """Wait until it may leave at this pace; why it may not, or None. It is asked before every attempt.

        Args:
            leaving: What is to leave.
            server: The mail server by which it does; empty where it goes elsewhere.
            lane: The pace of the connection.
        """
        if server in self._paces and lane is not None:
            self._paces[server].wait(leaving.part.target.name, lane)
        return next((found for rule in _RULES if (found := rule(self, leaving)) is not None), None)

    def begins(self, leaving: Leaving) -> bool:
        """Write the intent, the last thing before it leaves; False when it is no longer to leave.

        Raises:
            AllowanceUsedError: it would be one message too many.
        """
        part, package = leaving.part, leaving.package
        day = self.today().isoformat()
        number = package.id if package is not None else None
        return self.tools.ledger.hand_overs.begin(self.run_id, number, part, day, self.allowance)

    def lacking(self) -> Lacking | None:
        """Which approval the run lacks; None where it lacks none."""
        if self.run is None:
            return None
        if self._needed is None:
            self._needed = Needed(self.run, self.tools)
        return self._needed.lacking()

    def today(self) -> dt.date:
        """The date by which a day's messages are counted: the workspace's."""
        return self.tools.today()

    def coming(self) -> Coming:
        """To be shown all that is to stand here, before any of it does."""
        return Coming(by_address=self.allowance.to_address is not None)

    def require_open(self, coming: Coming) -> None:
        """Tell before anything leaves what would stop a send half-way.

        Raises:
            RunError: it is a quiet hour, or there would be more messages than may leave.
        """
        if coming.first is None:
            return
        if (found := _hours(self, coming.first)) is not None:
            raise RunError(found.reason, fix="Send it later")
        if (found := _approved(self, coming.first)) is not None:
            raise RunError(found.reason, fix=f"They say `{typed('approve', self.run_id)}`")
        self._require_numbers(coming.messages, coming.to)

    def _require_numbers(self, count: int, to: Counter[str]) -> None:
        ledger, day, limits = self.tools.ledger.hand_overs, self.today().isoformat(), self.allowance
        number = self.run_id
        numbers: tuple[tuple[int | None, Callable[[], int], str], ...] = (
            (limits.of_run, lambda: ledger.left_of(number) if number is not None else 0, "for a run"),
            (limits.of_day, lambda: ledger.left_on(day), "a day"),
        )
        for most, left, per in numbers:
            if most is not None and count and count + (before := left()) > most:
                more = f" and {before:,} left already" if before else ""
                what = f"{count:,} messages would leave{more}; gonnet.yaml allows {most:,} {per}"
                raise RunError(what, where="limits", fix="Send some with --only, or raise the limit")
        for address, number in to.most_common():
            before = ledger.left_on(day, (address,))
            if limits.to_address is not None and number + before > limits.to_address:
                more = f" and {before:,} left today" if before else ""
                what = (
                    f"{number:,} messages would go to {address}{more}; gonnet.yaml allows {limits.to_address:,} a day"
                )
                raise RunError(what, where="limits", fix="Bundle them, or raise `limits: {per_address: …}`")


def _stopped(gate: Gate, _leaving: Leaving) -> Refusal | None:
    return Refusal(Scope.SEND, "stopped by hand") if gate.tools.stop.asked else None


def _domain(gate: Gate, leaving: Leaving) -> Refusal | None:
    if leaving.part.target.kind is not TargetKind.ADDRESS:
        return None
    found = strangers([leaving.part.target.name], gate.tools.workspace.file.limits)
    return Refusal(Scope.PACKAGE, not_allowed(found)) if found else None


def _protected(gate: Gate, leaving: Leaving) -> Refusal | None:
    why = _unprotected(leaving, gate.tools)
    return Refusal(Scope.PACKAGE, why) if why is not None else None


def _unprotected(leaving: Leaving, tools: Tools) -> str | None:
    if leaving.part.target.kind is not TargetKind.ADDRESS:
        return None
    message = leaving.message
    server = message.server if message is not None else leaving.by
    return tools.protection.refusal(server, leaving.part.target.name, leaving.package, message, tools.store.get)


def unprotected(package: PackageRecord, parts: Iterable[HandOverRecord], tools: Tools) -> str | None:
    """Why the gate will hold a package, of which a message cannot be signed or encrypted as it must; or None."""
    found = (_unprotected(Leaving(part, package), tools) for part in parts)
    return next((why for why in found if why is not None), None)


def _hours(gate: Gate, _leaving: Leaving) -> Refusal | None:
    quiet = gate.tools.workspace.file.limits.quiet
    if quiet is None:  # asked before every attempt: the time is looked at only where it matters
        return None
    now = gate.tools.clock().astimezone(gate.tools.workspace.zone).time()
    if not is_within(now, quiet):
        return None
    begin, end = quiet
    return Refusal(
        Scope.SEND, f"it is {now:%H:%M}, and gonnet.yaml lets nothing leave from {begin:%H:%M} to {end:%H:%M}"
    )


def _once(gate: Gate, leaving: Leaving) -> Refusal | None:
    part, package = leaving.part, leaving.package
    purposes = {part.purpose, gate.run.purpose if gate.run is not None else None}
    if package is None or purposes != {Purpose.REGULAR}:
        return None
    run = gate.taken.of(package, part)
    return Refusal(Scope.HAND_OVER, f"sent in run {run}") if run is not None else None


def _rehearsed(gate: Gate, leaving: Leaving) -> Refusal | None:
    rehearsal = gate.run is not None and gate.run.purpose is Purpose.TRIAL
    sent = leaving.part.purpose in (Purpose.REGULAR, Purpose.EXTRA)
    return Refusal(Scope.SEND, f"run {gate.run_id} is a rehearsal") if rehearsal and sent else None


def _approved(gate: Gate, leaving: Leaving) -> Refusal | None:
    if leaving.part.purpose not in (Purpose.REGULAR, Purpose.EXTRA) or (lacking := gate.lacking()) is None:
        return None
    return Refusal(Scope.SEND, f"run {gate.run_id} must not leave yet: {lacking}")


_RULES: tuple[Rule, ...] = (_stopped, _rehearsed, _approved, _domain, _protected, _hours, _once)
"""What is asked before the intent; how many may leave is asked with it, so that two sends cannot both be the last."""


def quiet_until(tools: Tools) -> dt.datetime | None:
    """When the quiet hours that it is in are over; None where nothing is quiet now."""
    quiet = tools.workspace.file.limits.quiet
    now = tools.clock().astimezone(tools.workspace.zone)
    if quiet is None or not is_within(now.time(), quiet):
        return None
    end = dt.datetime.combine(now.date(), quiet[1], now.tzinfo)
    return end if end > now else end + dt.timedelta(days=1)


def strangers(addresses: Sequence[str], limits: Limits) -> list[str]:
    """The addresses whose domain is not allowed; a domain allows those below it too."""
    if not limits.domains:
        return []
    allowed = [domain.casefold().lstrip("@.") for domain in limits.domains]
    found = []
    for address in dict.fromkeys(addresses):
        domain = Address(mailbox=address).domain
        if not any(domain == name or domain.endswith(f".{name}") for name in allowed):
            found.append(address)
    return found


def not_allowed(addresses: Sequence[str]) -> str:
    """Why a package with such addresses is held."""
    return f"gonnet.yaml does not allow mail to {', '.join(addresses)}"


def is_within(now: dt.time, span: tuple[dt.time, dt.time]) -> bool:
    """Whether a time of the day lies in a span that may go over midnight; its end does not belong to it."""
    begin, end = span
    return begin <= now < end if begin <= end else now >= begin or now < end


def earlier_in_words(found: Mapping[str, int]) -> Iterator[str]:
    """Run by run, the packages that were sent already; `found` has key → run."""
    for number in sorted(set(found.values())):
        keys = [key for key, at in found.items() if at == number]
        shown = ", ".join(keys[:_SHOWN]) + (" …" if len(keys) > _SHOWN else "")
        many = f"{len(keys):,} package{'s were' if len(keys) > 1 else ' was'}"
        yield f"{many} already sent in run {number} for the same period ({shown})"


def leaving_of(packages: Iterable[PackageRecord]) -> Iterator[Leaving]:
    """What the next send tries of some packages."""
    for package in packages:
        for part in package.waiting:
            yield Leaving(part, package)


__all__ = [
    "AllowanceUsedError",
    "Gate",
    "Leaving",
    "Refusal",
    "Scope",
    "earlier_in_words",
    "is_within",
    "leaving_of",
    "not_allowed",
    "quiet_until",
    "strangers",
    "unprotected",
]
