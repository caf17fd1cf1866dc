"""Messages made whole when their turn comes: read, checked against the seal and composed."""

from __future__ import annotations

from gonnet import delivery
from gonnet.delivery import Attachment
from gonnet.errors import SealError
from gonnet.ledger import MessageRecord, PackageRecord
from gonnet.pipeline.tools import Tools


class Composer:
    """Composes the messages of one package, each once.

    Args:
        package: The package.
        tools: The tools.
        run_id: Its run.

    Raises:
        SealError: something is not what was reviewed.
    """

    def __init__(self, package: PackageRecord, tools: Tools, run_id: int) -> None:
        self._tools = tools
        self._files = unsealed(package, tools, run_id, leaves=True)
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


def unsealed(package: PackageRecord, tools: Tools, run_id: int, *, leaves: bool = False) -> dict[str, Attachment]:
    """Name → the file, of those that are attached: each checked against its digest and all against the seal.

    Args:
        package: The package.
        tools: The tools.
        run_id: Its run.
        leaves: Whether it is to leave, and so must have been sealed as ready.

    Raises:
        SealError: something is not what was reviewed.
    """
    if (trouble := tools.seals.trouble(package, run_id, leaves=leaves)) is not None:
        raise SealError(f"this package is not sent: {trouble}" if leaves else trouble, fix="Prepare it again")
    attached = {name for message in package.messages for name in message.files}
    return {
        document.name: Attachment(name=document.name, format=document.format, data=tools.store.get(document.sha256))
        for document in package.documents
        if document.name in attached
    }
