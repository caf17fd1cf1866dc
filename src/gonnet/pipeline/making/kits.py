"""What is the same for every package of a run, and what each process makes of it once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gonnet.checks import Watch
from gonnet.ledger import Store
from gonnet.pipeline.making.message_texts import MessageText, Sender
from gonnet.pipeline.making.parts import ArrivalKit
from gonnet.pipeline.surveying.enclosures import Enclosed
from gonnet.reports import Look, Painter, ReportPlan
from gonnet.reports.layout.making import LayoutMaker
from gonnet.wording.filling import Wording


@dataclass(frozen=True, slots=True, kw_only=True)
class Version:
    """What is the same for every package in one language.

    Attributes:
        common: What every text may merge: parameters, the run, phrases.
        texts: Name → message.
    """

    reports: tuple[ReportPlan, ...]
    look: Look
    common: Mapping[str, object]
    texts: Mapping[str, MessageText]


@dataclass(frozen=True, slots=True, kw_only=True)
class RunKit:
    """What is the same for every package of a run; `versions` by locale."""

    versions: Mapping[str, Version]
    signs: frozenset[str]
    watch: Watch
    store: Store
    senders: Mapping[int, Sender]
    enclosures: Mapping[str, Enclosed]
    arrivals: Mapping[str, ArrivalKit]


class LanguageKit:
    """What makes packages in one language."""

    def __init__(self, version: Version, signs: frozenset[str]) -> None:
        self.version = version
        self.wording = Wording(version.look.house)
        self.layout_maker = LayoutMaker(version.reports, self.wording, version.look)
        self.painter = Painter(version.look, signs)


class LanguageKits:
    """The kits of one process, made when they are needed: each keeps fonts, formatted values and compiled texts."""

    def __init__(self, kit: RunKit) -> None:
        self._kit = kit
        self._languages: dict[str, LanguageKit] = {}

    def of(self, locale: str) -> LanguageKit:
        """That of a language."""
        if locale not in self._languages:
            self._languages[locale] = LanguageKit(self._kit.versions[locale], self._kit.signs)
        return self._languages[locale]
