"""What is the same for every package of a run, and what each process makes of it once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from gonnet.checks import Watch
from gonnet.delivery import signers
from gonnet.delivery.smime import SigningKey
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.smime import SignerSpec
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
    """What is the same for every package of a run; `versions` by locale, `signers` those who sign its documents."""

    versions: Mapping[str, Version]
    signs: frozenset[str]
    watch: Watch
    store: Store
    senders: Mapping[int, Sender]
    enclosures: Mapping[str, Enclosed]
    arrivals: Mapping[str, ArrivalKit]
    folder: Path
    signers: Mapping[str, SignerSpec]

    def signer(self, name: str) -> SigningKey:
        """The key of somebody who signs documents: its secret is not in the kit, but in the environment.

        Raises:
            JobError: it cannot be read.
        """
        where = f"gonnet.yaml, smime.signers.{name}"
        return signers.read(self.signers[name], Secrets.of(self.folder), self.folder, where)


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
