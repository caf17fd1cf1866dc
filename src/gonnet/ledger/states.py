"""The states of packages and hand-overs, and every change of state that is allowed: the one place that says so."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from gonnet.jobs.targets import TargetKind


class State(StrEnum):
    """The state of a package."""

    READY = "ready"
    HELD = "held"
    SKIPPED = "skipped"
    SENT = "sent"
    FAILED = "failed"
    UNSURE = "unsure"


class RunState(StrEnum):
    """The state of a run."""

    PREPARING = "preparing"
    PREPARED = "prepared"
    ABORTED = "aborted"


class Purpose(StrEnum):
    """Why something is handed over.

    `REGULAR` is what a run is for; `EXTRA` is sent once more because somebody asked; `TRIAL` goes to addresses of
    one's own; `SUMMARY` tells an administrator what became of a send.
    """

    REGULAR = "regular"
    EXTRA = "extra"
    TRIAL = "trial"
    SUMMARY = "summary"


class HandOverKind(StrEnum):
    """What is handed over."""

    MESSAGE = "message"
    FILE = "file"
    DRAFT = "draft"
    PRINT = "print"


class HandOverState(StrEnum):
    """The state of one hand-over.

    `BEGUN` is the intent: it is written right before the body of a message is offered, a file is put, a page is
    printed, and replaced by the outcome. One that is found with nobody at work on it was cut off.
    """

    WAITING = "waiting"
    BEGUN = "begun"
    SENT = "sent"
    FILED = "filed"
    DRAFTED = "drafted"
    PRINTED = "printed"
    DEFERRED = "deferred"  # refused for now: the next send tries it again
    REFUSED = "refused"  # refused for good
    UNSURE = "unsure"  # cut off before the answer: a person decides
    CLOSED = "closed"  # a person decided that it does not leave

    @property
    def is_open(self) -> bool:
        """Whether the next send tries it."""
        return self in (HandOverState.WAITING, HandOverState.DEFERRED)


_S = HandOverState
DONE = {
    HandOverKind.MESSAGE: _S.SENT,
    HandOverKind.FILE: _S.FILED,
    HandOverKind.DRAFT: _S.DRAFTED,
    HandOverKind.PRINT: _S.PRINTED,
}
"""What a hand-over of each kind is when it is done."""

OVER = frozenset({*DONE.values(), _S.CLOSED})
"""What of a hand-over is over: nothing of it may still leave, and nobody is in doubt."""

AS_TOLD = (_S.SENT, _S.PRINTED, _S.FILED, _S.DRAFTED)
"""How a package that was sent is told of: by the first of these that something of it came to."""

LETTERS = frozenset({_S.SENT, _S.FILED, _S.PRINTED})
"""What counts as received: a draft does not until somebody says that it was sent."""

TAKEN = frozenset({*DONE.values(), _S.BEGUN, _S.UNSURE})
"""What left, or may have left: it is not handed over a second time."""

MOVES: Mapping[HandOverState, frozenset[HandOverState]] = {
    _S.WAITING: frozenset({_S.BEGUN, _S.DEFERRED, _S.REFUSED, _S.CLOSED}),
    _S.DEFERRED: frozenset({_S.BEGUN, _S.DEFERRED, _S.REFUSED, _S.WAITING, _S.CLOSED}),
    _S.BEGUN: frozenset({*DONE.values(), _S.DEFERRED, _S.REFUSED, _S.UNSURE, _S.WAITING, _S.CLOSED}),
    # An answer may still come where a sender was held for dead.
    _S.UNSURE: frozenset({*DONE.values(), _S.DEFERRED, _S.REFUSED, _S.WAITING, _S.CLOSED}),
    _S.REFUSED: frozenset({_S.WAITING, _S.CLOSED}),
    _S.DRAFTED: frozenset({_S.SENT, _S.WAITING, _S.CLOSED}),
    _S.SENT: frozenset(),
    _S.FILED: frozenset(),
    _S.PRINTED: frozenset(),
    _S.CLOSED: frozenset(),
}
"""State of a hand-over → the states that it may come to next."""

BY_HAND: Mapping[State, tuple[State, ...]] = {
    State.HELD: (State.READY,),
    State.READY: (State.HELD, State.SKIPPED),
    State.SKIPPED: (State.READY, State.HELD),
}
"""State to which a person may bring a package → from which ones. All others follow from its hand-overs."""


def origins(state: HandOverState) -> tuple[HandOverState, ...]:
    """The states from which a hand-over may come to `state`."""
    return tuple(before for before, after in MOVES.items() if state in after)


def is_in_doubt(target: TargetKind, state: HandOverState) -> bool:
    """Whether nobody knows if a hand-over left: its intent is written and no answer."""
    return state is _S.UNSURE or (state is _S.BEGUN and not target.is_repeatable)


def package_state(hand_overs: Iterable[tuple[TargetKind, HandOverState]]) -> State:
    """The state that its hand-overs give a package that was released.

    One in doubt makes the package unsure, one refused makes it failed; it is sent when all are done. What a person
    closed does not count; where everything is closed, nothing is sent.
    """
    given = list(hand_overs)
    parts = [(target, state) for target, state in given if state is not _S.CLOSED]
    states = {state for _, state in parts}
    if given and not parts:
        return State.SKIPPED
    if any(is_in_doubt(target, state) for target, state in parts):
        return State.UNSURE
    if states & {_S.REFUSED, _S.DEFERRED}:
        return State.FAILED
    return State.SENT if parts and states <= set(DONE.values()) else State.READY
