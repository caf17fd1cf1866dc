"""Writing the packages of a run while they are made."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, Engine, Insert, update

from gonnet.ledger import chain, schema, statements
from gonnet.ledger.failures import explained
from gonnet.ledger.records import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord
from gonnet.ledger.same import same
from gonnet.ledger.states import RunState

Leaving = tuple[int, Sequence[MessageRecord], Sequence[HandOverRecord]]
"""Number of a package, messages and hand-overs of it."""


class RunWriter:
    """Writes the packages of one run while they are made."""

    def __init__(self, engine: Engine, place: str, now: Callable[[], str], run_id: int) -> None:
        self._engine = engine
        self._now = now
        self.place = place
        self.id = run_id

    @explained
    def add(self, packages: Sequence[PackageRecord]) -> None:
        """Write some packages, in one transaction: a statement for each table, not for each package."""
        if not packages:
            return
        with self._engine.begin() as work:
            numbers = _numbers(work, statements.ADD_PACKAGE, [self._package(package) for package in packages])
            numbered = list(zip(numbers, packages, strict=True))
            documents = [document_row(number, part) for number, package in numbered for part in package.documents]
            if documents:
                work.execute(statements.ADD_DOCUMENT, documents)
            add_leaving(work, self.id, [(number, one.messages, one.hand_overs) for number, one in numbered])
            at = self._now()
            chain.add(work, [self._made(at, number, package) for number, package in numbered])

    def _made(self, at: str, number: int, package: PackageRecord) -> chain.Event:
        stands = chain.package_standing(package.state, package.reason)
        content = chain.content_of(package)
        return chain.Event(at, _what(package), self.id, number, content=content, standing=stands)

    def _package(self, package: PackageRecord) -> dict[str, Any]:
        alike = ("key", "name", "state", "reason", "rows", "seal", "once")
        return {name: getattr(package, name) for name in alike} | {
            "run_id": self.id,
            "same_key": same(package.key),
            "prepared_as": package.state,
            "share": dict(package.share),
            "figures": dict(package.figures),
            "odd": list(package.odd),
            "keys": list(package.keys),
            "steps": [list(step) for step in package.steps],
            "hits": [list(hit) for hit in package.hits],
            "kept": dict(package.kept),
            "contacts": [contact.plain() for contact in package.contacts],
        }

    @explained
    def note(self, what: str) -> None:
        """Write down that something happened in the run."""
        with self._engine.begin() as work:
            self._say(work, what)

    @explained
    def close(
        self,
        *,
        seconds: float,
        account: Mapping[str, object],
        findings: Sequence[tuple[str, str]],
        who: str = "",
        unsearched: Sequence[str] = (),
        sealed: str = "open",
    ) -> None:
        """The run is complete: from here on it can be reviewed and sent."""
        with self._engine.begin() as work:
            work.execute(
                update(schema.runs)
                .where(schema.runs.c.id == self.id)
                .values(
                    state=RunState.PREPARED,
                    seconds=round(seconds * 1000),
                    account=dict(account),
                    findings=[list(finding) for finding in findings],
                    unsearched=list(unsearched),
                    sealed=sealed,
                )
            )
            self._say(work, f"prepared by {who}" if who else "prepared")

    def _say(self, work: Connection, what: str) -> None:
        chain.add_of_run(work, self.id, self._now(), what)


def _numbers(work: Connection, statement: Insert, rows: Sequence[Mapping[str, Any]]) -> list[int]:
    """Insert rows; the numbers that they got, in their order."""
    return [int(number) for (number,) in work.execute(statement, list(rows))]


def add_leaving(work: Connection, run_id: int, leaving: Sequence[Leaving]) -> None:
    """Write messages of packages, and hand-overs, which carry them or messages that they have already."""
    rows = [_message(package, message) for package, messages, _ in leaving for message in messages]
    numbers = _numbers(work, statements.ADD_MESSAGE, rows) if rows else []
    known = {row["message_id"]: number for row, number in zip(rows, numbers, strict=True)}
    found = [
        hand_over_row(run_id, package, known.get(part.message_id), part)
        for package, _, parts in leaving
        for part in parts
    ]
    if found:
        work.execute(statements.ADD_HAND_OVER, found)


def document_row(package: int, part: DocumentRecord) -> dict[str, Any]:
    """A file of a package as the ledger's table has it."""
    alike = ("name", "report", "format", "sha256", "bytes", "pages", "rows", "content")
    return {name: getattr(part, name) for name in alike} | {"package_id": package}


def hand_over_row(
    run_id: int | None, package_id: int | None, message: int | None, part: HandOverRecord
) -> dict[str, Any]:
    """A hand-over as the ledger's table has it; `message` is the number of the message that it carries."""
    alike = ("purpose", "kind", "way", "existing", "sha256", "state", "refused", "code", "reply", "put_at")
    target = part.target
    return {name: getattr(part, name) for name in alike} | {
        "run_id": run_id,
        "package_id": package_id,
        "message_id": message,
        "target_kind": target.kind,
        "target": target.name,
        "place": target.place,
    }


def _message(package: int, message: MessageRecord) -> dict[str, Any]:
    plain = {name: getattr(message, name) for name in ("message_id", "called", "subject", "sender", "server", "sha256")}
    lists = {name: list(getattr(message, name)) for name in ("to", "cc", "bcc", "files")}
    return {"package_id": package, **plain, **lists}


def _what(package: PackageRecord) -> str:
    return f"{package.state}: {package.reason}" if package.reason else str(package.state)
