"""The account of a run's rows as it is now: what people decided since it was prepared, and what left, counts."""

from __future__ import annotations

import copy
from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

from gonnet.ledger.states import State

BY_HAND = "held or skipped by hand"
_KEPT = (State.HELD, State.SKIPPED)

Share = Mapping[str, Mapping[str, Any]]
"""Data set (empty for the main one) → `rows`, `cause` (empty where they were to leave) and `sums` of a package."""


def account_now(account: Mapping[str, Any], packages: Iterable[tuple[State, Share]]) -> dict[str, Any]:
    """The account with every package's rows where they are now.

    Each part gets `sent`: how many of its `delivered` rows have left; and so does each of its control totals.

    Args:
        account: As the run was prepared.
        packages: State and share of each package.
    """
    found: dict[str, Any] = copy.deepcopy(dict(account))
    parts = {"": found} | found.get("others", {})
    for part in parts.values():
        part["sent"] = 0
        for control in part.get("controls", ()):
            control["sent"] = "0"
    for state, share in packages:
        for name, mine in share.items():
            if name in parts and mine["rows"]:
                _move(parts[name], state, mine)
    return found


def _move(part: dict[str, Any], state: State, mine: Mapping[str, Any]) -> None:
    rows, cause, withheld = mine["rows"], mine["cause"], part["withheld"]
    is_kept = state in _KEPT
    if is_kept and not cause:
        part["delivered"] -= rows
        withheld[BY_HAND] = withheld.get(BY_HAND, 0) + rows
        _shift(part, mine["sums"], "delivered", "withheld")
    elif cause and not is_kept:
        part["delivered"] += rows
        withheld[cause] = withheld.get(cause, 0) - rows
        if not withheld[cause]:
            del withheld[cause]
        _shift(part, mine["sums"], "withheld", "delivered")
    if state is State.SENT:
        part["sent"] += rows
        _shift(part, mine["sums"], None, "sent")


def _shift(part: dict[str, Any], sums: Mapping[str, str], source: str | None, target: str) -> None:
    """Bring a package's sums from one side of the control totals to another."""
    for control in part["controls"]:
        if control["column"] in sums:
            amount = Decimal(sums[control["column"]])
            if source is not None:
                control[source] = f"{Decimal(control[source]) - amount:f}"
            control[target] = f"{Decimal(control[target]) + amount:f}"
