"""The packages of a send, one after the other. Where several processes send one run, each takes what no other has."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator, Sequence
from itertools import islice

from gonnet.ledger import Ledger, PackageRecord
from gonnet.ledger.bases import Share
from gonnet.ledger.reading import those
from gonnet.pipeline.stopping import Stop

_PAUSE = 0.5  # seconds between two looks at what others have
_TOGETHER = 8  # packages that are claimed at once: few, so that the last of a run are shared out too


class Queue:
    """What is still to be handed over; several threads may take from it.

    Args:
        packages: The packages, as they were shown.
        share: This process's part in the sending.
        ledger: Says what others did with them meanwhile.
        stop: Says when nothing more is to be begun.

    Attributes:
        ended: Set once nothing more is to be taken.
    """

    def __init__(self, packages: Sequence[PackageRecord], share: Share, ledger: Ledger, stop: Stop) -> None:
        self.ended = threading.Event()
        self._share, self._ledger, self._stop = share, ledger, stop
        self._lock = threading.Lock()
        self._done: deque[int] = deque()  # without the lock, which another holds while it waits
        self._rest = iter(packages) if share.is_sole else self._claimed(packages)

    def next(self) -> PackageRecord | None:
        """The next package, waited for while others may leave some; None where nothing more is to be begun."""
        with self._lock:
            return next(self._rest, None) if self._may_go_on() else None

    def done(self, package: PackageRecord) -> None:
        """Let others have a package that this process is done with."""
        self._done.append(package.id)

    def _may_go_on(self) -> bool:
        return not (self.ended.is_set() or self._stop.asked)

    def _claimed(self, packages: Sequence[PackageRecord]) -> Iterator[PackageRecord]:
        """What no other process has; and, should one of them die, what it had and had not begun."""
        left = packages
        while left and self._may_go_on():
            missed = set[int]()
            every = iter(left)
            while block := list(islice(every, _TOGETHER)):
                mine = self._claim(block)
                missed |= {package.id for package in block if package.id not in mine}
                yield from (mine[was.id] for was in block if was.id in mine and _is_left(mine[was.id], was))
            if missed and len(missed) == len(left):
                self.ended.wait(_PAUSE)
            left = those(left, lambda package: package.id in missed)  # noqa: B023  asked at once

    def _claim(self, block: Sequence[PackageRecord]) -> dict[int, PackageRecord]:
        done = [self._done.popleft() for _ in range(len(self._done))]
        self._share.give_back(done)
        claimed = self._share.claim([package.id for package in block])
        now = {package.id: package for package in self._ledger.packages_now(claimed)} if claimed else {}
        self._share.give_back([number for number, package in now.items() if not package.waiting])
        return now


def _is_left(package: PackageRecord, shown: PackageRecord) -> bool:
    """Whether nobody has tried something of a package since it was shown; what was refused for now has its own time."""
    tried = {part.id: part.attempts for part in shown.hand_overs}
    return any(part.attempts == tried.get(part.id) for part in package.waiting)
