"""Writing the packages of a run while they are made."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, Insert, update

from gonnet.ledger import schema, statements
from gonnet.ledger.failures import told
from gonnet.ledger.records import DocumentRecord, FilingRecord, HandOver, MessageRecord, PackageRecord, RunState


class RunWriter:
    """Writes the packages of one run while they are made."""

    def __init__(self, engine: Engine, place: Path, now: Callable[[], str], run_id: int) -> None:
        self._engine = engine
        self._now = now
        self.place = place
        self.id = run_id

    @told
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
            add_messages(work, [(number, message) for number, package in numbered for message in package.messages])
            filings = [filing_row(number, part) for number, package in numbered for part in package.filings]
            if filings:
                work.execute(statements.ADD_FILING, filings)
            at = self._now()
            work.execute(
                statements.NOTE,
                [
                    {"run_id": self.id, "package_id": number, "at": at, "what": _what(package)}
                    for number, package in numbered
                ],
            )

    def _package(self, package: PackageRecord) -> dict[str, Any]:
        same = ("key", "name", "state", "reason", "rows", "seal")
        return {name: getattr(package, name) for name in same} | {
            "run_id": self.id,
            "prepared_as": package.state,
            "figures": dict(package.figures),
            "odd": list(package.odd),
            "keys": list(package.keys),
            "steps": [list(step) for step in package.steps],
        }

    @told
    def note(self, what: str) -> None:
        """Write down that something happened in the run."""
        with self._engine.begin() as work:
            self._say(work, what)

    @told
    def close(self, *, seconds: float, account: Mapping[str, object], findings: Sequence[tuple[str, str]]) -> None:
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
                )
            )
            self._say(work, "prepared")

    def _say(self, work: Connection, what: str) -> None:
        work.execute(statements.NOTE, {"run_id": self.id, "package_id": None, "at": self._now(), "what": what})


def _numbers(work: Connection, statement: Insert, rows: Sequence[Mapping[str, Any]]) -> list[int]:
    """Insert rows; the numbers that they got, in their order."""
    return [int(number) for (number,) in work.execute(statement, list(rows))]


def add_messages(work: Connection, messages: Sequence[tuple[int, MessageRecord]]) -> None:
    """Write messages with their deliveries, which wait; each with the number of its package."""
    if not messages:
        return
    ids = _numbers(work, statements.ADD_MESSAGE, [_message(number, part) for number, part in messages])
    deliveries = [
        {"message_id": at, "address": delivery.address, "state": HandOver.WAITING}
        for at, (_, message) in zip(ids, messages, strict=True)
        for delivery in message.deliveries
    ]
    if deliveries:
        work.execute(statements.ADD_DELIVERY, deliveries)


def document_row(package: int, part: DocumentRecord) -> dict[str, Any]:
    """A file of a package as the ledger's table has it."""
    same = ("name", "report", "format", "sha256", "bytes", "pages", "rows", "content")
    return {name: getattr(part, name) for name in same} | {"package_id": package}


def filing_row(package: int, part: FilingRecord) -> dict[str, Any]:
    """A file that is put somewhere, as the ledger keeps it."""
    same = ("way", "root", "place", "existing", "sha256", "state")
    return {name: getattr(part, name) for name in same} | {"package_id": package}


def _message(package: int, message: MessageRecord) -> dict[str, Any]:
    same = {name: getattr(message, name) for name in ("message_id", "called", "subject", "sender", "server", "sha256")}
    lists = {name: list(getattr(message, name)) for name in ("to", "cc", "bcc", "files")}
    return {"package_id": package, **same, **lists}


def _what(package: PackageRecord) -> str:
    return f"{package.state}: {package.reason}" if package.reason else str(package.state)
