"""How a person's decision about packages of a run is carried out: which, what becomes of each, asked, all or none."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from gonnet.errors import RunError
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.ledger.changes import Change, Move
from gonnet.pipeline.reviewing.selecting import Selection, selected
from gonnet.pipeline.tools import Tools

Plan = Callable[[PackageRecord], Sequence[Change]]
"""What becomes of a package; raises RunError where it cannot be."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Intention:
    """What is about to be changed.

    Attributes:
        run: The run.
        changes: What becomes of which package, in order.
        left_out: Packages that are meant and cannot be changed so, each with the reason.
        is_named: Whether somebody wrote down the key of every package.
    """

    run: RunRecord
    changes: tuple[Change, ...]
    left_out: tuple[tuple[PackageRecord, RunError], ...]
    is_named: bool

    @property
    def packages(self) -> tuple[PackageRecord, ...]:
        """The packages that are changed, as they were before, each once."""
        found: dict[str, PackageRecord] = {}
        for change in self.changes:
            found.setdefault(change.package.key, change.package)
        return tuple(found.values())

    @property
    def released_hits(self) -> tuple[PackageRecord, ...]:
        """The packages that may leave afterwards, although the leak check found something in them."""
        freed = {change.package.key for change in self.changes if isinstance(change, Move) and change.to is State.READY}
        return tuple(package for package in self.packages if package.key in freed and package.hits)


Ask = Callable[[Intention], bool]
"""Asked whether it may be done."""


def agreed(_intention: Intention) -> bool:
    """Somebody agreed already."""
    return True


def decide(run: RunRecord, tools: Tools, which: Selection, plan: Plan, ask: Ask = agreed) -> tuple[PackageRecord, ...]:
    """Carry out a decision about packages: all that is planned in one transaction, or nothing.

    What is meant by its key and cannot be is a mistake; what is meant otherwise and cannot be is left out, and told.

    Args:
        run: The run.
        tools: The tools.
        which: Which packages.
        plan: What becomes of each.
        ask: Asked with all of it before anything is changed.

    Returns:
        The packages that were changed, as they are now; none where the answer was no.

    Raises:
        RunError: no package is meant, one cannot be changed so, or was changed meanwhile.
        DataError: as for `selected`.
        BusyError: the run is being sent.
    """
    with tools.ledger.rights.alone(run):  # who cannot do it is not asked
        packages = selected(run, tools, which)
        changes, left_out = _planned(packages, which, plan)
    if not changes:
        first = left_out[0][1]
        many = f"none of these {len(left_out)} packages can be changed so: " if len(left_out) > 1 else ""
        raise RunError(f"{many}{first.what}", where=first.where, fix=first.fix)
    is_named = all(map(which.names, packages))
    intention = Intention(run=run, changes=tuple(changes), left_out=tuple(left_out), is_named=is_named)
    return carry_out(intention, tools) if ask(intention) else ()


def _planned(
    packages: Sequence[PackageRecord], which: Selection, plan: Plan
) -> tuple[list[Change], list[tuple[PackageRecord, RunError]]]:
    changes: list[Change] = []
    left_out: list[tuple[PackageRecord, RunError]] = []
    for package in packages:
        try:
            changes += plan(package)
        except RunError as error:
            if which.names(package):
                raise
            left_out.append((package, error))
    return changes, left_out


def carry_out(intention: Intention, tools: Tools) -> tuple[PackageRecord, ...]:
    """Make the changes; the packages as they are now.

    Raises:
        RunError: a package was changed since.
        BusyError: the run is being sent.
    """
    run = intention.run
    with tools.ledger.rights.alone(run):
        now = tools.ledger.changes.enter(run.id, intention.changes)
    for change in intention.changes:
        tools.log.say("changed by hand", run=run.id, package=change.package.id, kind=type(change).__name__.casefold())
    return now
