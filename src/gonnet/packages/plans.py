"""What a package is to be, before anything of it is drawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

from gonnet.jobs.models import Job
from gonnet.jobs.values import CsvForm, Joint, OfDocument
from gonnet.packages.attachments import AttachmentPlan
from gonnet.packages.own_files import OwnFile
from gonnet.packages.places import PlacePlan
from gonnet.packages.protection import Lock
from gonnet.recipients import Addressed
from gonnet.rules import Decision, Evaluated, Outcome
from gonnet.wording.filling import Wording


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """A job as the readers of one language get it.

    Attributes:
        job: With the texts of that language.
        wording: Fills them.
        common: What every text may merge: parameters, the run, phrases.
    """

    job: Job
    wording: Wording
    common: Mapping[str, object]


class Fixed(NamedTuple):
    """A file that is the same for everybody, and the ways of its package by which it goes."""

    file: str
    ways: frozenset[str]


class PartPlan(NamedTuple):
    """A report over some rows, or a part of an arrival, as a part of a document.

    Attributes:
        report: The report, or the arrival.
        hidden: The blocks that it leaves out.
        slice: The key whose rows it shows; the package's own for all of them.
        file: The file of an arrival that it is; empty for all of a key.
    """

    report: str
    hidden: frozenset[int]
    slice: str
    file: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class DocumentPlan:
    """A document that is to be drawn.

    Attributes:
        parts: What it shows, in order; one unless documents are joined.
        csv: How it is written, if it is a CSV file.
        lock: Its passwords, or None.
        signer: Whose signature it gets; empty for none.
        joint: How its parts make one file; None where it is of one report.
        ways: The ways of its package by which it goes.
    """

    parts: tuple[PartPlan, ...]
    format: OfDocument
    file_name: str
    csv: CsvForm | None = None
    lock: Lock | None = None
    signer: str = ""
    joint: Joint | None = None
    ways: frozenset[str] = frozenset()

    @property
    def slice(self) -> str:
        """The key whose rows it shows; empty where they are those of several."""
        keys = {part.slice for part in self.parts}
        return keys.pop() if len(keys) == 1 else ""

    @property
    def report(self) -> str:
        """Its reports, each once."""
        return " + ".join(dict.fromkeys(part.report for part in self.parts))


class SlicePlan(NamedTuple):
    """The rows of one key in a package.

    Attributes:
        key: The key.
        names: What texts about it may merge.
        label: How it is called where several keys stand together.
    """

    key: str
    names: Mapping[str, object]
    label: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackagePlan:
    """A package before its documents are drawn.

    Attributes:
        addressed: Its key and contacts.
        evaluated: Its figures.
        decision: What happens to it.
        documents: What it consists of; empty unless they are drawn.
        enclosures: The fixed files that go with it.
        own_files: The files that are its recipient's alone.
        names: What its texts may merge.
        slices: The keys whose rows it has, in order.
        attachments: How its files travel; None where they are not drawn.
        places: Where its files are put.
        locale: The language and territory of its documents.
        if_unchanged: What happens to it if its documents show what they last did; None where that makes no difference.
        last: SHA-256 of what each document that was last sent showed.
    """

    addressed: Addressed
    evaluated: Evaluated
    decision: Decision
    documents: tuple[DocumentPlan, ...]
    names: Mapping[str, object]
    slices: tuple[SlicePlan, ...]
    locale: str
    enclosures: tuple[Fixed, ...] = ()
    own_files: tuple[OwnFile, ...] = ()
    attachments: AttachmentPlan | None = None
    places: tuple[PlacePlan, ...] = ()
    if_unchanged: Decision | None = None
    last: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """The package's key."""
        return self.addressed.key

    @property
    def state(self) -> Outcome:
        """What would become of it."""
        return self.decision.outcome

    @property
    def is_made(self) -> bool:
        """Whether its documents and messages are made; there may be messages alone."""
        return self.attachments is not None

    @property
    def is_bundle(self) -> bool:
        """Whether it is of an address and its keys, not of one key."""
        return self.addressed.bundle is not None
