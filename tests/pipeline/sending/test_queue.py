"""Several who send one run: what another one tried meanwhile is not tried again at once."""

from __future__ import annotations

from collections.abc import Collection
from contextlib import suppress
from dataclasses import replace
from typing import Any, cast

from gonnet.ledger import PackageRecord
from gonnet.ledger.states import HandOverState
from gonnet.pipeline.sending.queue import Queue
from gonnet.pipeline.stopping import Stop
from recorded import package


class Others:
    """A share and a ledger in which others have some packages at first, and have tried them afterwards."""

    is_sole = False

    def __init__(self, first: set[int], now: dict[int, PackageRecord]) -> None:
        self._taken, self._now = first, now

    def claim(self, numbers: Collection[int]) -> frozenset[int]:
        free = frozenset(numbers) - self._taken
        with suppress(KeyError):
            self._taken.pop()
        return free

    def give_back(self, numbers: Collection[int]) -> None:
        """Nobody asks."""

    def packages_now(self, numbers: Collection[int]) -> tuple[PackageRecord, ...]:
        return tuple(self._now[number] for number in sorted(numbers))


def test_what_others_tried_is_left_and_what_they_had_not_begun_is_taken() -> None:
    shown = [replace(package(str(at), f"f{at}@x.example"), id=at) for at in range(1, 5)]
    part = shown[1].hand_overs[0]
    refused = replace(part, state=HandOverState.DEFERRED, attempts=part.attempts + 1)
    now = {one.id: one for one in shown} | {2: replace(shown[1], hand_overs=(refused,))}
    others = cast("Any", Others({3}, now))
    queue = Queue(shown, others, others, Stop())
    assert [one.id for one in iter(queue.next, None)] == [1, 4, 3]
