"""Messages made whole when their turn comes: read, checked against the seal and composed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gonnet import delivery
from gonnet.delivery import Attachment
from gonnet.errors import SealError
from gonnet.ledger import MessageRecord, PackageRecord, State
from gonnet.pipeline.making.sealing import seal_of_records
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
