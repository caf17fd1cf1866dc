"""Approvals of runs: who said yes to exactly which packages, and since when that counts no more."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy import Connection, Engine, insert, select, update

from gonnet.ledger import chain, schema
from gonnet.ledger.failures import explained

Sign = Callable[[bytes], str]
"""Signs something; the signature in Base64."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ApprovalRecord:
    """A person's yes to the packages of a run as they were.

    Attributes:
        who: The system's name of the user, or that of whose key it is signed with.
        at: When.
        why: What they said of it.
        digest: SHA-256 over the seals of all packages.
        voided: When a change by hand ended it, or None.
        signature: Their signature of `statement`, in Base64; empty where it has none.
    """

    who: str
    at: dt.datetime
    why: str
    digest: str
    voided: dt.datetime | None
    signature: str = ""


def statement(run_id: int, who: str, at: str, why: str, digest: str) -> bytes:
    """What an approval says, as it is signed: JSON without blanks, in ASCII."""
    said = ["gonnet approval 1", run_id, digest, who, at, why]
    return json.dumps(said, ensure_ascii=True, separators=(",", ":")).encode("ascii")


class Approvals:
    """The approvals of one ledger.

    Args:
        engine: Its database.
        place: Where it is, for messages.
        now: Gives the time, as it is written.
    """

    def __init__(self, engine: Engine, place: str, now: Callable[[], str]) -> None:
        self._engine, self.place, self._now = engine, place, now

    @explained
    def of(self, run_id: int) -> tuple[ApprovalRecord, ...]:
        """All that were given of a run, those that count no more too, in order."""
        table = schema.approvals
        with self._engine.connect() as work:
            rows = work.execute(select(table).where(table.c.run_id == run_id).order_by(table.c.id)).all()
        return tuple(
            ApprovalRecord(
                who=row.who,
                at=dt.datetime.fromisoformat(row.at),
                why=row.why,
                digest=row.digest,
                voided=dt.datetime.fromisoformat(row.voided) if row.voided else None,
                signature=row.signature,
            )
            for row in rows
        )

    @explained
    def digest(self, run_id: int) -> str:
        """SHA-256 over the seals of all packages of a run, as they are now."""
        with self._engine.connect() as work:
            return _digest(work, run_id)

    @explained
    def give(self, run_id: int, who: str, why: str, digest: str, sign: Sign | None = None) -> bool:
        """Enter an approval, signed where there is a key; False where the packages are not those that were shown."""
        at = self._now()
        with self._engine.begin() as work:
            work.execute(update(schema.runs).where(schema.runs.c.id == run_id).values(title=schema.runs.c.title))
            if _digest(work, run_id) != digest:
                return False
            values = {"run_id": run_id, "who": who, "at": at, "why": why, "digest": digest}
            signature = sign(statement(run_id, who, at, why, digest)) if sign is not None else ""
            work.execute(insert(schema.approvals).values(**values, signature=signature))
            how = "approved with their key" if signature else "approved"
            said = f"{how} by {who}, digest {digest[:12]}" + (f": {why}" if why else "")
            chain.add_of_run(work, run_id, at, said)
        return True


def void(work: Connection, run_id: int, at: str) -> None:
    """End the approvals of a run, of which something is changed in the same transaction."""
    table = schema.approvals
    ended = update(table).where(table.c.run_id == run_id, table.c.voided.is_(None)).values(voided=at)
    if count := work.execute(ended).rowcount:
        said = f"{count} approval{'s count' if count > 1 else ' counts'} no more: packages were changed since"
        chain.add_of_run(work, run_id, at, said)


def _digest(work: Connection, run_id: int) -> str:
    package = schema.packages.c
    rows = work.execute(select(package.key, package.seal).where(package.run_id == run_id).order_by(package.key))
    found = hashlib.sha256()
    for key, seal in rows:
        found.update(json.dumps([key, seal]).encode("ascii"))
    return found.hexdigest()
