"""Drawing, reading back and storing a batch of packages: the part of a run that any number of processes share.

A worker gets the path of the workbench (what is the same for the whole run) and a batch of orders; it needs nothing
else, so any executor whose workers see the workspace's folder can run it.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import pickle
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

from gonnet import checks, delivery, packages
from gonnet.checks import Hit, Watch
from gonnet.delivery import Envelope
from gonnet.errors import DataError
from gonnet.jobs.values import Format
from gonnet.ledger import DeliveryRecord, DocumentRecord, MessageRecord, Store
from gonnet.ledger.records import FilingRecord
from gonnet.packages import DocumentPlan
from gonnet.packages.filing import FilingPlan
from gonnet.packages.parcels import TooLargeError, shared_out, travelling, zipped
from gonnet.packages.protection import PasswordError, protected
from gonnet.pipeline.enclosures import Enclosed, free_name
from gonnet.pipeline.letters import Letter, Sender
from gonnet.pipeline.orders import Layouts, Order
from gonnet.recipients import Recipient
from gonnet.reports import Drawn, Look, Painter, ReportPlan, UnprintableError
from gonnet.reports.csv_rows import csv_text
from gonnet.reports.inline import Inline
from gonnet.reports.laid import LaidForm, Layout, Merged
from gonnet.reports.layout import Setter
from gonnet.rules.decisions import Cause
from gonnet.wording.templates import Wording

_MARKS = re.compile(r"[\\\[\]*_`<>]")
_DAY_ZERO = dt.date(1899, 12, 30)  # day numbers of a workbook count from here


@dataclass(frozen=True, slots=True, kw_only=True)
class Version:
    """What is the same for every package in one language.

    Attributes:
        common: What every text may merge: parameters, the run, phrases.
        letters: Name → message.
    """

    reports: tuple[ReportPlan, ...]
    look: Look
    common: Mapping[str, object]
    letters: Mapping[str, Letter]


@dataclass(frozen=True, slots=True, kw_only=True)
class Workbench:
    """What is the same for every package of a run; `versions` by locale."""

    versions: Mapping[str, Version]
    signs: frozenset[str]
    watch: Watch
    store: Store
    senders: Mapping[int, Sender]
    enclosures: Mapping[str, Enclosed]


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """A package that was made.

    Attributes:
        held: Why it must not leave: cause and reason; None where nothing speaks against it.
        sums: Column → exact sum over the rows as they were laid out.
        rows: Rows as they were laid out.
    """

    key: str
    documents: tuple[DocumentRecord, ...]
    messages: tuple[MessageRecord, ...]
    filings: tuple[FilingRecord, ...]
    seal: str
    held: tuple[Cause, str] | None
    sums: Mapping[str, Decimal]
    rows: int


def produce(bench_path: str, orders: Sequence[Order]) -> tuple[Made, ...]:
    """Make every package of a batch, in order.

    Raises:
        StorageError: a file cannot be kept.
    """
    worker = _worker(bench_path)
    return tuple(worker.make(order) for order in orders)


@lru_cache(maxsize=1)
def _worker(bench_path: str) -> _Worker:
    return _Worker(pickle.loads(Path(bench_path).read_bytes()))


class _Desk:
    """What makes packages in one language."""

    def __init__(self, version: Version, signs: frozenset[str]) -> None:
        self.version = version
        self.wording = Wording(version.look.house)
        self.setter = Setter(version.reports, self.wording, version.look)
        self.painter = Painter(version.look, signs)


class _Worker:
    """Makes packages; keeps fonts, formatted values and compiled texts between them."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._desks: dict[str, _Desk] = {}

    def _desk(self, locale: str) -> _Desk:
        if locale not in self._desks:
            self._desks[locale] = _Desk(self._bench.versions[locale], self._bench.signs)
        return self._desks[locale]

    def make(self, order: Order) -> Made:
        """One package; what speaks against it holds it alone."""
        documents: list[DocumentRecord] = []
        messages: list[MessageRecord] = []
        hits: list[Hit] = []
        filings: tuple[FilingRecord, ...] = ()
        held: tuple[Cause, str] | None = None
        desk = self._desk(order.locale)
        layouts = Layouts(order, desk.setter)
        try:
            for plan in order.documents:
                laid = layouts.of(plan)
                drawn = desk.painter.draw(laid[0], plan.format, plan.csv, laid[1:], plan.joint)
                hits += self._inspect(order, plan, laid, drawn)
                content = hashlib.sha256(drawn.data).hexdigest()
                if plan.lock is not None:  # read back and checked before, since nobody can afterwards
                    drawn = replace(drawn, data=protected(drawn.data, plan.format, plan.lock))
                documents.append(self._kept(plan, drawn, layouts.shown(plan), content))
            for file in order.enclosures:
                part = self._bench.enclosures[file]
                hits += self._bench.watch.search(order.owners, f"the enclosure {part.name}", part.found, ())
                documents.append(_enclosed_record(part, documents))
            written: list[tuple[Recipient, _Written]] = []
            for contact, message_id in zip(order.contacts, order.message_ids, strict=True):
                message, found = self._written(order, contact, message_id)
                written.append((contact, message))
                hits += found
            filings = _filings(order.filings, documents)
            aside = {plan.file_name for plan in order.documents if not plan.attached}
            body = max((len(message.sealed) for _, message in written), default=0)
            attached = self._attached(order, [part for part in documents if part.name not in aside], body, documents)
            for contact, message in written:
                messages += self._recorded(order, contact, message, attached)
            filings += tuple(self._drafts(order, documents, messages))
        except UnprintableError as error:
            held = Cause.UNPRINTABLE, str(error)
        except (DataError, PasswordError) as error:
            held = Cause.TEXT, str(error)
        except TooLargeError as error:
            held = Cause.SIZE, str(error)
        if hits:
            held = Cause.LEAK, checks.told(hits)
        return Made(
            key=order.key,
            documents=tuple(documents),
            messages=tuple(messages),
            filings=filings,
            seal=_sealed(order.key, documents, messages, filings),
            held=held,
            sums=layouts.sums(),
            rows=len(order.whole.rows),
        )

    def _inspect(self, order: Order, plan: DocumentPlan, laid: Sequence[Layout], drawn: Drawn) -> tuple[Hit, ...]:
        found = checks.read_back(drawn.data, plan.format, plan.csv.encoding if plan.csv else "utf-8")
        if plan.format == "pdf":
            unseen = ("links and descriptions", "\n".join(text for layout in laid for text in layout.unseen()))
            found = replace(found, parts=(*found.parts, unseen))
        own = (
            part for at, layout in enumerate(laid) for part in own_numbers(layout, plan, drawn.pages, is_first=at == 0)
        )
        return self._bench.watch.search(order.owners, f"the {plan.format}", found, own)

    def _kept(self, plan: DocumentPlan, drawn: Drawn, rows: int, content: str) -> DocumentRecord:
        return DocumentRecord(
            name=plan.file_name,
            report=plan.report,
            format=plan.format,
            sha256=self._bench.store.put(drawn.data),
            bytes=len(drawn.data),
            pages=drawn.pages,
            rows=rows,
            content=content,
        )

    def _attached(
        self, order: Order, attached: list[DocumentRecord], body: int, documents: list[DocumentRecord]
    ) -> list[DocumentRecord]:
        """The files that are attached: those that are meant to be, a zip of them, or none that is only linked to.

        A zip becomes one of the package's files.
        """
        parcel = order.parcel
        if parcel is None or not attached:
            return attached
        limit = parcel.limit
        is_over = limit is not None and body + sum(travelling(part.bytes) for part in attached) > limit.size
        if is_over and limit is not None and limit.over == "link" and order.names["links"]:
            return []
        if not parcel.zipped and not (is_over and limit is not None and limit.over == "zip"):
            return attached
        store = self._bench.store
        data = zipped([(part.name, store.get(part.sha256)) for part in attached], parcel.password)
        packed = DocumentRecord(
            name=parcel.name,
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

    def _written(
        self, order: Order, contact: Recipient, message_id: str, more: str = "", *, links: bool = False
    ) -> tuple[_Written, tuple[Hit, ...]]:
        desk = self._desk(contact.language)
        assert order.sender is not None
        letter, wording, sender = desk.version.letters[order.message], desk.wording, self._bench.senders[order.sender]
        marks = {name: f"\ue000{name}\ue001" for name in letter.reports}  # of private use: no text has them
        names = {**order.names, **desk.version.common, "recipient": contact.fields, "reports": marks}
        wording.numbers.clear()
        subject = wording.fill(letter.subject, names, key=order.key) + more
        if letter.is_page:
            body = delivery.Body.of_page(wording.fill_page(letter.body, names, key=order.key))
        else:
            markup = wording.fill_markup(letter.body, names, key=order.key)
            body = delivery.Body.of(markup + _linked(order) if links else markup)
        numbers: list[Merged] = [(f"{subject}\n{body.text}", tuple(wording.numbers))]
        for name, mark in marks.items():
            if mark in body.html:
                layout = desk.setter.lay(name, order.key, order.whole.rows, names, order.hidden[name])
                body = _with_report(body, mark, desk.painter.inline(layout, name), letter.body.where)
                numbers += layout.merged
                numbers += [(shown, (shown,)) for table in layout.tables() for shown, _ in table.numbers()]
        own: list[tuple[str, str]] = []
        for name, template in letter.headers:
            wording.numbers.clear()
            own.append((name, wording.fill(template, names, key=order.key)))
            numbers.append((own[-1][1], tuple(wording.numbers)))
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
        sealed = delivery.write_message(envelope, subject, body, desk.version.look.house.locale)
        text = "\n".join((subject, body.text, *(value for _, value in own)))
        hits = self._bench.watch.search(order.owners, "the message", checks.read_back(text.encode(), "text"), numbers)
        if letter.is_page:
            page = checks.read_back(body.html.encode(), "html")
            hits += self._bench.watch.search(order.owners, "the page of the message", page, numbers)
        return _Written(envelope, subject, sealed), hits

    def _recorded(
        self, order: Order, contact: Recipient, written: _Written, attached: Sequence[DocumentRecord]
    ) -> Iterator[MessageRecord]:
        """The message to one contact; or several, where its files do not go in one.

        Raises:
            TooLargeError: it is larger than it may be.
        """
        server = self._bench.senders[order.sender].server if order.sender is not None else ""
        limit = order.parcel.limit if order.parcel is not None else None
        if (
            not attached
            and limit is not None
            and limit.over == "link"
            and any(plan.attached for plan in order.documents)
        ):
            written, _ = self._written(order, contact, written.envelope.message_id, links=True)
        parts = shared_out([document.bytes for document in attached], len(written.sealed), limit)
        for number, part in enumerate(parts, 1):
            here = written
            if len(parts) > 1:
                own_id = written.envelope.message_id.replace("@", f"-{number}@", 1)
                here, _ = self._written(order, contact, own_id, f" ({number}/{len(parts)})")
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
                sha256=self._bench.store.put(here.sealed),
                deliveries=_deliveries(here.envelope, server),
            )

    def _drafts(
        self, order: Order, documents: Sequence[DocumentRecord], messages: Sequence[MessageRecord]
    ) -> Iterator[FilingRecord]:
        """The messages as files that mail programs open as unsent, with all that is attached to them."""
        store, files = self._bench.store, {document.name: document for document in documents}
        for plan in order.filings:
            if not plan.drafts:
                continue
            for number, message in enumerate(messages, 1):
                attached = [
                    delivery.Attachment(name=name, format=files[name].format, data=store.get(files[name].sha256))
                    for name in message.files
                ]
                data = delivery.draft(store.get(message.sha256), attached, message.bcc)
                name = packages.safe_name(order.key) + (f" ({number})" if len(messages) > 1 else "")
                yield FilingRecord(
                    way=plan.way,
                    root=plan.root,
                    place=plan.place(f"{name}.eml"),
                    existing=plan.existing,
                    sha256=store.put(data),
                )


def _deliveries(envelope: Envelope, server: str) -> tuple[DeliveryRecord, ...]:
    """One for each address; none for a message that is a draft."""
    return tuple(DeliveryRecord(address=address.mailbox) for address in envelope.everybody()) if server else ()


def _linked(order: Order) -> str:
    """A list of links to the files, at the end of a message that would be too large with them."""
    found = order.names["links"]
    assert isinstance(found, tuple)
    lines = []
    for link in found:
        name = _MARKS.sub(r"\\\g<0>", link["name"])
        lines.append(f"- [{name}](<{link['url']}>)")
    return "\n\n" + "\n".join(lines)


class _Written(NamedTuple):
    """A message up to its attachments."""

    envelope: Envelope
    subject: str
    sealed: bytes


def _enclosed_record(part: Enclosed, others: Sequence[DocumentRecord]) -> DocumentRecord:
    return DocumentRecord(
        name=free_name(part.name, {other.name.casefold(): other for other in others}),
        report="",
        format=part.format,
        sha256=part.sha256,
        bytes=len(part.data),
        pages=None,
        rows=0,
        content=part.sha256,
    )


def _with_report(body: delivery.Body, mark: str, report: Inline, where: str) -> delivery.Body:
    try:
        return body.with_insert(mark, report.text, report.html, report.style, report.pictures)
    except ValueError as error:
        raise DataError(
            f"a report in a message: {error}", where=where, fix="Leave an empty line above and below {{ reports.… }}"
        ) from error


def _filings(plans: Sequence[FilingPlan], documents: Sequence[DocumentRecord]) -> tuple[FilingRecord, ...]:
    return tuple(
        FilingRecord(
            way=plan.way,
            root=plan.root,
            place=plan.place(document.name),
            existing=plan.existing,
            sha256=document.sha256,
        )
        for plan in plans
        if not plan.drafts
        for document in documents
    )


def _sealed(
    key: str,
    documents: Sequence[DocumentRecord],
    messages: Sequence[MessageRecord],
    filings: Sequence[FilingRecord],
) -> str:
    return packages.seal_of(
        key,
        [(document.name, document.sha256) for document in documents],
        [(m.message_id, m.sha256, [d.address for d in m.deliveries], m.files) for m in messages],
        [(filing.root, filing.place, filing.sha256) for filing in filings],
    )


def own_numbers(layout: Layout, plan: DocumentPlan, pages: int | None, *, is_first: bool = True) -> Iterator[Merged]:
    """Texts of a file that hold the recipient's own amounts and dates, as often as they stand in it, with these."""
    if plan.format == "xlsx" and layout.form is not None:
        yield from _in_a_form(layout, layout.form)
        return
    if plan.format != "csv":
        lists_pages = plan.joint is not None and plan.joint.contents
        yield from _own_texts(layout, plan.format, pages or 0, is_first=is_first, lists_pages=lists_pages)
    if plan.joint is not None and not plan.joint.by_key:
        yield from (layout.title_merged, layout.title_merged)  # in the contents, and in a bookmark
    for text, value in layout.numbers(drawn=plan.format in ("pdf", "html")):
        match plan.format:
            case "xlsx":
                shown = _in_a_workbook(value)
            case "csv":
                shown = csv_text(text, value, plan.csv) if plan.csv else ""
            case _:
                shown = text
        yield shown, (shown,)


def _in_a_form(layout: Layout, form: LaidForm) -> Iterator[Merged]:
    yield layout.title_merged
    for (_, value), (text, numbers) in zip(form.cells, form.merged, strict=True):
        shown = _in_a_workbook(value)
        yield (shown, (shown,)) if shown else (text, numbers)
    for table in layout.tables():
        for column in form.plan.columns.values():
            if table.columns[column].is_measure:
                yield from ((shown, (shown,)) for shown in map(_in_a_workbook, table.values[column]))


def _own_texts(
    layout: Layout, form: Format, pages: int, *, is_first: bool, lists_pages: bool = False
) -> Iterator[Merged]:
    """The filled texts of a file: title also in its properties, headings in its bookmarks, others on every page."""
    yield from layout.merged
    yield from (layout.title_merged, layout.title_merged)
    if form == "xlsx":
        yield layout.sheet_merged
    if form == "html":
        yield from layout.page_merged
    if form == "pdf":
        yield from layout.headings_merged
    for page in range(1, pages + 1):
        if is_first:
            yield f"{page} {pages}", (f"{page} {pages}",)
        if lists_pages and is_first:
            yield str(page), (str(page),)
        yield from layout.page_merged


def _in_a_workbook(value: object) -> str:
    match value:
        case int() | Decimal() if not isinstance(value, bool):
            return f"{Decimal(value):.16G}"
        case float():
            return repr(value)
        case dt.datetime():
            return str((value.date() - _DAY_ZERO).days)
        case dt.date():
            return str((value - _DAY_ZERO).days)
        case _:
            return ""
