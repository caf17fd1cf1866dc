"""Messages made whole before their turn: read, checked and composed while those before them are handed over."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from types import TracebackType

from gonnet import delivery
from gonnet.delivery import Attachment
from gonnet.errors import SealError
from gonnet.ledger import MessageRecord, PackageRecord, State
from gonnet.pipeline.sealing import seal_of_records
from gonnet.pipeline.tools import Tools


@dataclass(frozen=True, slots=True, kw_only=True)
class Waiting:
    """A message on its way to one address.

    Attributes:
        message: What the ledger knows of it.
        delivery: Number of its delivery.
        address: To whom.
        data: All of it, as it is handed over.
    """

    message: MessageRecord
    delivery: int
    address: str
    data: bytes


class Ahead:
    """Packages in their order, with their messages, composed a few at a time ahead of those who ask; used in `with`.

    Reading, checking and composing need the processor, the disk and the server need patience: so neither waits for the
    other. No more than `count` are kept at a time. Several threads may ask.

    Args:
        packages: What is to be handed over.
        tools: The tools.
        count: How many to have ready.
    """

    def __init__(self, packages: Sequence[PackageRecord], tools: Tools, count: int) -> None:
        self._packages, self._tools = iter(packages), tools
        self._maker = ThreadPoolExecutor(1)
        self._lock = threading.Lock()
        self._made: deque[tuple[PackageRecord, Future[tuple[Waiting, ...]]]] = deque()
        for _ in range(count):
            self._order()

    def __enter__(self) -> Ahead:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._maker.shutdown(cancel_futures=True)

    def next(self) -> tuple[PackageRecord, Future[tuple[Waiting, ...]]] | None:
        """The next package and its messages, whose result raises SealError; None after the last."""
        with self._lock:
            found = self._made.popleft() if self._made else None
            self._order()
            return found

    def _order(self) -> None:
        package = next(self._packages, None)
        if package is not None:
            self._made.append((package, self._maker.submit(composed, package, self._tools)))


def composed(package: PackageRecord, tools: Tools) -> tuple[Waiting, ...]:
    """Everything of a package that is still to be mailed, made whole.

    Raises:
        SealError: something is not what was reviewed.
    """
    files = unsealed(package, tools)
    made: dict[int, bytes] = {}
    found = []
    for message, number, address in waiting_in(package):
        if message.id not in made:
            attached = [files[name] for name in message.files]
            made[message.id] = delivery.compose(tools.store.get(message.sha256), attached, tools.clock())
        found.append(Waiting(message=message, delivery=number, address=address, data=made[message.id]))
    return tuple(found)


def waiting_in(package: PackageRecord) -> Iterator[tuple[MessageRecord, int, str]]:
    """Message, delivery and address of everything of a package that is still to be handed over."""
    if package.state in (State.READY, State.FAILED, State.UNSURE):
        for message in package.messages:
            for part in message.deliveries:
                if part.state.is_open:
                    yield message, part.id, part.address


def unsealed(package: PackageRecord, tools: Tools) -> dict[str, Attachment]:
    """Name → the file, of those that are attached: each checked against its digest and all against the seal.

    Raises:
        SealError: something is not what was reviewed.
    """
    if seal_of_records(package.key, package.documents, package.messages, package.filings) != package.seal:
        raise SealError("the record of this package is no longer what was reviewed", fix="Prepare it again")
    attached = {name for message in package.messages for name in message.files}
    return {
        document.name: Attachment(name=document.name, format=document.format, data=tools.store.get(document.sha256))
        for document in package.documents
        if document.name in attached
    }
