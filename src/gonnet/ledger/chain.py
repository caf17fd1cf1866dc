"""The chain of events: each has the digest of the one before in its own, so that none is changed or taken out unseen.

What happened, in words, is in it as a digest with a secret of its own: so the words can be taken out when a person asks
for that, nobody can guess them from what is left, and the chain still holds.

An event also has digests of what it left behind: of what a package is made of, of how a package or a hand-over stands,
of a run and its approvals. `proving` compares them with the tables. Digests are SHA-256 (FIPS 180-4) over JSON without
blanks, its names in order; what is digested begins with the form of the digest, so that a later form can be told.
"""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy import Connection, select

from gonnet.ledger import schema, statements
from gonnet.ledger.records import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord

FORM = 1
START = ""
"""The digest before the first event."""

_CANONICAL = json.JSONEncoder(separators=(",", ":"), sort_keys=True, ensure_ascii=True)
# What later forms of the ledger add is not in digests of this form.
_RUN = (
    *("id", "job", "title", "job_sha256", "state", "as_of", "prepared", "seconds", "parameters", "period", "cycle"),
    *("purpose", "only", "account", "findings", "unsearched", "sealed", "reviewed", "reason", "occurrence_id"),
    *("prepared_by", "approval"),
)
_MOST = 600  # characters that are kept of what happened


class Event(NamedTuple):
    """What happened.

    Attributes:
        at: When.
        what: In words.
        run_id: The run; None for what belongs to none.
        package_id: The package that it is about, or None.
        part_id: The hand-over that it is about, or None.
        content: Digest of what the package is made of, or of the run's approvals; None where that did not change.
        standing: Digest of how the package, the hand-over or the run stands since; None where that did not change.
    """

    at: str
    what: str
    run_id: int | None
    package_id: int | None = None
    part_id: int | None = None
    content: str | None = None
    standing: str | None = None


def words(salt: str, what: str) -> str:
    """The digest of what happened in words, which stands for them in the chain.

    Args:
        salt: A secret of the event's own.
        what: The words.
    """
    return _digest(["words", salt, what])


def link(before: str, said: str, event: Event) -> str:
    """The digest of an event.

    Args:
        before: That of the event before it; `START` for the first one.
        said: The digest of its words.
        event: The event.
    """
    place = [event.run_id, event.package_id, event.part_id]
    return _digest(["event", before, event.at, said, *place, event.content, event.standing])


def add(work: Connection, events: Sequence[Event]) -> None:
    """Write events at the end of the chain. Whoever else writes waits from here to the end of the transaction."""
    if not events:
        return
    head = str(statements.run(work, statements.TAKE_HEAD, many=len(events)).fetchall()[0][0])
    rows = []
    for event in events:
        event, salt = event._replace(what=event.what[:_MOST]), secrets.token_hex(8)
        head = link(head, words(salt, event.what), event)
        rows.append({**event._asdict(), "salt": salt, "said": None, "digest": head})
    if len(rows) == 1:
        statements.run(work, statements.NOTE_ONE, **{f"new_{name}": value for name, value in rows[0].items()})
    else:
        work.execute(statements.NOTE, rows)
    statements.run(work, statements.SET_HEAD, now_head=head)


def add_of_run(work: Connection, run_id: int, at: str, what: str) -> None:
    """Write what happened to a run as a whole, with how it and its approvals stand since."""
    add(work, [Event(at, what, run_id, content=approvals_of(work, run_id), standing=run_standing(work, run_id))])


def run_standing(work: Connection, run_id: int) -> str:
    """Digest of all that the ledger has of a run, its packages apart."""
    run = schema.runs.c
    return _digest(["run", list(work.execute(select(*(run[name] for name in _RUN)).where(run.id == run_id)).one())])


def approvals_of(work: Connection, run_id: int) -> str:
    """Digest of all approvals of a run, those that count no more too."""
    table = schema.approvals.c
    mine = select(table.who, table.at, table.why, table.digest, table.voided, table.signature)
    rows = work.execute(mine.where(table.run_id == run_id).order_by(table.id))
    return _digest(["approvals", *([*said, signature] if signature else said for *said, signature in rows)])


def content_of(package: PackageRecord) -> str:
    """Digest of what a package is made of: rows, figures, files, messages, to whom; not of how it stands."""
    said = [package.key, package.name, package.prepared_as or package.state, package.rows, package.seal, package.once]
    listed = [package.odd, package.keys, package.steps, package.hits, [one.plain() for one in package.contacts]]
    named = [package.share, package.figures, package.kept]
    parts = [
        [_document(part) for part in package.documents],
        [_message(part) for part in package.messages],
        [_target(part) for part in package.hand_overs],
    ]
    return _digest(["package", *said, *listed, *named, *parts])


def package_standing(state: str, reason: str) -> str:
    """Digest of how a package stands."""
    return _digest(["stands", state, reason])


def part_standing(state: str, refused: str, code: int | None, reply: str, put_at: str) -> str:
    """Digest of what came of a hand-over."""
    return _digest(["came", state, refused, code, reply, put_at])


def _document(part: DocumentRecord) -> list[object]:
    return [part.name, part.report, part.format, part.sha256, part.bytes, part.pages, part.rows, part.content]


def _message(part: MessageRecord) -> list[object]:
    said = [part.message_id, part.called, part.subject, part.sender, part.server, part.sha256]
    return [*said, part.to, part.cc, part.bcc, part.files]


def _target(part: HandOverRecord) -> list[object]:
    target = part.target
    said = [part.message_id, part.purpose, part.kind, part.way, target.kind, target.name, target.place]
    return [*said, part.existing, part.sha256]


def _digest(said: Sequence[object]) -> str:
    return hashlib.sha256(_CANONICAL.encode([FORM, *said]).encode("ascii")).hexdigest()
