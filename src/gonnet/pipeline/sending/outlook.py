"""What a send would mean, for whoever is asked whether it may begin: to whom, how much, and what is new in it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Generic, TypeVar

from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord
from gonnet.ledger.states import HandOverKind
from gonnet.pipeline.reviewing.comparison import met, number, was_written_to
from gonnet.pipeline.sending.choosing import Choice
from gonnet.pipeline.sending.gate import unprotected
from gonnet.pipeline.tools import Tools
from gonnet.remembering import SeenTexts

T = TypeVar("T")
_FEW = 3


@dataclass(slots=True)
class Few(Generic[T]):
    """How many there are of something, and the first of them."""

    count: int = 0
    first: list[T] = field(default_factory=list)

    def add(self, one: T) -> None:
        """One more."""
        self.count += 1
        if len(self.first) < _FEW:
            self.first.append(one)


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlook:
    """What a send would mean.

    Attributes:
        messages: How many messages leave, one for each address.
        addresses: To how many addresses.
        servers: The mail servers by which they leave.
        kinds: Kind of what leaves → how many.
        elsewhere: Kind, kind of the target and its name, of what is no message → how many.
        domains: Domain → how many messages, the most first.
        copies: `cc` and `bcc` → how many of the messages are copies of that kind.
        figure: The figure by which packages are compared; `rows` where the job has no number.
        largest: The packages in which it is largest, with it.
        smallest: Those in which it is smallest, of the others.
        last: The number of the last run of which something was sent, or None.
        new: Packages that it did not have; none where nothing was sent before.
        readdressed: Packages whose addresses are others than then, with those of then.
        refused: Packages that the gate will hold, since they cannot be signed or encrypted, with why.
    """

    messages: int
    addresses: int
    servers: tuple[str, ...]
    kinds: Mapping[str, int]
    elsewhere: Mapping[tuple[str, str, str], int]
    domains: Mapping[str, int]
    copies: Mapping[str, int]
    figure: str
    largest: tuple[tuple[PackageRecord, Decimal], ...]
    smallest: tuple[tuple[PackageRecord, Decimal], ...]
    last: int | None
    new: Few[PackageRecord]
    readdressed: Few[tuple[PackageRecord, tuple[str, ...]]]
    refused: Few[tuple[PackageRecord, str]]


def outlook(run: RunRecord, choice: Choice, tools: Tools) -> Outlook:
    """What a send of what was chosen would mean. All packages are gone through, and none is kept but the first."""
    kinds: Counter[str] = Counter()
    domains: Counter[str] = Counter()
    copies: Counter[str] = Counter()
    elsewhere: Counter[tuple[str, str, str]] = Counter()
    servers: dict[str, None] = {}
    addresses, measure = SeenTexts(), _Measure()
    refused: Few[tuple[PackageRecord, str]] = Few()
    for package in choice.packages:
        measure.add(package)
        parts = choice.parts(package)
        kinds.update(str(part.kind) for part in parts)
        mailed = [part for part in parts if part.kind is HandOverKind.MESSAGE]
        placed = [part for part in parts if part.kind is not HandOverKind.MESSAGE]
        elsewhere.update(part.destination for part in placed)
        for part in mailed:
            domains[part.target.name.rpartition("@")[2].casefold()] += 1
            addresses.add(part.target.name.casefold())
        carried = {part.message_id for part in mailed}
        servers.update((message.server, None) for message in package.messages if message.message_id in carried)
        copies.update(_copies(package, mailed))
        if (why := unprotected(package, mailed, tools)) is not None:
            refused.add((package, why))
    figure, largest, smallest = measure.found()
    last, new, readdressed = _news(run, choice, tools)
    return Outlook(
        messages=kinds["message"],
        addresses=len(addresses),
        servers=tuple(servers),
        kinds=dict(kinds),
        elsewhere=dict(elsewhere),
        domains=dict(domains.most_common()),
        copies=dict(copies),
        figure=figure,
        largest=tuple(largest),
        smallest=tuple(smallest),
        last=last,
        new=new,
        readdressed=readdressed,
        refused=refused,
    )


def _news(
    run: RunRecord, choice: Choice, tools: Tools
) -> tuple[int | None, Few[PackageRecord], Few[tuple[PackageRecord, tuple[str, ...]]]]:
    """The last run of which something was sent, the packages that it did not have, and those with other addresses."""
    new: Few[PackageRecord] = Few()
    readdressed: Few[tuple[PackageRecord, tuple[str, ...]]] = Few()
    before = tools.ledger.run_before(run)
    for package, other in met(choice.packages, tools.ledger.packages(before)) if before is not None else ():
        if package is not None and other is None:
            new.add(package)
        elif package is not None and other is not None and (old := was_written_to(package, other)):
            readdressed.add((package, old))
    return before, new, readdressed


class _Measure:
    """The first figure that is a number in all packages, and those in which it is smallest and largest."""

    def __init__(self) -> None:
        self._least: dict[str, list[tuple[PackageRecord, Decimal]]] | None = None
        self._most: dict[str, list[tuple[PackageRecord, Decimal]]] = {}

    def add(self, package: PackageRecord) -> None:
        """One more package."""
        values = {name: number(text) for name, text in package.figures.items() if name != "rows"}
        values["rows"] = Decimal(package.rows)
        if self._least is None:
            self._least, self._most = {name: [] for name in values}, {name: [] for name in values}
        for name in list(self._least):
            value = values.get(name)
            if value is None:
                del self._least[name], self._most[name]
                continue
            self._least[name] = sorted([*self._least[name], (package, value)], key=_by_value)[:_FEW]
            self._most[name] = sorted([*self._most[name], (package, value)], key=_by_value)[-_FEW:]

    def found(
        self,
    ) -> tuple[str, list[tuple[PackageRecord, Decimal]], list[tuple[PackageRecord, Decimal]]]:
        """The figure, the largest of it, and the smallest of the others."""
        figure = next(iter(self._least or {"rows": []}))
        largest = self._most.get(figure, [])[::-1]
        taken = {package.key for package, _ in largest}
        return figure, largest, [one for one in (self._least or {}).get(figure, []) if one[0].key not in taken]


def _by_value(pair: tuple[PackageRecord, Decimal]) -> tuple[Decimal, str]:
    return pair[1], pair[0].key


def _copies(package: PackageRecord, mailed: Sequence[HandOverRecord]) -> Iterator[str]:
    """Of what kind of copy each of what leaves is, if it is one."""
    copied = {
        (message.message_id, address.casefold()): kind
        for message in package.messages
        for kind in ("bcc", "cc")
        for address in getattr(message, kind)
    }
    for part in mailed:
        kind = copied.get((part.message_id, part.target.name.casefold()))
        if kind is not None:
            yield kind
