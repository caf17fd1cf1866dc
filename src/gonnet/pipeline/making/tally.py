"""What is seen while packages are made, and told once for the run."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from gonnet.findings import Finding, Weight
from gonnet.pipeline.making.produce import Made


class Tally:
    """The links of a run that lead nowhere, and the packages in which files that came were not searched."""

    def __init__(self) -> None:
        self._links: Counter[tuple[str, str]] = Counter()
        self._first: dict[tuple[str, str], str] = {}
        self._unsearched: list[str] = []

    def add(self, key: str, made: Made | None) -> None:
        """Add those of one package."""
        if made is None:
            return
        for place, count in made.dead_links.items():
            self._links[place] += count
            self._first.setdefault(place, key)
        if made.unsearched:
            self._unsearched.append(key)

    def told(self) -> Iterator[Finding]:
        """A finding for each column of links and reason, with the key in which it was found first."""
        for (label, trouble), count in self._links.items():
            what = f"1 link under '{label}' leads" if count == 1 else f"{count:,} links under '{label}' lead"
            text = f"{what} nowhere, first for key {self._first[label, trouble]}: {trouble}"
            yield Finding(weight=Weight.ATTENTION, text=text)

    def unsearched(self) -> Iterator[str]:
        """What nobody searched of parts of arrivals, and of files of their own."""
        if self._unsearched:
            count = len(self._unsearched)
            packages = "1 package" if count == 1 else f"{count:,} packages"
            yield f"pictures, or what cannot be read, in files that came for {packages}, first {self._unsearched[0]}"
