"""Writing the messages of packages anew: another message of the job, or words into which something is merged.

What is merged is read again, with the parameters and the date of the run. Where the data are no longer those that a
package was made of, nothing is written: its message would not fit its documents.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from contextlib import closing
from dataclasses import replace
from typing import NamedTuple

from gonnet import checks, delivery
from gonnet.errors import DataError, GonnetError, JobError, RunError, meant, typed
from gonnet.jobs import Job, load_job
from gonnet.ledger import ContactRecord, MessageRecord, PackageRecord, RunRecord
from gonnet.packages import PackagePlan
from gonnet.pipeline.making.batches import kit_of, orders_of
from gonnet.pipeline.making.kits import LanguageKits
from gonnet.pipeline.making.message_texts import senders_of
from gonnet.pipeline.making.messages import MessageWriter, Written
from gonnet.pipeline.making.orders import Order
from gonnet.pipeline.making.watching import watch_of
from gonnet.pipeline.prepare import figure_text
from gonnet.pipeline.reviewing.amending.amendment import Amendment
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address, Recipient

_PART = re.compile(r" \(\d+/\d+\)$")  # at the end of the subject of a message whose files go in several


class _Words(NamedTuple):
    """A message of the job, and what stands in the place of its subject and of its body; None as it is."""

    message: str
    subject: str | None
    text: str | None


class _Made(NamedTuple):
    """All that writes messages of packages."""

    orders: Mapping[str, Order]
    people: Mapping[tuple[str, int], Recipient]
    plans: Mapping[str, PackagePlan]
    writer: MessageWriter


class Rewording:
    """Writes messages of packages of one run anew.

    Args:
        run: The run.
        tools: The tools.
        wanted: Every package that is amended, with what is wanted of it.
    """

    def __init__(self, run: RunRecord, tools: Tools, wanted: Iterable[tuple[PackageRecord, Amendment]]) -> None:
        self._run, self._tools = run, tools
        self._keys: dict[str, None] = {}
        self._named: dict[_Words, str] = {}
        self._made: _Made | GonnetError | None = None
        for package, one in wanted:
            if one.is_reworded:
                self._keys[package.key] = None
                for message in package.messages:
                    words = _words(message, one)
                    self._named.setdefault(words, f"{words.message}_amended_{len(self._named) + 1}")

    def of(
        self,
        package: PackageRecord,
        messages: Sequence[MessageRecord],
        wanted: Amendment,
        contact: ContactRecord | None = None,
    ) -> tuple[MessageRecord, ...]:
        """Messages of a package in other words, to those to whom they are; in words for a contact where one is given.

        Raises:
            RunError: the data have changed since, or what is merged names somebody else.
            JobError: there is no such message, or a merge field cannot be filled.
            GonnetError: the data cannot be read.
        """
        made = self._all()
        order, plan = made.orders.get(package.key), made.plans.get(package.key)
        person = None if contact is None else made.people.get((contact.source, contact.line))
        is_known = person is not None and contact is not None and person.name == contact.name
        if order is None or plan is None or not is_same(package, plan) or not (is_known if contact else order.contacts):
            what = f"the data or the list are no longer those that package {package.key} was made of"
            fix = f"Make it anew: `{typed('prepare', self._run.job, '--only', package.key)}`"
            raise RunError(what, fix=fix)
        several = Counter(message.to for message in messages)
        return tuple(
            self._one(made.writer, order, message, _words(message, wanted), person, is_part=several[message.to] > 1)
            for message in messages
        )

    def _all(self) -> _Made:
        """All that writes, which is read once; so is what is wrong with it."""
        if self._made is None:
            try:
                self._made = self._read()
            except GonnetError as error:
                self._made = error
        if isinstance(self._made, GonnetError):
            raise self._made
        return self._made

    def _one(
        self,
        writer: MessageWriter,
        order: Order,
        message: MessageRecord,
        words: _Words,
        person: Recipient | None,
        *,
        is_part: bool,
    ) -> MessageRecord:
        to = {address.casefold() for address in message.to}
        same = (contact for contact in order.contacts if {one.mailbox.casefold() for one in contact.to} == to)
        contact = person or next(same, order.contacts[0])
        part = _PART.search(message.subject) if is_part else None
        written, hits = writer.written(
            replace(order, message=self._named[words]), contact, message.message_id, part[0] if part else ""
        )
        if hits:
            raise RunError(f"this names somebody else: {checks.described(hits)}", fix="Nothing was changed")
        return replace(
            message, called=words.message, subject=written.subject, sha256=self._stored(message, written), id=0
        )

    def _stored(self, message: MessageRecord, written: Written) -> str:
        """The message as it is kept: to those to whom it was, who may not be those of the list."""
        envelope, data = written.envelope, written.sealed
        for name, before, now in (("to", message.to, envelope.to), ("cc", message.cc, envelope.cc)):
            if before != tuple(address.mailbox for address in now):
                people = tuple(Address(mailbox=mailbox) for mailbox in before)
                data = delivery.readdressed(data, people if name == "to" else None, people if name == "cc" else None)
        return self._tools.store.put(data)

    def _read(self) -> _Made:
        """The packages as they would be made now."""
        job = self._job()
        request = Request(as_of=self._run.as_of, asked=dict(self._run.parameters), only=tuple(self._keys))
        senders = senders_of(job, self._tools)
        try:
            found = survey(job, self._tools, replace(request, guarded=False))
        except (JobError, DataError) as error:
            raise self._as_typed(job, error) from error
        with closing(found.engine):
            orders = orders_of(found, [plan for plan in found.plans if plan.slices], senders)
            kit = kit_of(self._tools, found, senders, watch_of(job, found))
        plans = {plan.key: plan for plan in found.plans}
        people = {
            (person.source, person.line): person
            for audience in found.everybody
            for person in (*audience.people, *audience.aside)
        }
        return _Made({order.key: order for order in orders}, people, plans, MessageWriter(kit, LanguageKits(kit)))

    def _job(self) -> Job:
        """The job, with the messages that are wanted besides its own.

        Raises:
            JobError: it has no such message.
        """
        job = load_job(self._tools.workspace, self._run.job)
        known = list(job.file.messages)
        more = {}
        for words, name in self._named.items():
            if words.message not in known:
                what, fix = f"the job has no message '{words.message}'", meant(words.message, known)
                raise JobError(what, where=job.at("messages"), fix=fix)
            more[name] = words
        return job.with_messages({name: (one.message, one.subject, one.text) for name, one in more.items()})

    def _as_typed(self, job: Job, error: GonnetError) -> GonnetError:
        """A mistake in the words that were typed, where it is one, with where these are from."""
        for words, name in self._named.items():
            if error.where in (job.at("messages", name, "subject"), job.at("messages", name, "body")):
                where = "the new text" if words.text is not None else "the new subject"
                return DataError(error.what, where=where, fix=error.fix)
        return error


def _words(message: MessageRecord, wanted: Amendment) -> _Words:
    return _Words(wanted.message or message.called, wanted.subject, wanted.text)


def is_same(package: PackageRecord, plan: PackagePlan) -> bool:
    """Whether a package would be made of the same rows and figures."""
    figures = {name: figure_text(value) for name, value in plan.evaluated.figures.items()}
    return figures == dict(package.figures) and plan.addressed.rows == package.rows
