"""What a send would mean, for whoever is asked whether it may begin: to whom, how much, and what is new in it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from gonnet.ledger import PackageRecord, RunRecord
from gonnet.ledger.states import HandOverKind
from gonnet.pipeline.reviewing.comparison import against_last, number
from gonnet.pipeline.sending.choosing import Choice
from gonnet.pipeline.tools import Tools

_FEW = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlook:
    """What a send would mean.

    Attributes:
        messages: How many messages leave, one for each address.
        domains: Domain → how many messages, the most first.
        copies: `cc` and `bcc` → how many of the messages are copies of that kind.
        figure: The figure by which packages are compared; `rows` where the job has no number.
        largest: The packages in which it is largest, with it.
        smallest: Those in which it is smallest, of the others.
        last: The number of the last run of which something was sent, or None.
        new: Packages that it did not have; none where nothing was sent before.
        readdressed: Packages whose addresses are others than then, with those of then.
    """

    messages: int
    domains: Mapping[str, int]
    copies: Mapping[str, int]
    figure: str
    largest: tuple[tuple[PackageRecord, Decimal], ...]
    smallest: tuple[tuple[PackageRecord, Decimal], ...]
    last: int | None
    new: tuple[PackageRecord, ...]
    readdressed: tuple[tuple[PackageRecord, tuple[str, ...]], ...]


def outlook(run: RunRecord, choice: Choice, tools: Tools) -> Outlook:
    """What a send of what was chosen would mean."""
    mailed = [part for part in choice.everything if part.kind is HandOverKind.MESSAGE]
    domains = Counter(part.target.name.rpartition("@")[2].casefold() for part in mailed)
    figure, measured = _measured(choice)
    largest = measured[::-1][:_FEW]
    before = against_last(run, choice.packages, tools.ledger)
    return Outlook(
        messages=len(mailed),
        domains=dict(domains.most_common()),
        copies=_copies(choice),
        figure=figure,
        largest=tuple(largest),
        smallest=tuple(pair for pair in measured[:_FEW] if pair not in largest),
        last=None if before is None else before.run,
        new=() if before is None else before.new,
        readdressed=() if before is None else before.readdressed,
    )


def _measured(choice: Choice) -> tuple[str, list[tuple[PackageRecord, Decimal]]]:
    """The first figure that is a number in all packages, and what it is in each, the smallest first."""
    names = [name for name in (choice.packages[0].figures if choice.packages else ()) if name != "rows"]
    for name in names:
        values = [number(package.figures.get(name, "")) for package in choice.packages]
        found = [(one, value) for one, value in zip(choice.packages, values, strict=True) if value is not None]
        if len(found) == len(choice.packages):
            return name, sorted(found, key=lambda pair: (pair[1], pair[0].key))
    every = [(package, Decimal(package.rows)) for package in choice.packages]
    return "rows", sorted(every, key=lambda pair: (pair[1], pair[0].key))


def _copies(choice: Choice) -> dict[str, int]:
    """How many of what leaves are copies, by kind."""
    found: Counter[str] = Counter()
    for package in choice.packages:
        copied = {
            (message.message_id, address.casefold()): kind
            for message in package.messages
            for kind in ("bcc", "cc")
            for address in getattr(message, kind)
        }
        for part in choice.parts(package):
            kind = copied.get((part.message_id, part.target.name.casefold()))
            if kind is not None and part.kind is HandOverKind.MESSAGE:
                found[kind] += 1
    return dict(found)
