"""What a person decides about packages of a prepared run: hold, release, skip, settle, send again. Contacts nobody.

Nothing is changed while a run is being sent: what a send has read is what leaves.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from enum import Enum

from gonnet import delivery
from gonnet.errors import RunError, typed
from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.states import BY_HAND, DONE, HandOverState, Purpose
from gonnet.pipeline.sending.choosing import require_prepared
from gonnet.pipeline.tools import Tools

_VERBS = {State.HELD: "held", State.READY: "released", State.SKIPPED: "skipped"}


class Verdict(Enum):
    """What a person says of a hand-over that is in doubt, was refused, or is a draft."""

    SENT = "sent"
    NOT_SENT = "not sent"
    CLOSED = "closed"


def move(run: RunRecord, tools: Tools, keys: Sequence[str], to: State, why: str, who: str) -> list[PackageRecord]:
    """Hold, release or skip packages; all of them, or none where one cannot be.

    Args:
        run: The run.
        tools: The tools.
        keys: Whose packages.
        to: `HELD`, `READY` or `SKIPPED`.
        why: The reason, which is recorded.
        who: Who says so.

    Raises:
        RunError: one of them is sent already, or lacks what it needs to be sent, or the run is being sent.
    """
    with tools.ledger.alone(run):
        packages = chosen(run, tools, keys)
        for package in packages:
            if package.state not in BY_HAND[to]:
                raise RunError(
                    f"package {package.key} is {package.state}, so it cannot be {_VERBS[to]}", fix=_way_on(run, package)
                )
            if to is State.READY:
                _require_complete(run, package)
            elif package.states - {HandOverState.WAITING}:
                raise RunError(
                    f"something of package {package.key} was handed over already",
                    fix=f"`{typed('show', run.id, package.key)}` tells what",
                )
        for package in packages:
            reason = "" if to is State.READY else why
            found = described(package) if to is State.READY else ""
            in_spite = f" in spite of what the leak check found ({found})" if found else ""
            what = f"{_VERBS[to]} by {who}{in_spite}: {why}"
            seal = tools.seals.of(package, to) if package.seal else ""
            tools.ledger.changes.move(run.id, package, to, reason, what, seal)
            tools.log.say("changed by hand", run=run.id, package=package.id, to=str(to))
        return packages


def release(
    run: RunRecord,
    tools: Tools,
    keys: Sequence[str],
    value: str,
    why: str,
    who: str,
    ask: Callable[[Sequence[PackageRecord]], bool],
) -> list[PackageRecord]:
    """Release packages that are held; what the leak check found in them is shown first.

    Args:
        run: The run.
        tools: The tools.
        keys: Whose packages; with `value` none are needed.
        value: All packages that are held because the leak check found this value in them and no other.
        why: The reason, which is recorded.
        who: Who says so.
        ask: Shown the packages in which something was found; whether they may leave all the same.

    Returns:
        What was released; nothing where the answer was no.

    Raises:
        RunError: as for `move`; or nothing is held for the value.
    """
    packages = chosen(run, tools, keys) if keys or not value else []
    if value:
        packages += [package for package in chosen(run, tools, ()) if _is_held_for(package, value)]
        if not packages:
            fix = f"`{typed('review', run.id)}` says what is held, and why"
            raise RunError(f"nothing is held for '{value}' alone", fix=fix)
    found = [package for package in packages if package.hits]
    if found and not ask(found):
        return []
    return move(run, tools, [package.key for package in packages], State.READY, why, who)


def _is_held_for(package: PackageRecord, value: str) -> bool:
    return package.state is State.HELD and {hit.value for hit in package.hits} == {value}


def described(package: PackageRecord) -> str:
    """What the leak check found in a package, each value once."""
    return ", ".join(dict.fromkeys(f"'{hit.value}' of {hit.owner}" for hit in package.hits))


def chosen(run: RunRecord, tools: Tools, keys: Sequence[str]) -> list[PackageRecord]:
    """The packages of these keys, each once.

    Raises:
        RunError: the run was not prepared to its end, or has no such package.
    """
    require_prepared(run)
    return list(tools.ledger.packages(run.id, tuple(dict.fromkeys(keys))))


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
    if any(not message.to for message in package.messages):
        fix = f"Give it one: `{typed('amend', run.id, package.key, '--to', 'ADDRESS')}`"
        raise RunError(f"package {package.key} has no address", fix=fix)


def settle(
    run: RunRecord, tools: Tools, keys: Sequence[str], verdict: Verdict, why: str, who: str
) -> list[tuple[PackageRecord, State]]:
    """Say what became of hand-overs that are in doubt, were refused for good, or are drafts.

    They arrived; or they did not, and the next send tries them as they were reviewed; or they are closed, and nothing
    more is tried.

    Returns:
        Each package with the state that it has now.

    Raises:
        RunError: there is nothing of the kind in one of the packages, or the run is being sent.
    """
    with tools.ledger.alone(run):
        packages = chosen(run, tools, keys)
        decided = [list(_decided(package, verdict, why)) for package in packages]
        for package, parts in zip(packages, decided, strict=True):
            if not parts:
                raise RunError(
                    _nothing_to_settle(package, verdict),
                    fix=f"`{typed('show', run.id, package.key)}` tells what became of it",
                )
        what = f"settled as {verdict.value} by {who}" + (f": {why}" if why else "")
        settled = []
        for package, parts in zip(packages, decided, strict=True):
            settled.append((package, tools.ledger.changes.enter_verdict(run.id, package, parts, what)))
            tools.log.say("settled by hand", run=run.id, package=package.id, to=verdict.value)
        return settled


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


def again(run: RunRecord, tools: Tools, keys: Sequence[str], why: str, who: str) -> list[PackageRecord]:
    """Make packages that were sent ready to be sent again: the same bytes, under new Message-IDs.

    Programs and servers drop a message with a Message-ID that they have; this one is meant to arrive. A package that
    has no message is filed, drafted or printed again.

    Raises:
        RunError: one of them was not sent, or the run is being sent.
    """
    with tools.ledger.alone(run):
        packages = chosen(run, tools, keys)
        for package in packages:
            if package.state is not State.SENT:
                raise RunError(f"package {package.key} is {package.state}: only what was sent can be sent again")
        for package in packages:
            copies, parts = _copies(package, tools) if package.mailed else ((), tuple(_once_more(package.placed)))
            messages, hand_overs = (*package.messages, *copies), (*package.hand_overs, *parts)
            seal = tools.seals.of(package, State.READY, messages=messages, hand_overs=hand_overs)
            what = f"to be sent again, by {who}" + (f": {why}" if why else "")
            tools.ledger.changes.add(run.id, package, what, copies, parts, seal)
            tools.log.say("to be sent again", run=run.id, package=package.id)
        return packages


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
