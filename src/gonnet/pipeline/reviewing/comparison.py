"""A run against the one before it: who is new, who is gone, whose address is another, whose figures moved."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from gonnet.ledger import Ledger, PackageRecord, RunRecord
from gonnet.ledger.reading import Packages
from gonnet.ledger.states import Purpose

_LAST = (True, "\U0010ffff\U0010ffff")
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
    new: list[PackageRecord] = []
    gone: list[PackageRecord] = []
    readdressed: list[tuple[PackageRecord, tuple[str, ...]]] = []
    moved: list[Moved] = []
    for package, other in met(now, before):
        if package is None or other is None:
            new += [package] if package is not None else []
            gone += [other] if other is not None else []
            continue
        moved += _moved(package, other, least)
        readdressed += [(package, old)] if (old := was_written_to(package, other)) else []
    moved.sort(key=lambda found: (-abs(found.now - found.before), found.key, found.figure))
    return Comparison(
        run=run,
        least=least,
        new=tuple(new),
        gone=tuple(gone),
        readdressed=tuple(readdressed),
        moved=tuple(moved),
        before={name: values_of(before, name) for name in (now[0].figures if now else ())},
    )


def met(
    now: Sequence[PackageRecord], before: Sequence[PackageRecord]
) -> Iterator[tuple[PackageRecord | None, PackageRecord | None]]:
    """The packages with rows of two runs by their keys: both, or the one that there is.

    Those of both come in the order of `now`, what it has no more after them; of many, each in its place, so that none
    has to be kept.
    """
    if isinstance(now, Packages) or isinstance(before, Packages):
        yield from _merged(_with_rows(now), _with_rows(before))
        return
    old = {package.key: package for package in _with_rows(before)}
    yield from ((package, old.pop(package.key, None)) for package in _with_rows(now))
    yield from ((None, package) for package in old.values())


def _with_rows(packages: Iterable[PackageRecord]) -> Iterator[PackageRecord]:
    return (package for package in packages if package.rows)


def _merged(
    now: Iterator[PackageRecord], before: Iterator[PackageRecord]
) -> Iterator[tuple[PackageRecord | None, PackageRecord | None]]:
    """Two runs, each in key order with keys before bundles, as packages are made."""
    mine, other = next(now, None), next(before, None)
    while mine is not None or other is not None:
        places = [(bool(one.keys), one.key) if one is not None else _LAST for one in (mine, other)]
        here, there = places[0] <= places[1], places[1] <= places[0]
        yield mine if here else None, other if there else None
        mine = next(now, None) if here else mine
        other = next(before, None) if there else other


def was_written_to(package: PackageRecord, other: PackageRecord) -> tuple[str, ...]:
    """To whom a package was written before, where that is somebody else than now; empty where not."""
    old = _usual(other)
    return old if old and {*_usual(package)} != {*old} else ()


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
