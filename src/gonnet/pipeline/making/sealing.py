"""The seal of what is kept of a package: one way to take it, for making, for changing by hand and for sending."""

from __future__ import annotations

from collections.abc import Sequence

from gonnet.ledger import DocumentRecord, MessageRecord
from gonnet.ledger.records import FilingRecord
from gonnet.packages import seal_of


def seal_of_records(
    key: str,
    documents: Sequence[DocumentRecord],
    messages: Sequence[MessageRecord],
    filings: Sequence[FilingRecord],
) -> str:
    """The seal over all that leaves with a package, as it is kept."""
    return seal_of(
        key,
        [(document.name, document.sha256) for document in documents],
        [(m.message_id, m.sha256, [part.address for part in m.deliveries], m.files) for m in messages],
        [(filing.root, filing.place, filing.sha256) for filing in filings],
    )
