"""A package as the ledger has it, made without a job."""

from __future__ import annotations

import datetime as dt

from gonnet.ledger import DocumentRecord, HandOverRecord, Ledger, MessageRecord, PackageRecord, State
from gonnet.ledger.hand_overs import Allowance, Outcome
from gonnet.ledger.states import HandOverState

NOON = dt.datetime(2026, 11, 5, 12, 0, tzinfo=dt.UTC)
TODAY = "2026-11-05"
SENT = Outcome(state=HandOverState.SENT, code=250, reply="ok")
LATER = Outcome(state=HandOverState.DEFERRED, code=450, reply="busy", refused="recipient")
RUN = {
    "job": "statements",
    "title": "Milk",
    "job_sha256": "0" * 64,
    "as_of": "2026-11-05",
    "parameters": {"period": "2026-10"},
    "period": "period 2026-10",
    "cycle": "2026-10",
}


def package(key: str, *addresses: str, state: State = State.READY) -> PackageRecord:
    """A package with one document, and one message to some addresses."""
    message = MessageRecord(
        message_id=f"<{key}@tarnvale.example>",
        called="standard",
        subject="Milk",
        sender="statements@tarnvale.example",
        to=addresses[:1],
        cc=addresses[1:],
        bcc=(),
        files=(f"{key}.pdf",),
        server="office",
        sha256="1" * 64,
    )
    document = DocumentRecord(
        name=f"{key}.pdf", report="statement", format="pdf", sha256="2" * 64, bytes=9, pages=1, rows=2, content="4" * 64
    )
    return PackageRecord(
        key=key,
        name=f"Farm {key}",
        state=state,
        reason="",
        rows=2,
        figures={"rows": "2", "payable": "1.50"},
        odd=("odd",),
        seal="3" * 64,
        documents=(document,),
        messages=(message,) if addresses else (),
        hand_overs=tuple(HandOverRecord.of_message(message.message_id, address) for address in addresses),
    )


def begun(ledger: Ledger, number: int, package: PackageRecord, part: HandOverRecord) -> bool:
    """Write the intent of a hand-over."""
    return ledger.hand_overs.begin(number, package.id, part, TODAY, Allowance())


def written(ledger: Ledger, *packages: PackageRecord) -> int:
    """Write a run with some packages; its number."""
    with ledger.writing(**RUN) as run:
        run.add(packages)
        run.close(seconds=1.25, account={"read": 4}, findings=[("note", "a finding")])
    return run.id
