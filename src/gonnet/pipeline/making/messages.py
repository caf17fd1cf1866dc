"""Writing the messages of a package, and saying what each carries: everything, a zip, a part, or links."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from gonnet import delivery, packages
from gonnet.checks import Hit, ReadBack
from gonnet.checks.reading import page_texts, paragraphs
from gonnet.delivery import Envelope
from gonnet.errors import DataError
from gonnet.ledger import DocumentRecord, HandOverRecord, MessageRecord
from gonnet.ledger.states import HandOverKind
from gonnet.packages.attachments import AttachmentPlan, shared_out, zipped
from gonnet.pipeline.making import places
from gonnet.pipeline.making.kits import LanguageKits, RunKit
from gonnet.pipeline.making.orders import Order
from gonnet.recipients import Recipient
from gonnet.reports.inline import Inline
from gonnet.reports.layout.models import Layout
from gonnet.wording.filled import Filled
from gonnet.wording.template import Template

_MARKS = re.compile(r"[\\\[\]*_`<>]")


class Written(NamedTuple):
    """A message up to its attachments."""

    envelope: Envelope
    subject: str
    sealed: bytes


class MessageWriter:
    """Writes the messages of packages.

    Args:
        kit: What is the same for the run.
        languages: What is kept between packages.
    """

    def __init__(self, kit: RunKit, languages: LanguageKits) -> None:
        self._kit, self._languages = kit, languages

    def write(
        self, order: Order, documents: list[DocumentRecord]
    ) -> tuple[list[MessageRecord], list[HandOverRecord], list[Hit]]:
        """The messages of a package, what of them leaves or becomes a draft, and what in them names somebody else.

        Args:
            order: The package.
            documents: Its files; a zip of them is added.

        Raises:
            DataError: a text cannot be filled.
            TooLargeError: a message is larger than it may be.
        """
        hits: list[Hit] = []
        written: list[tuple[Recipient, Written]] = []
        for contact, message_id in zip(order.contacts, order.message_ids, strict=True):
            message, found = self.written(order, contact, message_id)
            written.append((contact, message))
            hits += found
        body = max((len(message.sealed) for _, message in written), default=0)
        mailed = [part for part, ways in zip(documents, order.ways_of_files, strict=True) if order.written in ways]
        attached = self._attached(order, mailed, body, documents)
        messages = [one for contact, message in written for one in self._recorded(order, contact, message, attached)]
        drafts = list(self._drafts(order, documents, messages))
        return messages, [*drafts, *(part for message in messages for part in _mailed(message, order.written))], hits

    def _attached(
        self, order: Order, attached: list[DocumentRecord], body: int, documents: list[DocumentRecord]
    ) -> list[DocumentRecord]:
        """The files that are attached: those that are meant to be, a zip of them, or none that is only linked to.

        A zip becomes one of the package's files.
        """
        attachments = order.attachments
        if attachments is None or not attached:
            return attached
        limit = attachments.limit
        is_over = limit is not None and attachments.size(body, [part.bytes for part in attached]) > limit.size
        if is_over and limit is not None and limit.over == "link" and order.names["links"]:
            return []
        if not attachments.zipped and not (is_over and limit is not None and limit.over == "zip"):
            return attached
        store = self._kit.store
        data = zipped([(part.name, store.get(part.sha256)) for part in attached], attachments.password)
        packed = DocumentRecord(
            name=attachments.name,
            report="",
            format="zip",
            sha256=store.put(data),
            bytes=len(data),
            pages=None,
            rows=0,
            content="",
        )
        documents.append(packed)
        return [packed]

    def written(
        self, order: Order, contact: Recipient, message_id: str, more: str = "", *, links: bool = False
    ) -> tuple[Written, tuple[Hit, ...]]:
        """The message to one contact, and what in it names somebody else.

        Args:
            order: The package.
            contact: To whom it is.
            message_id: Its Message-ID.
            more: What stands at the end of its subject.
            links: Whether links to the files stand at its end.

        Raises:
            DataError: a text cannot be filled.
        """
        language = self._languages.of(contact.language)
        assert order.sender is not None
        worded, wording = language.version.texts[order.message], language.wording
        sender = self._kit.senders[order.sender]
        marks = {name: f"\ue000{name}\ue001" for name in worded.reports}  # of private use: no text has them
        names = {**order.names, **language.version.common, "recipient": contact.fields, "reports": marks}
        merged = wording.fill(worded.subject, names, key=order.key)
        subject = merged.text + more
        if worded.is_page:
            of_body = wording.fill_page(worded.body, names, key=order.key)
            body = delivery.Body.of_page(of_body.text)
            _require_no_merged_script(body, worded.body)
        else:
            of_body = wording.fill_markup(worded.body, names, key=order.key)
            body = delivery.Body.of(of_body.text + _linked(order) if links else of_body.text)
        said: list[tuple[str, Filled]] = [("the subject", merged), ("", of_body)]
        shown: list[Layout] = []
        for name, mark in marks.items():
            if mark in body.html:
                layout = language.layout_maker.lay(name, order.key, order.whole.rows, names, order.hidden[name])
                body = _with_report(body, mark, language.painter.inline(layout, name), worded.body.where)
                shown.append(layout)
        own: list[tuple[str, str]] = []
        for name, template in worded.headers:
            value = wording.fill(template, names, key=order.key)
            own.append((name, value.text))
            said.append((f"the header {name}", value))
        envelope = Envelope(
            sender=sender.address,
            reply_to=sender.reply_to,
            to=contact.to,
            cc=contact.cc,
            bcc=contact.bcc,
            message_id=message_id,
            important=order.important,
            headers=tuple(own),
        )
        look = language.version.look
        locale = worded.language.replace("-", "_") or look.house.locale
        frame = delivery.Frame(look.style.organisation, look.style.accent)
        sealed = delivery.write_message(envelope, subject, body, locale, frame)
        lines = (subject, *(value for _, value in own))
        return Written(envelope, subject, sealed), self._hits(order, said, shown, worded.body, lines, body)

    def _hits(
        self,
        order: Order,
        said: Sequence[tuple[str, Filled]],
        shown: Sequence[Layout],
        source: Template,
        lines: Sequence[str],
        body: delivery.Body,
    ) -> tuple[Hit, ...]:
        """What of a message names somebody else: place by place as it was filled, and in what it came to."""
        watch, name, fixed = self._kit.watch, "the message", set(paragraphs(source.source))
        filled = ((place, tuple(part for part in paragraphs(text.rest) if part not in fixed)) for place, text in said)
        hits = watch.search(order.owners, name, ReadBack(parts=tuple(filled)))
        for layout in shown:
            hits += places.searched(watch, order.owners, name, layout)

        def own() -> Iterator[str]:
            yield from fixed
            for _, text in said:
                yield from (*text.numbers, *(() if text.rest else paragraphs(text.text)))
            yield from places.own(shown, None, None)

        texts = ("", (*lines, *paragraphs(body.text))), ("as a page", page_texts(body.html))
        return hits + watch.search(order.owners, name, ReadBack(parts=texts), known=places.drawn(shown), own=own)

    def _recorded(
        self, order: Order, contact: Recipient, written: Written, attached: Sequence[DocumentRecord]
    ) -> Iterator[MessageRecord]:
        """The message to one contact; or several, where its files do not go in one.

        Raises:
            TooLargeError: it is larger than it may be.
        """
        server = self._kit.senders[order.sender].server if order.sender is not None else ""
        plan = order.attachments or AttachmentPlan(name="")
        limit = plan.limit
        if (
            not attached
            and limit is not None
            and limit.over == "link"
            and any(order.written in plan.ways for plan in order.documents)
        ):
            written, _ = self.written(order, contact, written.envelope.message_id, links=True)
        parts = shared_out([document.bytes for document in attached], len(written.sealed), plan)
        for number, part in enumerate(parts, 1):
            here = written
            if len(parts) > 1:
                own_id = written.envelope.message_id.replace("@", f"-{number}@", 1)
                here, _ = self.written(order, contact, own_id, f" ({number}/{len(parts)})")
            yield MessageRecord(
                message_id=here.envelope.message_id,
                called=order.message,
                subject=here.subject,
                sender=here.envelope.sender.mailbox,
                server=server,
                to=tuple(address.mailbox for address in contact.to),
                cc=tuple(address.mailbox for address in contact.cc),
                bcc=tuple(address.mailbox for address in contact.bcc),
                files=tuple(attached[at].name for at in part),
                sha256=self._kit.store.put(here.sealed),
            )

    def _drafts(
        self, order: Order, documents: Sequence[DocumentRecord], messages: Sequence[MessageRecord]
    ) -> Iterator[HandOverRecord]:
        """The messages as files that mail programs open as unsent, with all that is attached to them."""
        store, files = self._kit.store, {document.name: document for document in documents}
        for plan in order.places:
            if plan.what != "messages":
                continue
            for number, message in enumerate(messages, 1):
                attached = [
                    delivery.Attachment(name=name, format=files[name].format, data=store.get(files[name].sha256))
                    for name in message.files
                ]
                data = delivery.draft(store.get(message.sha256), attached, message.bcc)
                name = packages.safe_name(order.key) + (f" ({number})" if len(messages) > 1 else "")
                yield HandOverRecord(
                    kind=HandOverKind.DRAFT,
                    target=plan.target(f"{name}.eml"),
                    way=plan.way,
                    message_id=message.message_id,
                    existing=plan.existing,
                    sha256=store.put(data),
                )


def _mailed(message: MessageRecord, way: str) -> Iterator[HandOverRecord]:
    """A hand-over for each address; none for a message that is a draft."""
    for address in message.everybody if message.server else ():
        yield HandOverRecord.of_message(message.message_id, address, way=way)


def _linked(order: Order) -> str:
    """A list of links to the files, at the end of a message that would be too large with them."""
    found = order.names["links"]
    assert isinstance(found, tuple)
    lines = []
    for link in found:
        name = _MARKS.sub(r"\\\g<0>", link["name"])
        lines.append(f"- [{name}](<{link['url']}>)")
    return "\n\n" + "\n".join(lines)


def _with_report(body: delivery.Body, mark: str, report: Inline, where: str) -> delivery.Body:
    try:
        return body.with_insert(mark, report.text, report.html, report.style, report.pictures)
    except ValueError as error:
        raise DataError(
            f"a report in a message: {error}", where=where, fix="Leave an empty line above and below {{ reports.… }}"
        ) from error


def _require_no_merged_script(page: delivery.Body, template: Template) -> None:
    """Refuse a page in which a merged value became the target of a link into a script; what its author wrote stays.

    Raises:
        DataError: there is one.
    """
    merged = sorted(target for target in page.scripts() if target not in template.source)
    if merged:
        what = f"a merged value leads a link into a script: {merged[0][:60]}"
        raise DataError(what, where=template.where, fix="Correct the value in the list")
