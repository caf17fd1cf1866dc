"""Which packages of a very large run a page shows: what is striking, and some of each kind of the rest."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass

from gonnet.ledger import PackageRecord, State
from gonnet.ledger.reading import chosen

MOST = 10_000
"""So many packages a page has room for."""

_OF_EACH = 20
_OPEN = (State.UNSURE, State.FAILED, State.HELD)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sample:
    """What is shown of a run.

    Attributes:
        shown: The packages, in the order in which they were given.
        striking: How many need a decision, are odd or have changed, of all.
        is_whole: Whether it is all packages.
        has_all_striking: Whether all that are striking are among them.
    """

    shown: Sequence[PackageRecord]
    striking: int
    is_whole: bool
    has_all_striking: bool


def sample(packages: Sequence[PackageRecord], changed: Collection[str]) -> Sample:
    """All packages where they are few; else what is striking, and the first of each kind of the rest.

    Of one kind are packages to which the same rules apply, which get the same message and are in the same state.

    Args:
        packages: The packages, what needs a decision first.
        changed: The keys of those that are otherwise than in the run before.
    """
    if len(packages) <= MOST:
        return Sample(shown=packages, striking=0, is_whole=True, has_all_striking=True)
    kinds: Counter[tuple[object, ...]] = Counter()
    striking = others = 0

    def is_shown(package: PackageRecord) -> bool:
        nonlocal striking, others
        if package.state in _OPEN or package.odd or package.hits or package.key in changed:
            striking += 1
            return striking <= MOST
        kind = _kind(package)
        kinds[kind] += 1
        if kinds[kind] > _OF_EACH or others >= MOST:
            return False
        others += 1
        return True

    shown = chosen(packages, (package for package in packages if is_shown(package)))
    return Sample(shown=shown, striking=striking, is_whole=False, has_all_striking=striking <= MOST)


def _kind(package: PackageRecord) -> tuple[object, ...]:
    rules = tuple(rule for rule, held, *_ in package.steps if held)
    return package.state, rules, tuple(message.called for message in package.messages), package.ways
