"""What a person decides about packages of a prepared run: hold, release, skip, settle, send again. Contacts nobody.

Nothing is changed while a run is being sent: what a send has read is what leaves.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import replace

from gonnet import delivery
from gonnet.errors import RunError
from gonnet.ledger import DeliveryRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.records import FilingRecord, HandOver, RunState
from gonnet.pipeline.making.sealing import seal_of_records
from gonnet.pipeline.tools import Tools

_VERBS = {State.HELD: "held", State.READY: "released", State.SKIPPED: "skipped"}
_FROM = {
    State.HELD: (State.READY,),
    State.READY: (State.HELD, State.SKIPPED),
    State.SKIPPED: (State.READY, State.HELD),
}


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
    with tools.ledger.alone(run.id):
        packages = chosen(run, tools, keys)
        for package in packages:
            if package.state not in _FROM[to]:
                raise RunError(
                    f"package {package.key} is {package.state}, so it cannot be {_VERBS[to]}", fix=_way_on(package)
                )
            if to is State.READY:
                _require_complete(package)
            elif package.hand_overs() - {HandOver.WAITING}:
                raise RunError(
                    f"something of package {package.key} was handed over already", fix="`gonnet show` tells what"
                )
        for package in packages:
            reason = "" if to is State.READY else why
            what = f"{_VERBS[to]} by {who}: {why}"
            tools.ledger.changes.move(run.id, package, _FROM[to], to, reason, what)
            tools.log.say("changed by hand", run=run.id, package=package.id, to=str(to))
        return packages


def chosen(run: RunRecord, tools: Tools, keys: Sequence[str]) -> list[PackageRecord]:
    """The packages of these keys, each once.

    Raises:
        RunError: the run was not prepared to its end, or has no such package.
    """
    if run.state is not RunState.PREPARED:
        raise RunError(f"run {run.id} was not prepared to its end", fix=f"Run `gonnet prepare {run.job}` again")
    return list(tools.ledger.packages(run.id, tuple(dict.fromkeys(keys))))


def _way_on(package: PackageRecord) -> str:
    match package.state:
        case State.SENT:
            return "It has left; `gonnet resend` sends it again"
        case State.UNSURE | State.FAILED:
            return "`gonnet settle` says what became of it"
        case _:
            return "It is so already" if package.state in (State.READY, State.HELD) else "`gonnet show` tells more"


def _require_complete(package: PackageRecord) -> None:
    """A package that is released must have everything that it is to be sent with."""
    if not package.documents:
        fix = "Put right what its reason says, and prepare it again with --only"
        raise RunError(f"package {package.key} was not made ({package.reason})", fix=fix)
    if not package.messages and not package.filings:
        fix = "Put right what its reason says, and prepare it again with --only"
        raise RunError(f"package {package.key} has no message ({package.reason})", fix=fix)
    if any(not message.to for message in package.messages):
        fix = f"Give it one: `gonnet amend RUN {package.key} --to ADDRESS`"
        raise RunError(f"package {package.key} has no address", fix=fix)


def settle(
    run: RunRecord, tools: Tools, keys: Sequence[str], *, was_sent: bool, why: str, who: str
) -> list[tuple[PackageRecord, State]]:
    """Say what became of deliveries that are in doubt: they arrived, or they did not and wait to be sent.

    Returns:
        Each package with the state that it has now.

    Raises:
        RunError: nothing of one of the packages is in doubt, or the run is being sent.
    """
    with tools.ledger.alone(run.id):
        packages = chosen(run, tools, keys)
        for package in packages:
            if HandOver.UNSURE not in package.hand_overs():
                raise RunError(f"nothing of package {package.key} is in doubt: it is {package.state}")
        said = "sent" if was_sent else "not sent"
        state = HandOver.SENT if was_sent else HandOver.WAITING
        what = f"settled as {said} by {who}" + (f": {why}" if why else "")
        settled = []
        for package in packages:
            settled.append((package, tools.ledger.changes.settle(run.id, package, state, what)))
            tools.log.say("settled by hand", run=run.id, package=package.id, to=str(state))
        return settled


def again(run: RunRecord, tools: Tools, keys: Sequence[str], why: str, who: str) -> list[PackageRecord]:
    """Make packages that were sent ready to be sent again: the same bytes, under new Message-IDs.

    Programs and servers drop a message with a Message-ID that they have; this one is meant to arrive. A package that
    has no message and was printed is printed again.

    Raises:
        RunError: one of them was not sent, or was only put into folders, or the run is being sent.
    """
    with tools.ledger.alone(run.id):
        packages = chosen(run, tools, keys)
        for package in packages:
            if package.state is not State.SENT or not (package.messages or _printed(package)):
                raise RunError(f"package {package.key} is {package.state}: only what was sent can be sent again")
        for package in packages:
            first = len(package.messages) // max(1, sum(_is_first(package, message) for message in package.messages))
            copies = [_copy(message, tools) for message in package.messages[:first] or package.messages]
            messages = (*package.messages, *copies)
            pages = [] if package.messages else _printed(package)
            tools.ledger.changes.add(
                run.id,
                package,
                f"to be sent again, by {who}" + (f": {why}" if why else ""),
                copies,
                pages,
                seal_of_records(package.key, package.documents, messages, (*package.filings, *pages)),
            )
            tools.log.say("to be sent again", run=run.id, package=package.id)
        return packages


def _printed(package: PackageRecord) -> list[FilingRecord]:
    """What was printed of a package, once, to be printed anew."""
    found = {part.place: part for part in package.filings if part.is_printed}
    return [replace(part, id=0, state=HandOver.WAITING, put_at="", reply="", at=None) for part in found.values()]


def _is_first(package: PackageRecord, message: MessageRecord) -> bool:
    """Whether a message says and carries what the first does, to the same people."""
    one = package.messages[0]
    return (message.to, message.files, message.subject) == (one.to, one.files, one.subject)


def _copy(message: MessageRecord, tools: Tools) -> MessageRecord:
    domain = message.message_id.rpartition("@")[2].rstrip(">")
    new = f"<{secrets.token_hex(16)}@{domain}>"
    data = delivery.with_message_id(tools.store.get(message.sha256), new)
    deliveries = tuple(DeliveryRecord(address=part.address) for part in message.deliveries)
    return replace(message, message_id=new, sha256=tools.store.put(data), deliveries=deliveries, id=0)


def sealed(package: PackageRecord, messages: Sequence[MessageRecord]) -> str:
    """The seal of a package with these messages."""
    return seal_of_records(package.key, package.documents, messages, package.filings)
