"""Which packages of a run are meant: by key, by state, by reason, by a condition; all that is said must hold."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gonnet.errors import RunError, typed
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.pipeline.sending.choosing import require_prepared
from gonnet.pipeline.surveying.picking import picked_of
from gonnet.pipeline.tools import Tools


@dataclass(frozen=True, slots=True, kw_only=True)
class Selection:
    """Which packages are meant.

    Attributes:
        keys: Keys, patterns, ranges and `@FILE`; any where there are none.
        states: States; any where there are none.
        because: What stands in the reason, without regard to case.
        where: A condition, in SQL over the packages and the list.
        leak: The value for which alone they are held: the leak check found it and no other.
    """

    keys: tuple[str, ...] = ()
    states: tuple[str, ...] = ()
    because: str = ""
    where: str = ""
    leak: str = ""

    @property
    def is_empty(self) -> bool:
        """Whether it says nothing, and so would mean all."""
        return self == Selection()

    def names(self, package: PackageRecord) -> bool:
        """Whether somebody wrote down its key, and so meant this one and no other."""
        return package.key in self.keys


def selected(run: RunRecord, tools: Tools, wanted: Selection) -> tuple[PackageRecord, ...]:
    """The packages that are meant, in key order; at least one.

    Raises:
        RunError: the run was not prepared to its end, has no package of a key, or none is so.
        DataError: nothing is like a pattern, or the condition does not run.
    """
    require_prepared(run)
    keys = picked_of(run, tools, wanted.keys) if wanted.keys else ()
    packages = tools.ledger.packages(run.id, tuple(dict.fromkeys(keys)))
    found = [package for package in packages if _is_so(package, wanted)]
    if wanted.where and found:
        from gonnet.pipeline.reviewing.conditions import for_which  # an engine is loaded only where there is one

        there = for_which(run, tools, found, wanted.where)
        found = [package for package in found if package.key in there]
    if not found:
        what = f"no package of run {run.id} is so: {'; '.join(_said(wanted))}"
        raise RunError(what, fix=f"`{typed('review', run.id)}` lists them all")
    return tuple(found)


def _is_so(package: PackageRecord, wanted: Selection) -> bool:
    is_in_state = not wanted.states or str(package.state) in wanted.states or package.came_to in wanted.states
    if wanted.leak and not (package.state is State.HELD and {hit.value for hit in package.hits} == {wanted.leak}):
        return False
    return is_in_state and wanted.because.casefold() in package.reason.casefold()


def _said(wanted: Selection) -> Iterator[str]:
    if wanted.keys:
        yield ", ".join(wanted.keys)
    if wanted.states:
        yield f"{' or '.join(wanted.states)}"
    if wanted.because:
        yield f"because of '{wanted.because}'"
    if wanted.where:
        yield f"where {wanted.where}"
    if wanted.leak:
        yield f"held for '{wanted.leak}' alone"
