"""The seal: what was reviewed is what is sent. One way to take it, for making, for changing by hand and for sending."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence

from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import DocumentRecord, HandOverRecord, MessageRecord
from gonnet.ledger.states import HandOverKind

_CANONICAL = json.JSONEncoder(ensure_ascii=True, separators=(",", ":"), sort_keys=True)
_BEFORE = {TargetKind.MAILBOX: "imap:", TargetKind.PRINTER: "printer:"}  # as seals of earlier ledgers have it


def seal_of(
    key: str,
    documents: Sequence[DocumentRecord],
    messages: Sequence[MessageRecord],
    hand_overs: Sequence[HandOverRecord],
) -> str:
    """One SHA-256 (hexadecimal) over all that leaves with a package.

    Args:
        key: The package's key.
        documents: File name and SHA-256 of each count.
        messages: Message-ID, SHA-256, envelope addresses and attached files of each count.
        hand_overs: Where everything goes counts, and the SHA-256 of what is put there.
    """
    envelopes: dict[str, list[str]] = {}
    for part in hand_overs:
        if part.kind is HandOverKind.MESSAGE:
            envelopes.setdefault(part.message_id, []).append(part.target.name)
    canonical = _CANONICAL.encode(
        {
            "key": key,
            "documents": [[document.name, document.sha256] for document in documents],
            "messages": [[m.message_id, m.sha256, envelopes.get(m.message_id, []), list(m.files)] for m in messages],
            "filings": [
                [_folder(part.target), part.target.place, part.sha256]
                for part in hand_overs
                if part.kind is not HandOverKind.MESSAGE
            ],
        }
    )
    return hashlib.sha256(canonical.encode("ascii")).hexdigest()


def _folder(target: Target) -> str:
    return _BEFORE.get(target.kind, "") + target.name
