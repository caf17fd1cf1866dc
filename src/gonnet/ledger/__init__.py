"""The lasting record of runs, packages and hand-overs, and the store of rendered files."""

from gonnet.ledger.book import Ledger
from gonnet.ledger.records import (
    ContactRecord,
    DocumentRecord,
    HandOverRecord,
    HitRecord,
    MessageRecord,
    PackageRecord,
    RunRecord,
)
from gonnet.ledger.states import State
from gonnet.ledger.store import FolderStore, Store
from gonnet.ledger.writing import RunWriter

__all__ = [
    "ContactRecord",
    "DocumentRecord",
    "FolderStore",
    "HandOverRecord",
    "HitRecord",
    "Ledger",
    "MessageRecord",
    "PackageRecord",
    "RunRecord",
    "RunWriter",
    "State",
    "Store",
]
