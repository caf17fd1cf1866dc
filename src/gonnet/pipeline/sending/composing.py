"""Messages made whole when their turn comes: read, checked against the seal and composed."""

from __future__ import annotations

from gonnet import delivery
from gonnet.delivery import Attachment
from gonnet.errors import SealError
from gonnet.ledger import MessageRecord, PackageRecord
from gonnet.pipeline.seal import seal_of
from gonnet.pipeline.tools import Tools


class Composer:
    """Composes the messages of one package, each once.

    Args:
        package: The package.
        tools: The tools.

    Raises:
        SealError: something is not what was reviewed.
    """

    def __init__(self, package: PackageRecord, tools: Tools) -> None:
        self._tools = tools
        self._files = unsealed(package, tools)
        self._messages = {message.message_id: message for message in package.messages}
        self._made: dict[str, bytes] = {}

    def message(self, message_id: str) -> MessageRecord:
        """What the ledger knows of a message."""
        return self._messages[message_id]

    def composed(self, message_id: str) -> bytes:
        """All of a message, as it is handed over.

        Raises:
            SealError: something is not what was reviewed.
        """
        if message_id not in self._made:
            message, tools = self._messages[message_id], self._tools
            attached = [self._files[name] for name in message.files]
            self._made[message_id] = delivery.compose(tools.store.get(message.sha256), attached, tools.clock())
        return self._made[message_id]


def unsealed(package: PackageRecord, tools: Tools) -> dict[str, Attachment]:
    """Name → the file, of those that are attached: each checked against its digest and all against the seal.

    Raises:
        SealError: something is not what was reviewed.
    """
    if seal_of(package.key, package.documents, package.messages, package.hand_overs) != package.seal:
        raise SealError("the record of this package was changed after the review", fix="Prepare it again")
    attached = {name for message in package.messages for name in message.files}
    return {
        document.name: Attachment(name=document.name, format=document.format, data=tools.store.get(document.sha256))
        for document in package.documents
        if document.name in attached
    }
