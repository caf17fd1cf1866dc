"""What a person decides about packages of a prepared run: hold, release, skip, settle. Contacts nobody."""

from __future__ import annotations

from collections.abc import Iterator
from enum import Enum

from gonnet.errors import RunError, typed
from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord, State
from gonnet.ledger.changes import Change, Move, Settlement
from gonnet.ledger.states import BY_HAND, DONE, HandOverState
from gonnet.pipeline.reviewing.decisions import Ask, Plan, agreed, decide
from gonnet.pipeline.reviewing.selecting import Selection
from gonnet.pipeline.tools import Tools

_VERBS = {State.HELD: "held", State.READY: "released", State.SKIPPED: "skipped"}


class Verdict(Enum):
    """What a person says of a hand-over that is in doubt, was refused, or is a draft."""

    SENT = "sent"
    NOT_SENT = "not sent"
    CLOSED = "closed"


def move(
    run: RunRecord, tools: Tools, which: Selection, to: State, why: str, who: str, ask: Ask = agreed
) -> tuple[PackageRecord, ...]:
    """Hold, release or skip packages.

    Args:
        run: The run.
        tools: The tools.
        which: Which packages.
        to: `HELD`, `READY` or `SKIPPED`.
        why: The reason, which is recorded.
        who: Who says so.
        ask: Asked before anything is changed.

    Returns:
        The packages as they are now; none where the answer was no.

    Raises:
        RunError: one of them is sent already, or lacks what it needs to be sent.
        GonnetError: as for `decide`.
    """
    return decide(run, tools, which, moving(run, tools, to, why, who), ask)


def moving(run: RunRecord, tools: Tools, to: State, why: str, who: str) -> Plan:
    """What becomes of a package that is held, released or skipped."""

    def plan(package: PackageRecord) -> list[Change]:
        _require_movable(run, package, to)
        found = described(package) if to is State.READY else ""
        in_spite = f" in spite of what the leak check found ({found})" if found else ""
        return [
            Move(
                package=package,
                what=f"{_VERBS[to]} by {who}{in_spite}: {why}",
                to=to,
                reason="" if to is State.READY else why,
                seal=tools.seals.of(package, to) if package.seal else "",
            )
        ]

    return plan


def _require_movable(run: RunRecord, package: PackageRecord, to: State) -> None:
    if package.state not in BY_HAND[to]:
        what = f"package {package.key} is {package.state}, so it cannot be {_VERBS[to]}"
        raise RunError(what, fix=_way_on(run, package))
    if to is State.READY:
        _require_complete(run, package)
    elif package.states - {HandOverState.WAITING}:
        fix = f"`{typed('show', run.id, package.key)}` tells what"
        raise RunError(f"something of package {package.key} was handed over already", fix=fix)


def described(package: PackageRecord) -> str:
    """What the leak check found in a package, each value once."""
    return ", ".join(dict.fromkeys(f"'{hit.value}' of {hit.owner}" for hit in package.hits))


def _way_on(run: RunRecord, package: PackageRecord) -> str:
    show = typed("show", run.id, package.key)
    match package.state:
        case State.SENT:
            return f"It has left; `{typed('resend', run.id, package.key)}` sends it again"
        case State.UNSURE:
            return f"`{typed('settle', run.id, package.key, '--sent')}` (or --not-sent) says what became of it"
        case State.FAILED:
            return "; ".join(f"{command}: {purpose}" for command, purpose in ways_on(str(run.id), package))
        case _:
            return "It is so already" if package.state in (State.READY, State.HELD) else f"`{show}` tells more"


def _require_complete(run: RunRecord, package: PackageRecord) -> None:
    """A package that is released must have everything that it is to be sent with."""
    if not package.documents and not package.messages:
        fix = f"`{typed('explain', run.id, package.key)}` says why; correct that, and prepare it again with --only"
        raise RunError(f"package {package.key} has no documents", fix=fix)
    if not package.hand_overs and not package.messages:
        fix = "Correct what its reason says, and prepare it again with --only"
        raise RunError(f"package {package.key} has no message ({package.reason})", fix=fix)
    if any(message.server and not message.to for message in package.messages):
        fix = f"Give it one: `{typed('amend', run.id, package.key, '--to', 'ADDRESS')}`"
        raise RunError(f"package {package.key} has no address", fix=fix)


def settle(
    run: RunRecord, tools: Tools, which: Selection, verdict: Verdict, why: str, who: str, ask: Ask = agreed
) -> tuple[PackageRecord, ...]:
    """Say what became of hand-overs that are in doubt, were refused for good, or are drafts.

    They arrived; or they did not, and the next send tries them as they were reviewed; or they are closed, and nothing
    more is tried.

    Returns:
        The packages as they are now; none where the answer was no.

    Raises:
        RunError: there is nothing of the kind in one of the packages.
        GonnetError: as for `decide`.
    """

    def plan(package: PackageRecord) -> list[Change]:
        parts = list(_decided(package, verdict, why))
        if not parts:
            fix = f"`{typed('show', run.id, package.key)}` tells what became of it"
            raise RunError(_nothing_to_settle(package, verdict), fix=fix)
        what = f"settled as {verdict.value} by {who}" + (f": {why}" if why else "")
        return [Settlement(package=package, what=what, decided=parts)]

    return decide(run, tools, which, plan, ask)


def _decided(package: PackageRecord, verdict: Verdict, why: str) -> Iterator[tuple[HandOverRecord, HandOverState, str]]:
    """Each hand-over that a verdict is about, the state that it has then, and the reason."""
    for part in package.hand_overs:
        is_draft, is_refused = part.state is HandOverState.DRAFTED, part.state is HandOverState.REFUSED
        match verdict:
            case Verdict.SENT if part.is_in_doubt or is_draft:
                yield part, HandOverState.SENT if is_draft else DONE[part.kind], why or "settled by hand"
            case Verdict.NOT_SENT if part.is_in_doubt or is_draft or is_refused:
                yield part, HandOverState.WAITING, why or "to be tried again"
            case Verdict.CLOSED if part.is_in_doubt or part.is_open or is_draft or is_refused:
                yield part, HandOverState.CLOSED, why


def _nothing_to_settle(package: PackageRecord, verdict: Verdict) -> str:
    of = {
        Verdict.SENT: "in doubt, or a draft",
        Verdict.NOT_SENT: "in doubt, refused or a draft",
        Verdict.CLOSED: "waiting, in doubt or refused",
    }[verdict]
    return f"nothing of package {package.key} is {of}: it is {package.state}"


def ways_on(run: str, package: PackageRecord) -> list[tuple[str, str]]:
    """What can be done about a package of which something was refused for good, or is in doubt: command and purpose."""
    key = package.key
    if any(part.is_in_doubt for part in package.hand_overs):
        return [
            (typed("settle", run, key, "--sent"), "unsure: ask whether it arrived; this says that it did"),
            (typed("settle", run, key, "--not-sent"), "it did not arrive: the next send tries it again"),
        ]
    if HandOverState.REFUSED in package.states:
        other = [(typed("amend", run, key, "--to", "ADDRESS"), "send it to another address")] if package.mailed else []
        return [
            (typed("settle", run, key, "--not-sent"), "try it again as it was reviewed"),
            *other,
            (typed("settle", run, key, "--closed", "--why", "TEXT"), "leave it at that"),
        ]
    return []
