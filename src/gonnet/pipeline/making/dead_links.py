"""Links of tables that lead nowhere: counted while packages are made, told once for each column."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from gonnet.findings import Finding, Weight
from gonnet.pipeline.making.produce import Made


class DeadLinks:
    """The links of a run that lead nowhere."""

    def __init__(self) -> None:
        self._counts: Counter[tuple[str, str]] = Counter()
        self._first: dict[tuple[str, str], str] = {}

    def add(self, key: str, made: Made | None) -> None:
        """Add those of one package."""
        for place, count in made.dead_links.items() if made is not None else ():
            self._counts[place] += count
            self._first.setdefault(place, key)

    def told(self) -> Iterator[Finding]:
        """A finding for each column and reason, with the key in which it was found first."""
        for (label, trouble), count in self._counts.items():
            what = f"1 link under '{label}' leads" if count == 1 else f"{count:,} links under '{label}' lead"
            text = f"{what} nowhere, first for key {self._first[label, trouble]}: {trouble}"
            yield Finding(weight=Weight.ATTENTION, text=text)
