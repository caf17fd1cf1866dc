"""What a send of a run would hand over."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from gonnet.errors import RunError, typed
from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord, State
from gonnet.ledger.past import TakenElsewhere
from gonnet.ledger.reading import those
from gonnet.ledger.states import Purpose, RunState
from gonnet.pipeline.surveying.picking import picked_of
from gonnet.pipeline.tools import Tools
from gonnet.remembering import SeenTexts

NOT_SENT = "is a rehearsal, which is not sent"


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """What a send would hand over.

    Attributes:
        packages: Those of which something leaves: ready ones, and what was refused only for now.
        earlier: Key → run, of those of which something is left out, since it left in another run of the same cycle.
        taken: All that left in other runs of the cycle.
        marks: What they were when they were chosen, and all that leaves.
    """

    packages: Sequence[PackageRecord]
    earlier: Mapping[str, int] = field(default_factory=dict)
    taken: TakenElsewhere = field(default_factory=TakenElsewhere)
    marks: SeenTexts = field(default_factory=SeenTexts)

    def parts(self, package: PackageRecord) -> tuple[HandOverRecord, ...]:
        """What of a package leaves."""
        return tuple(part for part in package.waiting if _taken(package, part, self.taken) is None)

    def everything(self) -> Iterator[HandOverRecord]:
        """All that leaves, package by package."""
        return (part for package in self.packages for part in self.parts(package))


See = Callable[[PackageRecord, Sequence[HandOverRecord]], None]
"""Shown each package of which something leaves, with what that is."""


def choose(
    run: RunRecord,
    tools: Tools,
    only: Sequence[str] = (),
    *,
    again: bool = False,
    states: Collection[State] = (),
    see: See = lambda _package, _parts: None,
) -> Choice:
    """What a send would hand over of a run.

    Args:
        run: The run.
        tools: The tools.
        only: The keys to which it is limited; empty for all.
        again: Whether what left in other runs of the same cycle leaves too.
        states: The states of packages to which it is limited; empty for all.
        see: Shown all that leaves, while it is gone through.

    Raises:
        RunError: the run was not prepared to its end, is a rehearsal, or its job delivers nothing.
    """
    require_prepared(run)
    if run.purpose is Purpose.TRIAL:
        raise RunError(f"run {run.id} {NOT_SENT}", fix=f"`{typed('prepare', run.job)}` makes one that is sent")
    packages = tools.ledger.packages(run.id, picked_of(run, tools, only), states)
    _require_delivers(run, packages)
    is_free = again or run.purpose is not Purpose.REGULAR
    taken = TakenElsewhere() if is_free else tools.ledger.taken_elsewhere(run)
    return _parted(packages, taken, see)


def _parted(
    packages: Sequence[PackageRecord], taken: TakenElsewhere, see: See = lambda _package, _parts: None
) -> Choice:
    """The packages of which something leaves, and what of them left elsewhere."""
    earlier: dict[str, int] = {}
    marks = SeenTexts()

    def leaves(package: PackageRecord) -> bool:
        runs = [(part, _taken(package, part, taken)) for part in package.waiting]
        if (number := next((number for _, number in runs if number is not None), None)) is not None:
            earlier[package.key] = number
        leaving = [part for part, number in runs if number is None]
        if leaving:
            for mark in (f"{package.id} {package.seal}", *(f"part {part.id}" for part in leaving)):
                marks.add(mark)
            see(package, leaving)
        return bool(leaving)

    return Choice(packages=those(packages, leaves), earlier=earlier, taken=taken, marks=marks)


def sent_already(run: RunRecord, tools: Tools) -> dict[str, int]:
    """Key → the other run of the same cycle in which its package was sent, of those that are ready."""
    if run.purpose is not Purpose.REGULAR or run.state is not RunState.PREPARED:
        return {}
    taken = tools.ledger.taken_elsewhere(run)
    packages = tools.ledger.packages(run.id, states=(State.READY,)) if taken else ()
    found = _parted(packages, taken)
    left = {package.key for package in found.packages}
    return {key: number for key, number in found.earlier.items() if key not in left}


def _taken(package: PackageRecord, part: HandOverRecord, taken: TakenElsewhere) -> int | None:
    return taken.of(package, part) if part.purpose is Purpose.REGULAR else None


def require_prepared(run: RunRecord) -> None:
    """See that a run can be handed over.

    Raises:
        RunError: it was not prepared to its end.
    """
    if run.state is not RunState.PREPARED:
        what = "is being prepared" if run.state is RunState.PREPARING else "was aborted before its end"
        raise RunError(f"run {run.id} {what}", fix=f"Run `{typed('prepare', run.job)}` again")


def _require_delivers(run: RunRecord, packages: Sequence[PackageRecord]) -> None:
    """A job with packages that are ready, and nobody and nothing to hand them to, is a job for looking only."""
    if not any(package.hand_overs for package in packages) and any(one.state is State.READY for one in packages):
        raise RunError(
            f"the job '{run.job}' of run {run.id} delivers nothing",
            fix="Give it `recipients`, `messages` and `deliver`, and prepare it again",
        )
