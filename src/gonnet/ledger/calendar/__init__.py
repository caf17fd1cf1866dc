"""What the ledger knows of the calendar: entries, occurrences, pauses, and notices to administrators."""

from gonnet.ledger.calendar.entries import Entries
from gonnet.ledger.calendar.notices import Notices
from gonnet.ledger.calendar.occurrences import Occurrences
from gonnet.ledger.calendar.pauses import Pauses
from gonnet.ledger.calendar.records import (
    EntryRecord,
    Notice,
    NoticeRecord,
    OccurrenceRecord,
    OccurrenceState,
    PauseRecord,
)

__all__ = [
    "Entries",
    "EntryRecord",
    "Notice",
    "NoticeRecord",
    "Notices",
    "OccurrenceRecord",
    "OccurrenceState",
    "Occurrences",
    "PauseRecord",
    "Pauses",
]
