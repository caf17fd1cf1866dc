"""What the ledger keeps, as values."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger.accounts import Share
from gonnet.ledger.states import AS_TOLD, HandOverKind, HandOverState, Purpose, RunState, State, is_in_doubt


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
class HandOverRecord:
    """One thing that leaves for one target: a message to an address, a file into a folder, a draft, a print.

    Attributes:
        kind: What it is.
        target: Where it goes.
        way: What the job calls this way to deliver; empty for one that no way of a job asks for.
        message_id: The message that it carries; empty for a file.
        purpose: Why it leaves.
        existing: What becomes of a file that is there already.
        sha256: Of the file; empty for a message, which is composed when its turn comes.
        id: Its number in the ledger; 0 before it is written.
        state: Where it stands.
        refused: What the server refused of it (`sender`, `recipient`, `size`, `content` …), where it did.
        code: The server's last reply code, or None.
        reply: What came of it, in words.
        put_at: Where a file was put; with a number where there was another file.
        at: When it came to this state.
        attempts: How often it was tried.
    """

    kind: HandOverKind
    target: Target
    way: str = ""
    message_id: str = ""
    purpose: Purpose = Purpose.REGULAR
    existing: str = ""
    sha256: str = ""
    id: int = 0
    state: HandOverState = HandOverState.WAITING
    refused: str = ""
    code: int | None = None
    reply: str = ""
    put_at: str = ""
    at: dt.datetime | None = None
    attempts: int = 0

    @classmethod
    def of_message(
        cls, message_id: str, address: str, purpose: Purpose = Purpose.REGULAR, way: str = ""
    ) -> HandOverRecord:
        """A message to one envelope address."""
        target = Target(TargetKind.ADDRESS, address)
        return cls(kind=HandOverKind.MESSAGE, target=target, way=way, message_id=message_id, purpose=purpose)

    @property
    def is_in_doubt(self) -> bool:
        """Whether it may have left or not."""
        return is_in_doubt(self.target.kind, self.state)

    @property
    def is_open(self) -> bool:
        """Whether the next send tries it; what can be repeated was cut off without a doubt."""
        return self.state.is_open or (self.state is HandOverState.BEGUN and self.target.kind.is_repeatable)

    @property
    def answer(self) -> str:
        """What the server, the folder or the printer answered, with the code."""
        what = f"{self.refused} refused: " if self.refused else ""
        return f"{what}{self.code or ''} {self.reply}".strip() if self.reply or self.code else ""

    @property
    def destination(self) -> tuple[str, str, str]:
        """What it is, and what kind of place it goes to, and which."""
        return str(self.kind), str(self.target.kind), self.target.name

    def __str__(self) -> str:
        """Where it went, for people."""
        return str(self.target if not self.put_at else replace(self.target, place=self.put_at))


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
    id: int = 0

    @property
    def everybody(self) -> tuple[str, ...]:
        """Every envelope address once, without regard to case; To first."""
        found: dict[str, str] = {}
        for address in (*self.to, *self.cc, *self.bcc):
            found.setdefault(address.casefold(), address)
        return tuple(found.values())


class HitRecord(NamedTuple):
    """A value of somebody else that was found in a package.

    Attributes:
        kind: `key`, `address` or a column of the list.
        value: The value.
        owner: Whose it is.
        place: File and page, sheet or message.
        context: What stands around it.
        spelled: How it is written there.
    """

    kind: str
    value: str
    owner: str
    place: str
    context: str
    spelled: str


class ContactRecord(NamedTuple):
    """A line of the list for the key of a package, as it was when the run was prepared.

    Attributes:
        source: The list, as the job names it.
        line: Its place there.
        name: How they are called.
        role: What the list says that they are; empty where it has no roles.
        to: Its addresses.
        cc: Those that get a copy of what it gets.
        bcc: The same, unseen.
        use: What becomes of it: `to`, `cc` or `bcc`; empty where it gets nothing.
        why_not: Why it gets nothing.
        certificate: To which messages to it are encrypted, in PEM or Base64; empty where the list has none.
    """

    source: str
    line: int
    name: str
    role: str
    to: tuple[str, ...]
    cc: tuple[str, ...]
    bcc: tuple[str, ...]
    use: str
    why_not: str
    certificate: str = ""

    def plain(self) -> list[object]:
        """It as a list; without the certificate where there is none, as earlier versions had it."""
        return list(self if self.certificate else self[:-1])

    @property
    def fate(self) -> str:
        """What the list made of it, in words; a person may have chosen another one since."""
        return {"to": "chosen", "cc": "chosen for a copy", "bcc": "chosen for a copy, unseen"}.get(
            self.use, self.why_not
        )

    def __str__(self) -> str:
        """Who it is and what becomes of it, for people."""
        role = f" ({self.role})" if self.role else ""
        return f"{self.name}{role}, {', '.join(self.to) or 'no address'}: {self.fate}"


StepRecord = tuple[str, bool | None, tuple[str, ...], tuple[str, ...]]
"""A rule's name, whether it held (None: unknown), what it changed, and what of that a later one changed again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackageRecord:
    """A package of a run.

    Attributes:
        figures: Figure → text, in the order of the job.
        odd: What a reviewer should see.
        seal: SHA-256 over all that leaves with it; empty unless it was ready.
        hand_overs: Everything of it that leaves or left for its recipient, in order; trials are not among them.
        keys: The keys that a bundle brings together, in order; empty for the package of one key.
        share: What it has of the account of rows; its rows and sums by data set.
        hits: What the leak check found in it.
        prepared_as: Its state when the run was prepared.
        once: What of it makes two sends the same besides the cycle of its run.
        steps: What each rule did to it: its name, whether it held, what it changed, what of it was overridden.
        contacts: Every line of the lists for its key, whether it is written to or not.
        kept: Columns of the list with their values, of those that are written back.
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
    hand_overs: tuple[HandOverRecord, ...] = ()
    keys: tuple[str, ...] = ()
    share: Share = field(default_factory=dict)
    steps: tuple[StepRecord, ...] = ()
    hits: tuple[HitRecord, ...] = ()
    prepared_as: State | None = None
    once: str = ""
    contacts: tuple[ContactRecord, ...] = ()
    kept: Mapping[str, str | int | None] = field(default_factory=dict)
    id: int = 0

    @property
    def is_forgotten(self) -> bool:
        """Whether its recipient's values and files were removed on request."""
        return self.key == f"removed-{self.id}" and not self.name

    @property
    def to(self) -> tuple[str, ...]:
        """The addresses its messages are written to, in order."""
        return tuple(dict.fromkeys(address for message in self.messages for address in message.to))

    def of_kind(self, *kinds: HandOverKind) -> tuple[HandOverRecord, ...]:
        """Its hand-overs of some kinds, in order."""
        return tuple(part for part in self.hand_overs if part.kind in kinds)

    @property
    def mailed(self) -> tuple[HandOverRecord, ...]:
        """Its messages to addresses, one for each address."""
        return self.of_kind(HandOverKind.MESSAGE)

    @property
    def placed(self) -> tuple[HandOverRecord, ...]:
        """What of it is put somewhere: files, drafts, prints."""
        return self.of_kind(HandOverKind.FILE, HandOverKind.DRAFT, HandOverKind.PRINT)

    @property
    def waiting(self) -> tuple[HandOverRecord, ...]:
        """What the next send tries of it; nothing where it is held or skipped."""
        if self.state not in (State.READY, State.FAILED, State.UNSURE):
            return ()
        return tuple(part for part in self.hand_overs if part.is_open)

    @property
    def states(self) -> frozenset[HandOverState]:
        """Where its hand-overs stand."""
        return frozenset(part.state for part in self.hand_overs)

    @property
    def came_to(self) -> str:
        """Its state; of what was sent how: `sent`, `printed`, `filed` or `drafted`."""
        if self.state is not State.SENT:
            return str(self.state)
        return str(next((state for state in AS_TOLD if state in self.states), self.state))

    @property
    def ways(self) -> tuple[str, ...]:
        """The ways by which it goes, as the job calls them, each once."""
        own = (part for part in self.hand_overs if part.purpose is Purpose.REGULAR)
        return tuple(dict.fromkeys(part.way or str(part.kind) for part in own))


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRecord:
    """A run.

    Attributes:
        id: Its number.
        state: Whether it was prepared to the end.
        parameters: Name → text.
        period: What it is for: its periods, or its date where it has none.
        account: Rows and control totals, in plain values, as they are now (`accounts.py`).
        findings: Weight and text of what was found.
        cycle: What makes two regular sends of a job the same.
        purpose: Why it was made.
        only: The keys to which it was limited; empty for all.
        counts: State of packages → how many.
        came: State of packages, those that were sent by how it was (`sent`, `printed`, `filed`, `drafted`) → how many.
        handed: State of hand-overs that are done → how many; trials and summaries do not count.
        reviewed: When it was last reviewed, or None.
        unsearched: What the leak check did not search, and why.
        reason: Why it was aborted, where it was.
        occurrence: The occurrence of the calendar that it is of, or None.
        prepared_by: Who prepared it; empty where nobody knows.
        approval: The approvals that it needs, as the job and the workspace said when it was prepared.
        sealed: How: `keyed`, `open` where the workspace has no key, `plain` by a version before there were keys.
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
    cycle: str = ""
    purpose: Purpose = Purpose.REGULAR
    only: tuple[str, ...] = ()
    counts: Mapping[State, int] = field(default_factory=dict)
    came: Mapping[str, int] = field(default_factory=dict)
    handed: Mapping[HandOverState, int] = field(default_factory=dict)
    reviewed: dt.datetime | None = None
    unsearched: tuple[str, ...] = ()
    sealed: str = "keyed"
    reason: str = ""
    occurrence: int | None = None
    prepared_by: str = ""
    approval: tuple[Mapping[str, object], ...] = ()
