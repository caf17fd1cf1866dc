"""What the operator asks for with a run."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from gonnet.ledger.states import Purpose


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What the operator asked for with a run.

    Attributes:
        as_of: The date the run is made for.
        asked: Parameter → text, as given with `--set`.
        only: Keys to which the run is limited, also by pattern, range, file and condition; empty for all.
        guarded: Whether the guard of the job may hold the run.
        purpose: Why it is made.
        occurrence: The occurrence of the calendar that it is of, or None.
        once: What is different for this run alone, in words; empty where nothing is.
        ways: Key → the ways by which it goes, whatever lists and rules say.
        people: Key → list and line of the contact who gets it, whomever the list chooses.
        sample: How many rows of each query to a database are read, to check the job without waiting; None for all.
    """

    as_of: dt.date
    asked: Mapping[str, str]
    only: tuple[str, ...] = ()
    guarded: bool = True
    purpose: Purpose = Purpose.REGULAR
    occurrence: int | None = None
    once: str = ""
    ways: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    people: Mapping[str, tuple[str, int]] = field(default_factory=dict)
    sample: int | None = None
