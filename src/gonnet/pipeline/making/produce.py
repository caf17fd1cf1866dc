"""Drawing, reading back and storing a batch of packages: the part of a run that any number of processes share.

A worker gets the path of the kit (what is the same for the whole run) and a batch of orders; it needs nothing
else, so any executor whose workers see the workspace's folder can run it.
"""

from __future__ import annotations

import hashlib
import pickle
import threading
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import partial
from pathlib import Path
from typing import cast

from gonnet import checks
from gonnet.checks import Hit, ReadBack
from gonnet.delivery.pdf_signatures import sign_pdf
from gonnet.delivery.smime import SigningKey
from gonnet.errors import DataError, JobError
from gonnet.ledger import DocumentRecord, HandOverRecord, HitRecord, MessageRecord
from gonnet.ledger.states import HandOverKind
from gonnet.packages import DocumentPlan, PartPlan
from gonnet.packages.attachments import TooLargeError
from gonnet.packages.own_files import NoFileError, OwnFile
from gonnet.packages.places import PlacePlan
from gonnet.packages.protection import PasswordError, protected
from gonnet.pipeline.making.inspecting import Inspector
from gonnet.pipeline.making.kits import LanguageKits, RunKit
from gonnet.pipeline.making.messages import MessageWriter
from gonnet.pipeline.making.orders import Layouts, Order, Slice, came
from gonnet.pipeline.making.parts import ArrivalKit, NoPartError, Parts
from gonnet.pipeline.surveying.enclosures import enclosed
from gonnet.remembering import Remembered
from gonnet.reports import Drawn, Look, Painter, UnprintableError
from gonnet.reports.layout.models import Layout
from gonnet.rules.decisions import Cause


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """A package that was made.

    Attributes:
        held: Why it must not leave: cause and reason; None where nothing speaks against it.
        hits: What of it names somebody else.
        sums: View and column → exact sum over the rows as they were laid out.
        rows: View → rows as they were laid out, of those that some report shows.
        dead_links: Column of a table, and why a link in it leads nowhere → how many do.
        unsearched: What of its parts of arrivals cannot be read, such as pictures.
        misread: Whether two readers found different characters in its PDF, so that what was read before it by one
            alone is in doubt.
    """

    key: str
    documents: tuple[DocumentRecord, ...]
    messages: tuple[MessageRecord, ...]
    hand_overs: tuple[HandOverRecord, ...]
    held: tuple[Cause, str] | None
    hits: tuple[HitRecord, ...]
    sums: Mapping[tuple[str, str], Decimal]
    rows: Mapping[str, int]
    dead_links: Mapping[tuple[str, str], int]
    unsearched: tuple[str, ...]
    misread: bool = False


def produce(kit_path: str, orders: Sequence[Order]) -> tuple[Made, ...]:
    """Make every package of a batch, in order.

    Raises:
        StorageError: a file cannot be kept.
    """
    worker = worker_for(kit_path, lambda: _kit_at(Path(kit_path)))
    with worker.kit.store.together():
        return tuple(worker.make(order) for order in orders)


def _kit_at(place: Path) -> RunKit:
    with place.open("rb") as file:
        kit: RunKit = pickle.load(file)
        return kit


class _OfThread(threading.local):
    """The worker of each thread: what it keeps between packages serves one at a time."""

    def __init__(self) -> None:
        self.path, self.worker = "", cast("_Worker | None", None)


_SIGNERS = 16
_own = _OfThread()


def worker_for(name: str, kit: Callable[[], RunKit]) -> _Worker:
    """The worker of this thread for a run, which is called `name`; `kit` gives what it needs where it is new."""
    if _own.worker is None or _own.path != name:
        _own.path, _own.worker = name, _Worker(kit())
    return _own.worker


Finished = tuple[DocumentRecord, Sequence[Hit], tuple[Cause, str] | None]
"""A document, what of it names somebody else, and why it must not leave."""


class _Worker:
    """Makes packages; keeps fonts, formatted values and compiled texts between them."""

    def __init__(self, kit: RunKit) -> None:
        self.kit = self._kit = kit
        self._languages = LanguageKits(kit)
        self._writer = MessageWriter(kit, self._languages)
        self._inspector = Inspector(kit.watch)
        self._parts = Parts(kit.arrivals)
        self._signers: Remembered[str, SigningKey] = Remembered(kit.signer, _SIGNERS)
        self._enclosed = {file: kit.watch.telling(part.found) for file, part in kit.enclosures.items()}

    def make(self, order: Order) -> Made:
        """One package; what speaks against it holds it alone."""
        documents: list[DocumentRecord] = []
        messages: list[MessageRecord] = []
        hits: list[Hit] = []
        leaving: list[HandOverRecord] = []
        held: tuple[Cause, str] | None = None
        was_trusted = self._inspector.trusted
        language = self._languages.of(order.locale)
        layouts = Layouts(order, language.layout_maker, partial(self._inserted, language.version.look))
        try:
            for plan in order.documents:
                document, there, doubt = self._document(order, plan, layouts, language.painter)
                documents.append(document)
                hits += there
                held = held or doubt
            for file in order.enclosures:
                part = self._kit.enclosures[file.file]
                name = f"the enclosure {part.name}"
                hits += self._kit.watch.search(order.owners, name, self._enclosed[file.file], is_fixed=True)
                documents.append(part.record(document.name for document in documents))
            for own in order.own_files:
                document, there = self._own_file(order, own, documents, layouts)
                documents.append(document)
                hits += there
            leaving = _files(order, documents)
            messages, mailed, found = self._writer.write(order, documents)
            leaving = [*leaving, *mailed]
            hits += found
            hits += self._in_names(order, documents, leaving)
            if _lacks_pages(order.places, documents):
                held = Cause.NO_PAGES, "nothing of it is a PDF, and only PDFs are printed"
        except UnprintableError as error:
            held = Cause.UNPRINTABLE, str(error)
        except NoFileError as error:
            held = Cause.NO_FILE, str(error)
        except (DataError, PasswordError) as error:
            held = Cause.TEXT, str(error)
        except TooLargeError as error:
            held = Cause.SIZE, str(error)
        except NoPartError as error:
            held = Cause.NO_PART, str(error)
        if hits:
            held = Cause.LEAK, checks.described(hits)
        seen = (HitRecord(hit.kind, hit.value, hit.owner, hit.place, hit.context, hit.spelled) for hit in hits)
        self._parts.rest()
        return Made(
            key=order.key,
            documents=tuple(documents),
            messages=tuple(messages),
            hand_overs=tuple(leaving),
            held=held,
            hits=tuple(dict.fromkeys(seen)),
            sums=layouts.sums(),
            rows=layouts.rows(language.version.texts[order.message].reports if messages else ()),
            dead_links=layouts.dead_links(),
            unsearched=tuple(layouts.unsearched),
            misread=was_trusted and not self._inspector.trusted,
        )

    def _in_names(
        self, order: Order, documents: Sequence[DocumentRecord], leaving: Sequence[HandOverRecord]
    ) -> tuple[Hit, ...]:
        """What names somebody else in the names of files and folders, and in those of the people written to."""
        folders = (part.target.place for part in leaving if part.kind is not HandOverKind.MESSAGE)
        files = (document.name for document in documents)
        called = (
            address.display for person in order.contacts for address in (*person.to, *person.cc) if address.display
        )
        parts = ("", tuple(dict.fromkeys((*files, *folders)))), ("", tuple(dict.fromkeys(called)))
        names = ("the name of a file", parts[:1]), ("the name of an addressee", parts[1:])
        own = self._own_figures(order)
        return tuple(
            hit
            for name, texts in names
            for hit in self._kit.watch.search(order.owners, name, ReadBack(parts=texts), own=own, are_names=True)
        )

    def _document(self, order: Order, plan: DocumentPlan, layouts: Layouts, painter: Painter) -> Finished:
        """A document, what of it names somebody else, and why it must not leave."""
        look = self._languages.of(order.locale).version.look
        arrival = self._parts.kit(plan.report)
        is_composed = plan.joint is not None or (plan.format == "pdf" and look.style.watermark is not None)
        if arrival is not None and (plan.format in ("file", "txt") or not is_composed):
            return self._part(order, plan, arrival, layouts, look)
        assert plan.format != "file"  # which only an arrival has
        laid, doubt = layouts.of(plan), None
        drawn = painter.draw(laid[0], plan.format, plan.csv, laid[1:], plan.joint, is_locked=plan.lock is not None)
        if any(layout.inserted for layout in laid):
            drawn, doubt = self._with_parts(plan, layouts, drawn, look)
        found = self._inspector.inspect(order.owners, plan, laid, drawn)
        layouts.unsearched += found.unsearched
        if found.lacking:
            what = f"the {plan.format} '{plan.file_name}' does not have '{found.lacking}' as often as its rows do"
            doubt = Cause.ROWS_LACK, what
        return self._kept(plan, drawn, layouts.shown(plan)), found.hits, doubt

    def _part(self, order: Order, plan: DocumentPlan, arrival: ArrivalKit, layouts: Layouts, look: Look) -> Finished:
        """A part of an arrival as a document of its own."""
        rows = layouts.came(plan, arrival.view)
        title, is_locked = plan.file_name.rpartition(".")[0], plan.lock is not None
        part = self._parts.take(arrival, rows, plan.slice or order.key, title, plan.format, look, is_locked=is_locked)
        found = part.found or _read_back(part.data, plan.file_name)
        layouts.unsearched += found.unsearched
        name = f"the part of {plan.report}"
        hits = self._kit.watch.search(order.owners, name, found, own=self._own_figures(order))
        layouts.took(arrival.view, rows)
        document = self._kept(plan, Drawn(data=part.data, pages=part.pages), len(rows))
        return document, hits, _unsearchable(arrival, part.pictures, part.pages or 0, found)

    def _own_file(
        self, order: Order, own: OwnFile, documents: Sequence[DocumentRecord], layouts: Layouts
    ) -> tuple[DocumentRecord, tuple[Hit, ...]]:
        """A file that is its recipient's alone, and what of it names somebody else.

        Raises:
            NoFileError: it cannot be read.
        """
        try:
            part = enclosed(None, str(own.path), own.path.name)
        except JobError as error:
            raise NoFileError(error.what, where=error.where, fix=error.fix) from error
        layouts.unsearched += part.found.unsearched
        hits = self._kit.watch.search(
            order.owners, f"the enclosure {own.name}", part.found, own=self._own_figures(order)
        )
        self._kit.store.put(part.data)
        return replace(part, name=own.name).record(document.name for document in documents), hits

    def _own_figures(self, order: Order) -> Callable[[], Iterable[str]]:
        """The recipient's figures as they may stand in a file; asked only where something was found."""
        figures = cast("Mapping[str, object]", order.names.get("figures", {}))
        house = self._languages.of(order.locale).wording.house
        return lambda: (house.plain(value) for value in figures.values() if value is not None)

    def _inserted(self, look: Look, part: PartPlan, rows: Slice) -> Layout | None:
        """The pages of an arrival among other parts of a document; None for a report."""
        arrival = self._parts.kit(part.report)
        if arrival is None:
            return None
        return self._parts.layout(arrival, came(part, rows, arrival.view), part.slice, look)

    def _with_parts(
        self, plan: DocumentPlan, layouts: Layouts, drawn: Drawn, look: Look
    ) -> tuple[Drawn, tuple[Cause, str] | None]:
        """A document with the pages of arrivals in their places, and why it must not leave."""
        inserted, held = [], None
        for at, part in enumerate(plan.parts):
            if (arrival := self._parts.kit(part.report)) is not None:
                rows = layouts.came(replace(plan, parts=(part,)), arrival.view)
                inserted.append((at, arrival, rows))
                held = held or _unsearchable(arrival, *self._parts.pictures(arrival, rows))
        return self._parts.put_in(drawn, inserted, look), held

    def _kept(self, plan: DocumentPlan, drawn: Drawn, rows: int) -> DocumentRecord:
        """The document as it is kept; read back before it is locked, since nobody can afterwards, and signed last."""
        content = None
        if plan.lock is not None:
            content = hashlib.sha256(drawn.data).hexdigest()
            drawn = replace(drawn, data=protected(drawn.data, plan.format, plan.lock))
        if plan.signer:
            content = content or hashlib.sha256(drawn.data).hexdigest()
            opens = plan.lock.open if plan.lock is not None else ""
            drawn = replace(drawn, data=sign_pdf(drawn.data, self._signers[plan.signer], opens))
        digest = self._kit.store.put(drawn.data)
        return DocumentRecord(
            name=plan.file_name,
            report=plan.report,
            format=plan.file_name.rpartition(".")[2].casefold() or "bin" if plan.format == "file" else plan.format,
            sha256=digest,
            bytes=len(drawn.data),
            pages=drawn.pages,
            rows=rows,
            content=content or digest,
        )


def _unsearchable(
    arrival: ArrivalKit, pictures: int, pages: int, found: ReadBack | None = None
) -> tuple[Cause, str] | None:
    """Why a part that nobody can search must not leave; None where it may."""
    if arrival.accepts_pictures:
        return None
    if pictures:
        what = "are pictures" if pictures > 1 else "is a picture"
        return Cause.PICTURES, f"{pictures} of {pages} pages of '{arrival.name}' {what} only, which nobody can search"
    if found is not None and found.unsearched and not any(texts for _, texts in found.parts):
        return Cause.PICTURES, f"a part of '{arrival.name}' cannot be searched: {found.unsearched[0]}"
    return None


def _read_back(data: bytes, name: str) -> ReadBack:
    """What a part of an arrival says.

    Raises:
        NoPartError: it is not what its name says.
    """
    try:
        return checks.read_any(data, name)
    except ValueError as error:
        raise NoPartError(f"{name} cannot be read: {error}") from error


def _lacks_pages(plans: Sequence[PlacePlan], documents: Sequence[DocumentRecord]) -> bool:
    return any(plan.what == "pages" for plan in plans) and all(document.format != "pdf" for document in documents)


def _files(order: Order, documents: Sequence[DocumentRecord]) -> list[HandOverRecord]:
    """The files that are put into folders, and the PDFs that are printed; each with the key whose it is."""
    return [
        HandOverRecord(
            kind=HandOverKind.FILE if plan.what == "files" else HandOverKind.PRINT,
            target=plan.target(document.name, key),
            way=plan.way,
            existing=plan.existing,
            sha256=document.sha256,
        )
        for plan in order.places
        if plan.what != "messages"
        for document, key, ways in zip(documents, order.keys_of_files, order.ways_of_files, strict=True)
        if plan.way in ways and (plan.what == "files" or document.format == "pdf")
    ]
