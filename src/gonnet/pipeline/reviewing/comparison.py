"""A run against the one before it: who is new, who is gone, whose address is another, whose figures moved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from gonnet.ledger import Ledger, PackageRecord, RunRecord
from gonnet.ledger.states import Purpose

LIMIT = Decimal("0.25")
"""By what share a figure must have moved to be told, unless somebody says another."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """A figure of one package that is another than it was.

    Attributes:
        share: By how much, against what it was; None where that was nothing.
    """

    key: str
    name: str
    figure: str
    before: Decimal
    now: Decimal
    share: Decimal | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """What is otherwise than in the run before.

    Attributes:
        run: The number of the run before.
        new: Packages that it did not have.
        gone: Those that this run does not have.
        readdressed: Packages with their addresses of before.
        moved: Figures that moved, the largest movements first.
        before: Figure → its values in the run before.
        least: The share by which a figure must have moved to be among them.
    """

    run: int
    least: Decimal
    new: tuple[PackageRecord, ...]
    gone: tuple[PackageRecord, ...]
    readdressed: tuple[tuple[PackageRecord, tuple[str, ...]], ...]
    moved: tuple[Moved, ...]
    before: Mapping[str, tuple[Decimal, ...]]


def against_last(
    run: RunRecord, packages: Sequence[PackageRecord], ledger: Ledger, least: Decimal = LIMIT
) -> Comparison | None:
    """All packages of a run against the last run of its job of which something was sent; None where there is none."""
    before = ledger.run_before(run)
    return compare(packages, before, ledger.packages(before), least) if before is not None else None


def compare(
    now: Sequence[PackageRecord], run: int, before: Sequence[PackageRecord], least: Decimal = LIMIT
) -> Comparison:
    """A run's packages against those of the run before.

    Args:
        now: The packages.
        run: The number of the run before.
        before: Its packages.
        least: The share by which a figure must have moved to be told.
    """
    old, new = ({package.key: package for package in part if package.rows} for part in (before, now))
    both = [(package, old[key]) for key, package in new.items() if key in old]
    moved = [found for package, other in both for found in _moved(package, other, least)]
    moved.sort(key=lambda found: (-abs(found.now - found.before), found.key, found.figure))
    return Comparison(
        run=run,
        least=least,
        new=tuple(package for key, package in new.items() if key not in old),
        gone=tuple(package for key, package in old.items() if key not in new),
        readdressed=tuple(
            (package, _usual(other))
            for package, other in both
            if _usual(other) and {*_usual(package)} != {*_usual(other)}
        ),
        moved=tuple(moved),
        before={name: values_of(before, name) for name in (now[0].figures if now else ())},
    )


def _usual(package: PackageRecord) -> tuple[str, ...]:
    """To whom a package is written, without those who got it again because somebody asked."""
    extra = {part.message_id for part in package.mailed if part.purpose is Purpose.EXTRA}
    messages = (message for message in package.messages if message.message_id not in extra)
    return tuple(dict.fromkeys(address for message in messages for address in message.to))


def _moved(package: PackageRecord, other: PackageRecord, least: Decimal) -> list[Moved]:
    found = []
    for figure, text in package.figures.items():
        now, before = number(text), number(other.figures.get(figure, ""))
        if figure == "rows" or now is None or before is None or now == before:
            continue
        share = (now - before) / abs(before) if before else None
        if share is None or abs(share) >= least:
            found.append(Moved(key=package.key, name=package.name, figure=figure, before=before, now=now, share=share))
    return found


def values_of(packages: Sequence[PackageRecord], figure: str) -> tuple[Decimal, ...]:
    """The values that a figure has in packages of one key each."""
    found = (number(package.figures.get(figure, "")) for package in packages if not package.keys)
    return tuple(value for value in found if value is not None)


def number(text: str) -> Decimal | None:
    """The number that a figure's text is, or None."""
    try:
        value = Decimal(text)
    except InvalidOperation:
        return None
    return value if value.is_finite() else None


def spread(values: Sequence[Decimal], others: Sequence[Decimal], bins: int = 12) -> list[tuple[Decimal, int, int]]:
    """How values and others are spread over equal intervals: where each begins, and how many of both lie in it."""
    together = (*values, *others)
    if not together or min(together) == max(together):
        return [(min(together), len(values), len(others))] if together else []
    low = min(together)
    width = (max(together) - low) / bins
    counts = [[0, 0] for _ in range(bins)]
    for side, part in enumerate((values, others)):
        for value in part:
            counts[min(bins - 1, int((value - low) / width))][side] += 1
    return [(low + at * width, count[0], count[1]) for at, count in enumerate(counts)]


def labels(begins: Sequence[Decimal]) -> list[str]:
    """Where equal intervals begin, with as many places as tell them apart."""
    gap = begins[1] - begins[0] if len(begins) > 1 else Decimal(100)
    places = max(0, 1 - gap.adjusted())
    return [f"{begin:,.{places}f}" for begin in begins]
