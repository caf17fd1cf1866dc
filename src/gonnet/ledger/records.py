"""What the ledger keeps, as values."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class State(StrEnum):
    """Where a package stands."""

    READY = "ready"
    HELD = "held"
    SKIPPED = "skipped"
    SENT = "sent"
    FAILED = "failed"
    UNSURE = "unsure"


class HandOver(StrEnum):
    """Where one delivery (one message to one envelope address) stands.

    `HANDING` is written before the body of a message is offered to a server and replaced by its answer: one that is
    found later without an answer is in doubt.
    """

    WAITING = "waiting"
    HANDING = "handing"
    SENT = "sent"
    LATER = "later"  # refused for now (4xx): tried again by the next send
    REFUSED = "refused"  # refused for good (5xx)
    UNSURE = "unsure"

    @property
    def is_open(self) -> bool:
        """Whether the next send hands it over."""
        return self in (HandOver.WAITING, HandOver.LATER)


class RunState(StrEnum):
    """Where a run stands."""

    PREPARING = "preparing"
    PREPARED = "prepared"
    BROKEN = "broken off"


@dataclass(frozen=True, slots=True, kw_only=True)
class DocumentRecord:
    """A rendered file.

    Attributes:
        sha256: Of its bytes: where the store keeps it.
        content: The same before it was encrypted: what can be compared with another time; empty for a zip of others.
    """

    name: str
    report: str
    format: str
    sha256: str
    bytes: int
    pages: int | None
    rows: int
    content: str


@dataclass(frozen=True, slots=True, kw_only=True)
class DeliveryRecord:
    """One message to one envelope address.

    Attributes:
        id: Its number in the ledger; 0 before it is written.
        address: The envelope address.
        state: Where it stands.
        code: The server's last reply code, or None.
        reply: The server's last reply.
        at: When it came to this state.
        attempts: How often it was tried.
    """

    address: str
    id: int = 0
    state: HandOver = HandOver.WAITING
    code: int | None = None
    reply: str = ""
    at: dt.datetime | None = None
    attempts: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageRecord:
    """One message of a package.

    Attributes:
        called: Which message of the job it is.
        files: Names of the package's files that are attached to it.
        server: The mail server of the workspace by which it leaves.
        sha256: Where the store keeps its text and headers.
    """

    message_id: str
    called: str
    subject: str
    sender: str
    to: tuple[str, ...]
    cc: tuple[str, ...]
    bcc: tuple[str, ...]
    files: tuple[str, ...]
    server: str
    sha256: str
    deliveries: tuple[DeliveryRecord, ...]
    id: int = 0


MAILBOX, PRINTER = "imap:", "printer:"
"""Before the name of a mailbox or a printer, where a folder has its name alone."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FilingRecord:
    """A file of a package that is put somewhere.

    Attributes:
        way: What the job calls this way to deliver.
        root: The folder, as the workspace calls it; `imap:` and a mailbox; `printer:` and a printer.
        place: Where below it, with `/`.
        existing: What becomes of a file that is there already.
        sha256: Of the file.
        state: Where it stands.
        put_at: Where it was put; with a number where there was another file.
        reply: What came of it, in words.
    """

    way: str
    root: str
    place: str
    existing: str
    sha256: str
    id: int = 0
    state: HandOver = HandOver.WAITING
    put_at: str = ""
    reply: str = ""
    at: dt.datetime | None = None

    @property
    def is_printed(self) -> bool:
        """Whether it goes to a printer: what must not happen twice."""
        return self.root.startswith(PRINTER)


StepRecord = tuple[str, bool | None, tuple[str, ...], tuple[str, ...]]
"""A rule's name, whether it held (None: unknown), what it changed, and what of that a later one changed again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackageRecord:
    """A package of a run.

    Attributes:
        figures: Figure → text, in the order of the job.
        odd: What a reviewer should see.
        seal: SHA-256 over all that leaves with it; empty unless it was ready.
        keys: The keys that a bundle brings together, in order; empty for the package of one key.
        prepared_as: Its state when the run was prepared.
        steps: What each rule did to it: its name, whether it held, what it changed, what of it was overridden.
    """

    key: str
    name: str
    state: State
    reason: str
    rows: int
    figures: Mapping[str, str]
    odd: tuple[str, ...]
    seal: str
    documents: tuple[DocumentRecord, ...]
    messages: tuple[MessageRecord, ...]
    keys: tuple[str, ...] = ()
    steps: tuple[StepRecord, ...] = ()
    filings: tuple[FilingRecord, ...] = ()
    prepared_as: State | None = None
    id: int = 0

    @property
    def to(self) -> tuple[str, ...]:
        """The addresses its messages are written to, in order."""
        return tuple(dict.fromkeys(address for message in self.messages for address in message.to))

    def deliveries(self) -> Iterator[DeliveryRecord]:
        """Its deliveries, in order."""
        for message in self.messages:
            yield from message.deliveries

    def hand_overs(self) -> set[HandOver]:
        """Where its deliveries and its files stand."""
        return {part.state for part in self.deliveries()} | {part.state for part in self.filings}


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRecord:
    """A run.

    Attributes:
        id: Its number.
        state: Whether it was prepared to the end.
        parameters: Name → text.
        period: What it is for: its periods, or its date where it has none.
        account: Rows and control totals, as `checks.Account` gives them, in plain values.
        findings: Weight and text of what was found.
        counts: State of packages → how many.
        reviewed: When it was last reviewed, or None.
    """

    id: int
    job: str
    title: str
    state: RunState
    as_of: dt.date
    prepared: dt.datetime
    seconds: float
    parameters: Mapping[str, str]
    period: str
    account: Mapping[str, object]
    findings: tuple[tuple[str, str], ...]
    counts: Mapping[State, int] = field(default_factory=dict)
    reviewed: dt.datetime | None = None


def package_state(deliveries: list[HandOver]) -> State | None:
    """The state that a package's deliveries give it; None while none was tried.

    One in doubt makes the package unsure, one refused makes it failed; it is sent when all are.
    """
    states = set(deliveries)
    if states & {HandOver.UNSURE, HandOver.HANDING}:
        return State.UNSURE
    if states & {HandOver.REFUSED, HandOver.LATER}:
        return State.FAILED
    if states == {HandOver.SENT}:
        return State.SENT
    return State.READY if HandOver.SENT in states else None
