"""Putting packages right by hand before they leave: addresses, subject, message, words, one more file.

What is put in by hand is searched like what is made: for keys, names and addresses of the run's other packages.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

from gonnet import checks, delivery
from gonnet.checks import Identity, Watch
from gonnet.delivery import Body
from gonnet.errors import RunError, typed
from gonnet.ledger import ContactRecord, DocumentRecord, HandOverRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.changes import Replacement, Rewriting
from gonnet.ledger.states import TAKEN, HandOverKind, HandOverState
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.reviewing.amending.contacts import addresses_in, contact_of, to_contact
from gonnet.pipeline.reviewing.decisions import Ask, agreed, decide
from gonnet.pipeline.reviewing.selecting import Selection, selected
from gonnet.pipeline.reviewing.sending_again import new_message_id
from gonnet.pipeline.sending import gate
from gonnet.pipeline.surveying.enclosures import enclosed
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from gonnet.recipients.corrections import Correction, keep
from gonnet.recipients.roll import NO_ADDRESS

if TYPE_CHECKING:
    from gonnet.pipeline.reviewing.amending.remaking import Remaker
    from gonnet.pipeline.reviewing.amending.rewording import Rewording

Amended = Rewriting | Replacement


def amend(
    run: RunRecord, tools: Tools, which: Selection, wanted: Amendment, why: str, who: str, ask: Ask = agreed
) -> tuple[PackageRecord, ...]:
    """Put packages right and seal them anew.

    One of which nothing was tried stays in its state. Of one of which something was refused, new messages take the
    place of what did not leave; what was taken is not sent again.

    Returns:
        The packages as they are now; none where the answer was no.

    Raises:
        RunError: one was sent, has no message, or what is put in names somebody else.
        DataError: an address is none, or a merge field cannot be filled.
        JobError: a file to be enclosed cannot be read, or is not what its name says; or there is no such message.
        GonnetError: as for `decide`.
    """
    amender = Amender(run, tools, who, [(package, wanted) for package in selected(run, tools, which)])
    found = decide(run, tools, which, lambda package: [amender.change(package, wanted, why)], ask)
    for package in found:
        amender.keep(package, wanted, why)
    return found


def after(change: Amended) -> PackageRecord:
    """A package as it will be after an amendment, if nothing of it was tried; else as it is."""
    package = change.package
    if isinstance(change, Replacement):
        return package
    others = () if change.is_whole else tuple(part for part in package.hand_overs if part not in package.mailed)
    return replace(
        package,
        state=change.state,
        reason=change.reason,
        seal=change.seal,
        documents=tuple(change.documents),
        messages=tuple(change.messages),
        hand_overs=(*others, *change.leaving),
    )


class Amender:
    """Plans amendments of packages of one run.

    Args:
        run: The run.
        tools: The tools.
        who: Who amends.
        wanted: Every package that is to be amended, with what is wanted of it.
        packages: All packages of the run, where they are known.
    """

    def __init__(
        self,
        run: RunRecord,
        tools: Tools,
        who: str,
        wanted: Sequence[tuple[PackageRecord, Amendment]],
        packages: Sequence[PackageRecord] | None = None,
    ) -> None:
        self._run, self._tools, self._who, self._known = run, tools, who, packages
        self._wanted = wanted

    @cached_property
    def _rewording(self) -> Rewording:
        from gonnet.pipeline.reviewing.amending.rewording import Rewording  # loads all that makes packages

        return Rewording(self._run, self._tools, self._wanted)

    @cached_property
    def _packages(self) -> Sequence[PackageRecord]:
        return self._known if self._known is not None else self._tools.ledger.packages(self._run.id)

    @cached_property
    def _watch(self) -> Watch:
        """What names the recipients of the run: their keys, names and addresses."""
        return Watch(
            Identity(
                key=package.key,
                values=(("key", package.key), ("name", package.name), *(("address", to) for to in package.to)),
                has_rows=not package.keys,
            )
            for package in self._packages
        )

    @cached_property
    def _owners(self) -> dict[str, list[str]]:
        """Address → the keys of those who have it."""
        found: dict[str, list[str]] = {}
        for package in self._packages:
            for address in package.to:
                found.setdefault(address.casefold(), []).append(package.key)
        return found

    def change(self, package: PackageRecord, wanted: Amendment, why: str) -> Amended:
        """What becomes of a package.

        Raises:
            GonnetError: as for `amend`.
        """
        contact = None
        if wanted.contact is not None and not package.messages:
            return self._for_contact(package, wanted, why)
        if wanted.contact is not None:
            contact = contact_of(package, wanted.contact)
            wanted = to_contact(package, wanted, contact)
        _require_amendable(self._run, package, wanted)
        documents = (*package.documents, *self._enclosed(package, wanted))
        what = f"{', '.join(wanted.words())} by {self._who}" + (f": {why}" if why else "")
        if any(part.state is not HandOverState.WAITING for part in package.mailed):
            return self._replaced(package, wanted, documents, what, contact)
        return self._rewritten(package, wanted, documents, what, contact)

    def _for_contact(self, package: PackageRecord, wanted: Amendment, why: str) -> Rewriting:
        """A package that was not made, since nobody was to get it: it is made for a contact of its key.

        Raises:
            GonnetError: as for `amend`.
        """
        if wanted != Amendment(contact=wanted.contact):
            raise RunError(f"package {package.key} is not made yet", fix="Choose its contact first, then the rest")
        contact = contact_of(package, wanted.contact or "")
        what = f"{', '.join(wanted.words())} by {self._who}" + (f": {why}" if why else "")
        return self._remaker.change(package, what, f"{contact.name} was chosen")

    @cached_property
    def _remaker(self) -> Remaker:
        from gonnet.pipeline.reviewing.amending.remaking import Remaker  # loads all that makes packages

        chosen = {
            package.key: contact_of(package, one.contact)
            for package, one in self._wanted
            if one.contact is not None and not package.messages
        }
        people = {key: (contact.source, contact.line) for key, contact in chosen.items()}
        return Remaker(self._run, self._tools, list(people), people=people)

    def keep(self, package: PackageRecord, wanted: Amendment, why: str) -> None:
        """Keep the address of a package for later runs, where that is wanted.

        Raises:
            StorageError: it cannot be kept.
        """
        if not wanted.keep or wanted.to is None:
            return
        was = "; ".join(next(old for old in self._packages if old.key == package.key).messages[0].to)
        at = self._tools.clock().isoformat(timespec="seconds")
        one = Correction(
            job=self._run.job, key=package.key, was=was, now=wanted.to.strip(), by=self._who, on=at, why=why
        )
        keep(self._tools.workspace.folder, one)

    def _rewritten(
        self,
        package: PackageRecord,
        wanted: Amendment,
        documents: tuple[DocumentRecord, ...],
        what: str,
        contact: ContactRecord | None,
    ) -> Rewriting:
        """Other messages in the place of those of which nothing was tried."""
        messages = self._amended(package, package.messages, wanted, documents, contact)
        mailed = tuple(_parts(package, messages))
        _require_allowed(mailed, self._tools)
        others = tuple(part for part in package.hand_overs if part not in package.mailed)
        state, reason = package.state, package.reason
        if strange := self.of_somebody_else(package, wanted):
            state, reason = State.HELD, f"it is written to {strange}, as you said"
        elif wanted.to is not None and reason == NO_ADDRESS:  # held for nothing else
            reason = "the list has no address; you gave it one, so it can be released"
        return Rewriting(
            package=package,
            what=what,
            messages=messages,
            leaving=mailed,
            documents=documents,
            seal=self._tools.seals.of(package, state, documents, messages, (*others, *mailed)),
            state=state,
            reason=reason,
        )

    def _replaced(
        self,
        package: PackageRecord,
        wanted: Amendment,
        documents: tuple[DocumentRecord, ...],
        what: str,
        contact: ContactRecord | None,
    ) -> Replacement:
        """New messages for what did not leave, under new Message-IDs."""
        if strange := self.of_somebody_else(package, wanted):
            raise RunError(f"it would be written to {strange}", fix="Nothing was changed; the list can say so")
        closed = [part for part in package.mailed if part.is_open or part.state is HandOverState.REFUSED]
        taken = {part.target.name.casefold() for part in package.mailed if part.state in TAKEN}
        left = {part.message_id for part in closed}
        again = [message for message in package.messages if message.message_id in left]
        messages = [self._renumbered(new) for new in self._amended(package, again, wanted, documents, contact)]
        mailed = [part for part in _parts(package, messages) if part.target.name.casefold() not in taken]
        if not mailed:
            what = f"everybody of these addresses has package {package.key} already"
            raise RunError(what, fix="Give another address")
        _require_allowed(mailed, self._tools)
        every = (*package.messages, *messages)
        return Replacement(
            package=package,
            what=what,
            closed=closed,
            messages=messages,
            mailed=mailed,
            documents=documents,
            seal=self._tools.seals.of(package, State.READY, documents, every, (*package.hand_overs, *mailed)),
        )

    def _renumbered(self, message: MessageRecord) -> MessageRecord:
        store, number = self._tools.store, new_message_id(message)
        data = delivery.with_message_id(store.get(message.sha256), number)
        return replace(message, message_id=number, sha256=store.put(data))

    def of_somebody_else(self, package: PackageRecord, wanted: Amendment) -> str:
        """The address among new ones that is another recipient's own, with whose it is; empty where there is none."""
        mine = {address.casefold() for message in package.messages for address in message.everybody}
        for part in ("to", "cc", "bcc"):
            for address in _addresses(getattr(wanted, part) or "", (), part) if getattr(wanted, part) else ():
                name = address.mailbox.casefold()
                owner = next((key for key in self._owners.get(name, ()) if key != package.key), None)
                if owner is not None and name not in mine:
                    return f"{address.mailbox}, the address of {owner}"
        return ""

    def _amended(
        self,
        package: PackageRecord,
        messages: Sequence[MessageRecord],
        wanted: Amendment,
        documents: tuple[DocumentRecord, ...],
        contact: ContactRecord | None,
    ) -> list[MessageRecord]:
        words = None if wanted.text is None else Body.of(wanted.text).text
        for place, text in (("the subject", wanted.subject), ("the message", words)):
            if text is not None:
                self._require_own(package, place, text)
        more = tuple(document.name for document in documents[len(package.documents) :])
        worded = self._rewording.of(package, messages, wanted, contact) if wanted.is_reworded else messages
        return [self._one_amended(package, message, wanted, more) for message in worded]

    def _one_amended(
        self, package: PackageRecord, message: MessageRecord, wanted: Amendment, more: Sequence[str]
    ) -> MessageRecord:
        to, cc, bcc = (_addresses(getattr(wanted, part), getattr(message, part), part) for part in ("to", "cc", "bcc"))
        data, subject = self._tools.store.get(message.sha256), message.subject
        if wanted.to is not None or wanted.cc is not None:
            shown_to, shown_cc = (None if wanted.to is None else to), (None if wanted.cc is None else cc)
            data = delivery.readdressed(data, shown_to, shown_cc)
        if wanted.subject is not None and not wanted.is_reworded:
            data, subject = delivery.with_subject(data, subject, wanted.subject), wanted.subject
        if wanted.text is not None and not wanted.is_reworded:
            data = delivery.with_body(data, Body.of(wanted.text))
        return replace(
            message,
            to=tuple(address.mailbox for address in to),
            cc=tuple(address.mailbox for address in cc),
            bcc=tuple(address.mailbox for address in bcc),
            subject=subject,
            files=(*message.files, *more),
            sha256=self._tools.store.put(data),
            id=0,
        )

    def _require_own(self, package: PackageRecord, place: str, text: str) -> None:
        _refuse(self._watch.search(_keys(package), place, checks.read_back(text.encode(), "text")))

    def _enclosed(self, package: PackageRecord, wanted: Amendment) -> Iterator[DocumentRecord]:
        names = [document.name for document in package.documents]
        for path in wanted.enclose:
            part = enclosed(None, str(path), "--enclose")
            _refuse(self._watch.search(_keys(package), part.name, part.found, is_fixed=True))
            self._tools.store.put(part.data)
            record = part.record(names)
            names.append(record.name)
            yield record


def _parts(package: PackageRecord, messages: Iterable[MessageRecord]) -> Iterator[HandOverRecord]:
    way = next((part.way for part in package.mailed), "")
    for message in messages:
        for address in message.everybody if message.server else ():
            yield HandOverRecord.of_message(message.message_id, address, way=way)


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
    if wanted.keep and package.keys:
        what = f"package {key} is a bundle, which is found by its address"
        raise RunError(what, fix="Correct its list, or leave out --keep")
    if wanted.to is not None and len({message.to for message in package.messages}) > 1:
        raise RunError(
            f"package {key} has messages to several people, and they would all go to one address",
            fix="Correct the list of recipients, and prepare it again with --only",
        )


def _addresses(text: str | None, old: Sequence[str], part: str) -> tuple[Address, ...]:
    if text is None:
        return tuple(Address(mailbox=mailbox) for mailbox in old)
    if not text.strip() and part != "to":
        return ()
    return addresses_in(text, f"--{part}")


def _keys(package: PackageRecord) -> tuple[str, ...]:
    return (package.key, *package.keys)


def _refuse(hits: Sequence[checks.Hit]) -> None:
    if hits:
        raise RunError(f"this names somebody else: {checks.described(hits)}", fix="Nothing was changed; take it out")
