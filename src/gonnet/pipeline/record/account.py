"""The full account of a run: who did what and when, what each recipient got, with digests and answers."""

from __future__ import annotations

import datetime as dt
import json
from typing import Any, overload

from gonnet.ledger import HandOverRecord, MessageRecord, PackageRecord, RunRecord
from gonnet.pipeline.record.verify import Verdict
from gonnet.pipeline.tools import Tools


def account_of(run: RunRecord, tools: Tools, verdict: Verdict) -> dict[str, Any]:
    """Everything that the record has of a run, as plain values.

    Args:
        run: The run.
        tools: The tools.
        verdict: What came of comparing the record.
    """
    packages, at = tuple(tools.ledger.packages(run.id)), _Times(tools.workspace.zone)
    return {
        "zone": str(tools.workspace.zone),
        "run": _run(run, at),
        "compared": {
            "at": at(tools.clock()),
            "by": tools.who,
            "events": verdict.events,
            "last_event": verdict.head,
            "faults": [f"{fault.where}: {fault.what}" for fault in verdict.faults],
        },
        "approvals": [
            {
                "who": one.who,
                "at": at(one.at),
                "why": one.why,
                "digest": one.digest,
                "ended": at(one.voided),
                "signature": one.signature,
            }
            for one in tools.ledger.approvals.of(run.id)
        ],
        "packages": [_package(package, at) for package in packages],
        "events": _events(run, packages, tools, at),
    }


class _Times:
    """Times as an account has them: ISO 8601, in the workspace's time zone."""

    def __init__(self, zone: dt.tzinfo) -> None:
        self._zone = zone

    @overload
    def __call__(self, moment: dt.datetime) -> str: ...
    @overload
    def __call__(self, moment: None) -> None: ...
    def __call__(self, moment: dt.datetime | None) -> str | None:
        return moment.astimezone(self._zone).isoformat(timespec="seconds") if moment is not None else None


def as_json(account: dict[str, Any]) -> bytes:
    """The account as JSON (RFC 8259) in UTF-8; the same account gives the same bytes."""
    return (json.dumps(account, ensure_ascii=False, indent=2) + "\n").encode("utf-8")


def _run(run: RunRecord, at: _Times) -> dict[str, Any]:
    return {
        "number": run.id,
        "job": run.job,
        "title": run.title,
        "state": str(run.state),
        "as_of": run.as_of.isoformat(),
        "period": run.period,
        "parameters": dict(run.parameters),
        "purpose": str(run.purpose),
        "prepared": at(run.prepared),
        "prepared_by": run.prepared_by,
        "reviewed": at(run.reviewed),
        "counts": {str(state): count for state, count in run.counts.items()},
        "account": dict(run.account),
        "findings": [list(finding) for finding in run.findings],
    }


def _package(package: PackageRecord, at: _Times) -> dict[str, Any]:
    return {
        "key": package.key,
        "name": package.name,
        "state": str(package.state),
        "reason": package.reason,
        "rows": package.rows,
        "figures": dict(package.figures),
        "documents": [
            {"name": part.name, "sha256": part.sha256, "bytes": part.bytes, "pages": part.pages, "rows": part.rows}
            for part in package.documents
        ],
        "messages": [_message(part) for part in package.messages],
        "handed_over": [_part(part, at) for part in package.hand_overs],
    }


def _message(part: MessageRecord) -> dict[str, Any]:
    envelope = {name: list(getattr(part, name)) for name in ("to", "cc", "bcc", "files")}
    return {
        "message_id": part.message_id,
        "subject": part.subject,
        "from": part.sender,
        "sha256": part.sha256,
        **envelope,
    }


def _part(part: HandOverRecord, at: _Times) -> dict[str, Any]:
    return {
        "to": str(part.target),
        "way": part.way,
        "kind": str(part.kind),
        "purpose": str(part.purpose),
        "message_id": part.message_id,
        "state": str(part.state),
        "code": part.code,
        "answer": f"{part.refused} refused: {part.reply}" if part.refused else part.reply,
        "put_at": part.put_at,
        "at": at(part.at),
        "tries": part.attempts,
    }


def _events(run: RunRecord, packages: tuple[PackageRecord, ...], tools: Tools, at: _Times) -> list[dict[str, Any]]:
    keys = {package.id: package.key for package in packages}
    return [
        {
            "number": number,
            "at": at(dt.datetime.fromisoformat(event.at)),
            "key": keys.get(event.package_id or 0),
            "what": event.what,
            "digest": digest,
        }
        for number, digest, event in tools.ledger.prover.events(run.id)
    ]
