"""What two processes write of the calendar at the same moment is there once."""

from __future__ import annotations

import datetime as dt
import threading
from pathlib import Path

from gonnet.errors import StorageError
from gonnet.ledger import Ledger
from gonnet.ledger.calendar import OccurrenceState

NOW = dt.datetime(2026, 11, 30, 8, tzinfo=dt.UTC)


def test_two_that_enter_the_same_at_once_enter_it_once(tmp_path: Path) -> None:
    dates = [f"2026-11-{day:02d}T08:00" for day in range(1, 29)]
    together, troubles = threading.Barrier(2, timeout=30), list[BaseException]()

    def enter(ledger: Ledger) -> None:
        try:
            for at in dates:
                together.wait()
                ledger.entries.keep(at, {"monday": {"every": "monday"}}, NOW)
                (entry,) = [one for one in ledger.entries.all() if one.job == at]
                together.wait()
                ledger.occurrences.enter(entry, [(at, NOW, OccurrenceState.WAITING, "")], NOW)
        except (StorageError, ValueError, threading.BrokenBarrierError) as error:
            troubles.append(error)
            together.abort()

    ledgers = [Ledger(tmp_path, lambda: NOW) for _ in range(2)]
    callers = [threading.Thread(target=enter, args=(ledger,)) for ledger in ledgers]
    for caller in callers:
        caller.start()
    for caller in callers:
        caller.join()
    assert troubles == []
    assert sorted(one.named for one in ledgers[0].occurrences.open()) == dates
    for ledger in ledgers:
        ledger.close()
