"""The packages of a run in the order in which somebody looks at them, a page at a time."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from itertools import chain
from typing import Any, Generic, Protocol, TypeVar

from gonnet.errors import RunError
from gonnet.ledger import PackageRecord, State
from gonnet.ledger.reading import Packages
from gonnet.pipeline.reviewing.comparison import Comparison, number

Value = Callable[[PackageRecord], str | Decimal | int | None]
_ORDER = [State.UNSURE, State.FAILED, State.HELD, State.READY, State.SENT, State.SKIPPED]


def in_order(
    packages: Sequence[PackageRecord], against: Comparison | None = None, by: str = "", *, backwards: bool = False
) -> Sequence[PackageRecord]:
    """Packages in an order.

    Args:
        packages: The packages, in the order of their keys.
        against: What is otherwise than in the run before, or None.
        by: `key`, `name`, `rows` or a figure (the largest first), `change` (what moved most first, then who is new);
            empty for what needs a decision first: by state, and what is odd or changed before what is as ever.
        backwards: The other way round; what has no value comes last all the same.

    Raises:
        RunError: there is no such thing to sort by.
    """
    if not by:
        changed = set(changes(against))
        first = _sorted(packages, lambda p: 2 * _ORDER.index(p.state) + (not (p.odd or p.key in changed)))
        return first[::-1] if backwards else first
    return _sorted(packages, _value(packages, against, by), backwards=backwards)


def _sorted(packages: Sequence[PackageRecord], value: Value, *, backwards: bool = False) -> Sequence[PackageRecord]:
    """Packages by a value; those that have none last. Of many, only the values are in memory."""
    known: list[tuple[Any, int]] = []
    rest: list[int] = []
    for at, package in enumerate(packages.bare() if isinstance(packages, Packages) else packages):
        worth = value(package)
        number = package.id if isinstance(packages, Packages) else at
        if worth is None:
            rest.append(number)
        else:
            known.append((worth, number))
    known.sort(key=lambda pair: pair[0], reverse=backwards)
    order = chain((number for _, number in known), rest)
    return packages.of(order) if isinstance(packages, Packages) else [packages[at] for at in order]


def _value(packages: Sequence[PackageRecord], against: Comparison | None, by: str) -> Value:
    if by == "key":
        return lambda package: package.key
    if by == "name":
        return lambda package: package.name.casefold()
    if by == "rows":
        return lambda package: -package.rows
    if by == "change":
        rank = {key: at for at, key in enumerate(changes(against))}
        return lambda package: rank.get(package.key)
    figures = list(packages[0].figures) if packages else []
    if by in figures or not packages:
        return lambda package: None if (worth := number(package.figures.get(by, ""))) is None else -worth
    known = ", ".join(dict.fromkeys(["key", "name", "rows", "change", *figures]))
    raise RunError(f"there is nothing called '{by}' to sort by", fix=f"Sort by one of {known}")


def changes(against: Comparison | None) -> dict[str, tuple[str, ...]]:
    """Key → in words, what is otherwise than in the run before; what moved most first, then who is new."""
    found: dict[str, list[str]] = {}
    if against is not None:
        for moved in against.moved:
            how = f"{100 * moved.share:+.0f} %" if moved.share is not None else "was 0"
            found.setdefault(moved.key, []).append(f"{moved.figure} {how}")
        for package in against.new:
            found.setdefault(package.key, []).append(f"not in run {against.run}")
        for package, old in against.readdressed:
            found.setdefault(package.key, []).append(f"was {', '.join(old)}")
    return {key: tuple(words) for key, words in found.items()}


class Listed(Protocol):
    """What stands in a list."""

    @property
    def state(self) -> StrEnum:
        """How it is."""


L = TypeVar("L", bound=Listed)


@dataclass(frozen=True, slots=True, kw_only=True)
class Page(Generic[L]):
    """Some of a list.

    Attributes:
        shown: What is on it.
        number: Which page it is, from 1.
        pages: How many there are.
        rest: State → how many are on the others.
    """

    shown: tuple[L, ...]
    number: int
    pages: int
    rest: Mapping[str, int]


def page_of(every: Sequence[L], number: int, lines: int) -> Page[L]:
    """A page of a list.

    Args:
        every: The whole list.
        number: Which page, from 1.
        lines: How many are on one; 0 for all on one.

    Raises:
        RunError: there are not so many pages.
    """
    size = lines or max(1, len(every))
    pages = max(1, -(-len(every) // size))
    if number > pages:
        many = "1 page" if pages == 1 else f"{pages} pages"
        raise RunError(f"the list has {many}", fix="Ask for one of them, or for more lines on each")
    shown = tuple(every[(number - 1) * size : number * size])
    rest = Counter(str(one.state) for one in every)
    rest.subtract(str(one.state) for one in shown)
    left = {str(state): rest[state] for state in _ORDER if rest[state]}
    return Page(shown=shown, number=number, pages=pages, rest=left)
