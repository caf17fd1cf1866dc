"""The plans of a run: kept where they are few, made again each time they are gone through where they are many.

What plans are made of is a third of them, so that a run of many recipients needs no room for all of their plans.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator

from gonnet.packages import PackagePlan
from gonnet.rules import Outcome

_KEPT = 20_000  # plans


class Plans:
    """A plan for each package, in key order.

    Args:
        make: Makes them, from the first on, always the same.
        see: Shown each of them once.

    Attributes:
        states: What becomes of packages → how many, in the order in which it is first met.
        made: How many are made.
        bundles: How many bring keys together.
    """

    def __init__(
        self, make: Callable[[], Iterator[PackagePlan]], see: Callable[[PackagePlan], None] = lambda _plan: None
    ) -> None:
        self._make = make
        self.states: Counter[Outcome] = Counter()
        self.made = self.bundles = 0
        kept: list[PackagePlan] = []
        for plan in make():
            self.states[plan.state] += 1
            self.made += plan.is_made
            self.bundles += plan.is_bundle
            see(plan)
            if len(kept) <= _KEPT:
                kept.append(plan)
        self._kept = kept if len(kept) <= _KEPT else None

    def __len__(self) -> int:
        return self.states.total()

    def __iter__(self) -> Iterator[PackagePlan]:
        return iter(self._kept) if self._kept is not None else self._make()

    def only(self, keys: frozenset[str]) -> Plans:
        """Those of some keys."""
        return Plans(lambda: (plan for plan in self if plan.key in keys))
