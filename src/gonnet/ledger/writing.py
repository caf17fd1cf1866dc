"""Writing the packages of a run while they are made."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from sqlalchemy import Connection, Engine, update

from gonnet.ledger import schema, statements
from gonnet.ledger.failures import told
from gonnet.ledger.records import HandOver, MessageRecord, PackageRecord, RunState

Note = Callable[[Connection, int, str, int | None], None]


class RunWriter:
    """Writes the packages of one run while they are made."""

    def __init__(self, engine: Engine, place: Path, note: Note, run_id: int) -> None:
        self._engine = engine
        self._note = note
        self.place = place
        self.id = run_id

    @told
    def add(self, packages: Sequence[PackageRecord]) -> None:
        """Write some packages, in one transaction."""
        with self._engine.begin() as work:
            for package in packages:
                self._add(work, package)

    def _add(self, work: Connection, package: PackageRecord) -> None:
        result = work.execute(
            statements.ADD_PACKAGE,
            {
                "run_id": self.id,
                "key": package.key,
                "name": package.name,
                "state": package.state,
                "reason": package.reason,
                "rows": package.rows,
                "figures": dict(package.figures),
                "odd": list(package.odd),
                "seal": package.seal,
                "keys": list(package.keys),
                "steps": [list(step) for step in package.steps],
            },
        )
        package_id = int(result.inserted_primary_key[0])  # type: ignore[index]
        if package.documents:
            fields = ("name", "report", "format", "sha256", "bytes", "pages", "rows", "content")
            work.execute(
                statements.ADD_DOCUMENT,
                [{"package_id": package_id} | {f: getattr(d, f) for f in fields} for d in package.documents],
            )
        for message in package.messages:
            self._add_message(work, package_id, message)
        said = f"{package.state}: {package.reason}" if package.reason else str(package.state)
        self._note(work, self.id, said, package_id)

    @staticmethod
    def _add_message(work: Connection, package_id: int, message: MessageRecord) -> None:
        result = work.execute(
            statements.ADD_MESSAGE,
            {
                "package_id": package_id,
                "message_id": message.message_id,
                "called": message.called,
                "subject": message.subject,
                "sender": message.sender,
                "to": list(message.to),
                "cc": list(message.cc),
                "bcc": list(message.bcc),
                "files": list(message.files),
                "sha256": message.sha256,
            },
        )
        number = int(result.inserted_primary_key[0])  # type: ignore[index]
        rows = [{"message_id": number, "address": d.address, "state": HandOver.WAITING} for d in message.deliveries]
        work.execute(statements.ADD_DELIVERY, rows)

    @told
    def note(self, what: str) -> None:
        """Write down that something happened in the run."""
        with self._engine.begin() as work:
            self._note(work, self.id, what, None)

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
            self._note(work, self.id, "prepared", None)
