"""The lasting record of runs, packages and deliveries, and the store of rendered files."""

from gonnet.ledger.book import Ledger
from gonnet.ledger.records import DeliveryRecord, DocumentRecord, MessageRecord, PackageRecord, RunRecord, State
from gonnet.ledger.store import Store
from gonnet.ledger.writing import RunWriter

__all__ = [
    "DeliveryRecord",
    "DocumentRecord",
    "Ledger",
    "MessageRecord",
    "PackageRecord",
    "RunRecord",
    "RunWriter",
    "State",
    "Store",
]
