"""What is the same for every package of a run, and what each process makes of it once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gonnet.checks import Watch
from gonnet.ledger import Store
from gonnet.pipeline.enclosures import Enclosed
from gonnet.pipeline.letters import Letter, Sender
from gonnet.reports import Look, Painter, ReportPlan
from gonnet.reports.layout import Setter
from gonnet.wording.templates import Wording


@dataclass(frozen=True, slots=True, kw_only=True)
class Version:
    """What is the same for every package in one language.

    Attributes:
        common: What every text may merge: parameters, the run, phrases.
        letters: Name → message.
    """

    reports: tuple[ReportPlan, ...]
    look: Look
    common: Mapping[str, object]
    letters: Mapping[str, Letter]


@dataclass(frozen=True, slots=True, kw_only=True)
class Workbench:
    """What is the same for every package of a run; `versions` by locale."""

    versions: Mapping[str, Version]
    signs: frozenset[str]
    watch: Watch
    store: Store
    senders: Mapping[int, Sender]
    enclosures: Mapping[str, Enclosed]


class Desk:
    """What makes packages in one language."""

    def __init__(self, version: Version, signs: frozenset[str]) -> None:
        self.version = version
        self.wording = Wording(version.look.house)
        self.setter = Setter(version.reports, self.wording, version.look)
        self.painter = Painter(version.look, signs)


class Desks:
    """The desks of one process, made when they are needed: each keeps fonts, formatted values and compiled texts."""

    def __init__(self, bench: Workbench) -> None:
        self._bench = bench
        self._desks: dict[str, Desk] = {}

    def of(self, locale: str) -> Desk:
        """That of a language."""
        if locale not in self._desks:
            self._desks[locale] = Desk(self._bench.versions[locale], self._bench.signs)
        return self._desks[locale]
