"""What the packages of a run have in common, in one pass over them: of very many, a pass takes minutes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gonnet.ledger import PackageRecord, State

_STAYS = (State.HELD, State.SKIPPED)


@dataclass(frozen=True, slots=True, kw_only=True)
class Overview:
    """What is said of all packages together.

    Attributes:
        subjects: The subjects of their messages; the first two where there are more.
        sender: Who the first message is from; empty where there is none.
        places: Kind, kind of the place and its name → how many files, drafts and prints go there.
        released: How many packages people released since the run was prepared, and their rows.
        kept: The same of those that people held back or skipped.
        example: The key of the first that has a document; None where none has.
        can_leave: Whether something is ready to leave.
    """

    subjects: tuple[str, ...]
    sender: str
    places: Mapping[tuple[str, str, str], int]
    released: tuple[int, int]
    kept: tuple[int, int]
    example: str | None
    can_leave: bool


def overview(packages: Iterable[PackageRecord]) -> Overview:
    """Look at all packages once."""
    subjects, sender = dict[str, None](), ""
    places: Counter[tuple[str, str, str]] = Counter()
    released, kept = [0, 0], [0, 0]
    example: str | None = None
    can_leave = False
    for package in packages:
        for message in package.messages:
            sender = sender or message.sender
            if len(subjects) < 2:
                subjects[message.subject] = None
        example = package.key if example is None and package.documents else example
        can_leave = can_leave or (package.state is State.READY and bool(package.hand_overs))
        places.update(part.destination for part in package.placed)
        was, now = package.prepared_as in _STAYS, package.state in _STAYS
        decided = released if was and not now else kept if package.prepared_as is State.READY and now else None
        if decided is not None:
            decided[0] += 1
            decided[1] += package.rows
    return Overview(
        subjects=tuple(subjects),
        sender=sender,
        places=places,
        released=(released[0], released[1]),
        kept=(kept[0], kept[1]),
        example=example,
        can_leave=can_leave,
    )
