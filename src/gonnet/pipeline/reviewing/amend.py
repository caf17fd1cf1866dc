"""Putting a package right by hand before it leaves: its addresses, the text of its message, one more file.

What is put in by hand is searched like what is made: for keys, names and addresses of the run's other packages.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from gonnet import checks, delivery
from gonnet.checks import Identity, Watch
from gonnet.delivery import Body
from gonnet.errors import DataError, RunError, typed
from gonnet.jobs.braces import has_field
from gonnet.ledger import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.states import TAKEN, HandOverKind, HandOverState
from gonnet.pipeline.reviewing.by_hand import chosen, new_message_id
from gonnet.pipeline.sending import gate
from gonnet.pipeline.surveying.enclosures import enclosed
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from gonnet.recipients.addresses import NotAnAddressError, parse
from gonnet.recipients.corrections import Correction, keep
from gonnet.recipients.roll import NO_ADDRESS


@dataclass(frozen=True, slots=True, kw_only=True)
class Amendment:
    """What is to be otherwise; None leaves it as it is.

    Attributes:
        to: Addresses.
        cc: Addresses in copy.
        bcc: Addresses in blind copy.
        text: The body, in CommonMark; nothing is merged into it.
        enclose: Files that go with it too.
        keep: Whether later runs of the job write to `to` as well, until the list has another address.
    """

    to: str | None = None
    cc: str | None = None
    bcc: str | None = None
    text: str | None = None
    enclose: tuple[Path, ...] = ()
    keep: bool = False


def amend(run: RunRecord, tools: Tools, key: str, wanted: Amendment, why: str, who: str) -> PackageRecord:
    """Put a package right and seal it anew.

    One of which nothing was tried stays in its state. Of one of which something was refused, new messages take the
    place of what did not leave; what was taken is not sent again.

    Raises:
        RunError: it was sent, has no message, what is put in names somebody else, or the run is being sent.
        DataError: an address is none.
        JobError: a file to be enclosed cannot be read, or is not what its name says.
    """
    with tools.ledger.alone(run):
        packages = tools.ledger.packages(run.id)
        (package,) = chosen(run, tools, [key])
        _require_amendable(run, package, wanted)
        watch = _watch(packages)
        documents = (*package.documents, *_enclosed(wanted.enclose, package, watch, tools))
        more = tuple(document.name for document in documents[len(package.documents) :])
        what = f"{', '.join(_words(wanted))} by {who}" + (f": {why}" if why else "")
        if any(part.state is not HandOverState.WAITING for part in package.mailed):
            _replace(run, package, wanted, documents, more, watch, what, tools)
        else:
            _rewrite(run, package, wanted, documents, more, watch, what, tools)
        if wanted.keep and wanted.to is not None:
            _keep(run, package, wanted.to, why, who, tools)
        tools.log.say("amended", run=run.id, package=package.id)
        return tools.ledger.packages(run.id, [key])[0]


def _rewrite(
    run: RunRecord,
    package: PackageRecord,
    wanted: Amendment,
    documents: tuple[DocumentRecord, ...],
    more: tuple[str, ...],
    watch: Watch,
    what: str,
    tools: Tools,
) -> None:
    """Other messages in the place of those of which nothing was tried."""
    messages = tuple(_amended(message, wanted, more, package, watch, tools) for message in package.messages)
    mailed = tuple(_parts(messages))
    _require_allowed(mailed, tools)
    others = tuple(part for part in package.hand_overs if part not in package.mailed)
    leaving = (*others, *mailed)
    state, reason = package.state, package.reason
    if strange := _of_somebody_else(package, wanted, tools.ledger.packages(run.id)):
        state, reason = State.HELD, f"it is written to {strange}, as you said"
    seal = tools.seals.of(package, state, documents, messages, leaving)
    if wanted.to is not None and reason == NO_ADDRESS:  # held for nothing else
        reason = "the list has no address; you gave it one, so it can be released"
    tools.ledger.changes.rewrite(run.id, package, what, messages, mailed, documents, seal, state, reason)


def _replace(
    run: RunRecord,
    package: PackageRecord,
    wanted: Amendment,
    documents: tuple[DocumentRecord, ...],
    more: tuple[str, ...],
    watch: Watch,
    what: str,
    tools: Tools,
) -> None:
    """New messages for what did not leave, under new Message-IDs."""
    if strange := _of_somebody_else(package, wanted, tools.ledger.packages(run.id)):
        raise RunError(f"it would be written to {strange}", fix="Nothing was changed; the list can say so")
    closed = [part for part in package.mailed if part.is_open or part.state is HandOverState.REFUSED]
    taken = {part.target.name.casefold() for part in package.mailed if part.state in TAKEN}
    messages = []
    for message in package.messages:
        if any(part.message_id == message.message_id for part in closed):
            new = _amended(message, wanted, more, package, watch, tools)
            number = new_message_id(message)
            data = delivery.with_message_id(tools.store.get(new.sha256), number)
            messages.append(replace(new, message_id=number, sha256=tools.store.put(data)))
    mailed = [part for part in _parts(messages) if part.target.name.casefold() not in taken]
    if not mailed:
        raise RunError(f"everybody of these addresses has package {package.key} already", fix="Give another address")
    _require_allowed(mailed, tools)
    every = (*package.messages, *messages)
    seal = tools.seals.of(package, State.READY, documents, every, (*package.hand_overs, *mailed))
    tools.ledger.changes.replace(run.id, package, what, closed, messages, mailed, documents, seal)


def _of_somebody_else(package: PackageRecord, wanted: Amendment, packages: Sequence[PackageRecord]) -> str:
    """The address among new ones that is another recipient's own, with whose it is; empty where there is none."""
    mine = {address.casefold() for message in package.messages for address in message.everybody}
    owners = {address.casefold(): other.key for other in packages if other.key != package.key for address in other.to}
    for part in ("to", "cc", "bcc"):
        for address in _addresses(getattr(wanted, part) or "", (), part) if getattr(wanted, part) else ():
            name = address.mailbox.casefold()
            if name in owners and name not in mine:
                return f"{address.mailbox}, the address of {owners[name]}"
    return ""


def _parts(messages: Iterable[MessageRecord]) -> Iterator[HandOverRecord]:
    for message in messages:
        for address in message.everybody if message.server else ():
            yield HandOverRecord.of_message(message.message_id, address)


def _require_allowed(mailed: Sequence[HandOverRecord], tools: Tools) -> None:
    """Tell at once of an address that the gate would refuse.

    Raises:
        RunError: there is one.
    """
    strangers = gate.strangers([part.target.name for part in mailed], tools.workspace.file.limits)
    if strangers:
        raise RunError(gate.not_allowed(strangers), fix="Give another address")


def _require_amendable(run: RunRecord, package: PackageRecord, wanted: Amendment) -> None:
    key = package.key
    if package.state not in (State.READY, State.HELD, State.FAILED) or not package.messages:
        is_so = package.state in (State.READY, State.HELD, State.FAILED)
        what = "has no message" if is_so else f"is {package.state}"
        raise RunError(f"package {key} {what}, so nothing of it can be changed", fix="Prepare it again with --only")
    was_tried = any(part.state is not HandOverState.WAITING for part in package.mailed)
    if was_tried and not any(part.is_open or part.state is HandOverState.REFUSED for part in package.mailed):
        raise RunError(
            f"everything of package {key} was handed over already", fix=f"`{typed('show', run.id, key)}` tells what"
        )
    if package.of_kind(HandOverKind.DRAFT):
        raise RunError(f"the messages of package {key} are drafts", fix="Change the draft before you send it")
    if wanted.text is not None and has_field(wanted.text):
        raise RunError("merge fields are not filled in what you add", fix="Write the words without {{ }}")
    if wanted.keep and package.keys:
        what = f"package {key} is a bundle, which is found by its address"
        raise RunError(what, fix="Correct its list, or leave out --keep")
    if wanted.to is not None and len({message.to for message in package.messages}) > 1:
        raise RunError(
            f"package {key} has messages to several people, and --to would send them all to one address",
            fix="Correct the list of recipients, and prepare it again with --only",
        )


def _keep(run: RunRecord, package: PackageRecord, to: str, why: str, who: str, tools: Tools) -> None:
    """Keep the address for later runs.

    Raises:
        StorageError: it cannot be kept.
    """
    was = "; ".join(package.messages[0].to)
    at = tools.clock().isoformat(timespec="seconds")
    one = Correction(job=run.job, key=package.key, was=was, now=to.strip(), by=who, on=at, why=why)
    keep(tools.workspace.folder, one)


def _words(wanted: Amendment) -> Iterator[str]:
    for name in ("to", "cc", "bcc"):
        if (text := getattr(wanted, name)) is not None:
            kept = ", for later runs too" if name == "to" and wanted.keep else ""
            yield f"{name} changed to {text or 'nobody'}{kept}"
    if wanted.text is not None:
        yield "message changed"
    if wanted.enclose:
        yield f"enclosed {', '.join(path.name for path in wanted.enclose)}"


def _addresses(text: str | None, old: Sequence[str], part: str) -> tuple[Address, ...]:
    if text is None:
        return tuple(Address(mailbox=mailbox) for mailbox in old)
    if not text.strip() and part != "to":
        return ()
    try:
        return parse(text)
    except NotAnAddressError as error:
        raise DataError(f"'{text}' is not an address: {error}", where=f"--{part}", fix="Write name@domain") from error


def _amended(
    message: MessageRecord, wanted: Amendment, more: Sequence[str], package: PackageRecord, watch: Watch, tools: Tools
) -> MessageRecord:
    to, cc, bcc = (_addresses(getattr(wanted, part), getattr(message, part), part) for part in ("to", "cc", "bcc"))
    data = tools.store.get(message.sha256)
    if wanted.to is not None or wanted.cc is not None:
        shown_to, shown_cc = (None if wanted.to is None else to), (None if wanted.cc is None else cc)
        data = delivery.readdressed(data, shown_to, shown_cc)
    if wanted.text is not None:
        body = Body.of(wanted.text)
        found = checks.read_back(body.text.encode(), "text")
        _require_own(watch.search(_owners(package), "the message", found))
        data = delivery.with_body(data, body)
    return replace(
        message,
        to=tuple(address.mailbox for address in to),
        cc=tuple(address.mailbox for address in cc),
        bcc=tuple(address.mailbox for address in bcc),
        files=(*message.files, *more),
        sha256=tools.store.put(data),
        id=0,
    )


def _enclosed(paths: Sequence[Path], package: PackageRecord, watch: Watch, tools: Tools) -> Iterator[DocumentRecord]:
    names = [document.name for document in package.documents]
    for path in paths:
        part = enclosed(None, str(path), "--enclose")
        _require_own(watch.search(_owners(package), part.name, part.found, is_fixed=True))
        tools.store.put(part.data)
        record = part.record(names)
        names.append(record.name)
        yield record


def _watch(packages: Sequence[PackageRecord]) -> Watch:
    """What names the recipients of a run: their keys, names and addresses."""
    return Watch(
        Identity(
            key=package.key,
            values=(("key", package.key), ("name", package.name), *(("address", to) for to in package.to)),
            has_rows=not package.keys,
        )
        for package in packages
    )


def _owners(package: PackageRecord) -> tuple[str, ...]:
    return (package.key, *package.keys)


def _require_own(hits: Sequence[checks.Hit]) -> None:
    if hits:
        raise RunError(f"this names somebody else: {checks.described(hits)}", fix="Nothing was changed; take it out")
