"""Telling the administrator by mail what came of a send, with the full list attached."""

from __future__ import annotations

import csv
import io
import secrets
from collections.abc import Iterator, Sequence
from contextlib import closing

from gonnet import delivery
from gonnet.delivery import Attachment, Body, Envelope, Verdict
from gonnet.errors import GonnetError, JobError
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.pipeline.sending import gate
from gonnet.pipeline.sending.handing_over import link_for
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from gonnet.recipients.addresses import NotAnAddressError, parse

_WRONG = (State.FAILED, State.UNSURE, State.HELD)
_SHOWN = 20
_RISKY = ("=", "+", "-", "@", "\t", "\r")  # what a spreadsheet would run


def tell(run: RunRecord, tools: Tools) -> str | None:
    """Send the summary of a run, where the workspace wants one; why it was not taken, or None.

    Nothing of the run depends on it: a failure is told and recorded, and changes nothing.
    """
    spec = tools.workspace.file.summary
    if spec is None or (spec.when == "when wrong" and run.counts.keys().isdisjoint(_WRONG)):
        return None
    packages = tools.ledger.packages(run.id)
    try:
        to, (sender,) = _addresses(spec.to, "to"), _addresses(spec.sender, "from")
        if strangers := gate.strangers([address.mailbox for address in to], tools.workspace.file.limits):
            raise JobError(gate.told_of_strangers(strangers), where="gonnet.yaml, summary")
        name, _ = tools.workspace.server(spec.server, "gonnet.yaml, summary")
        message_id = f"<{secrets.token_hex(16)}@{sender.domain}>"
        envelope = Envelope(sender=sender, to=to, message_id=message_id)
        text = "\n".join(_body(run, packages))
        sealed = delivery.write_message(envelope, _subject(run), Body.of(text), tools.workspace.house.locale)
        attached = Attachment(name=f"run {run.id}.csv", format="csv", data=listed(packages).encode("utf-8-sig"))
        data = delivery.compose(sealed, (attached,), tools.clock())
        with closing(link_for(name, tools)) as link:
            for address in to:
                reply = link.offer(sender.mailbox, address.mailbox, data, lambda: True)
                if reply is None or reply.verdict is not Verdict.ACCEPTED:
                    said = f"{reply.code} {reply.text}" if reply is not None else "no answer"
                    return f"the summary was not taken for {address.mailbox}: {said}"
    except GonnetError as error:
        return f"the summary could not be sent: {error.what}"
    return None


def _addresses(text: str, part: str) -> tuple[Address, ...]:
    try:
        return parse(text)
    except NotAnAddressError as error:
        where = f"gonnet.yaml, summary, {part}"
        raise JobError(f"'{text}' is not an address: {error}", where=where, fix="Write name@domain") from error


def _subject(run: RunRecord) -> str:
    counts = ", ".join(f"{count} {state}" for state, count in run.counts.items())
    return f"Run {run.id}, {run.title}: {counts}"


def _body(run: RunRecord, packages: Sequence[PackageRecord]) -> Iterator[str]:
    parameters = ", ".join(f"{name} {value}" for name, value in run.parameters.items())
    yield f"Run {run.id} of the job {_plain(run.job)}" + (f", {_plain(parameters)}" if parameters else "") + ":"
    yield ""
    for state, count in run.counts.items():
        yield f"- {count} {state}"
    wrong = [package for package in packages if package.state in _WRONG]
    if wrong:
        yield ""
        yield "What wants attention:"
        yield ""
        for package in wrong[:_SHOWN]:
            yield f"- {package.state}: {_plain(package.key)} {_plain(package.name)}: {_plain(package.reason)}"
        if len(wrong) > _SHOWN:
            yield f"- and {len(wrong) - _SHOWN} more"
    yield ""
    yield "The full list is attached."


def _plain(text: str) -> str:
    """A value in CommonMark that acts as no markup."""
    return "".join(f"\\{sign}" if sign in "\\`*_{}[]<>()#+-.!|~&" else sign for sign in " ".join(text.split()))


def listed(packages: Sequence[PackageRecord]) -> str:
    """Every delivery of a run as CSV: state, key, name, address, answer, time; one line for a package without any."""
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\r\n")
    writer.writerow(("state", "key", "name", "to", "delivery", "answer", "at", "reason"))
    for package in packages:
        head = (str(package.state), package.key, package.name)
        parts = [
            (part.address, str(part.state), f"{part.code or ''} {part.reply}".strip(), part.at)
            for part in package.deliveries()
        ]
        parts += [(f"{f.root}: {f.put_at or f.place}", str(f.state), f.reply, f.at) for f in package.filings]
        for to, state, answer, at in parts or [("", "", "", None)]:
            when = at.isoformat(timespec="seconds") if at is not None else ""
            writer.writerow([_harmless(cell) for cell in (*head, to, state, answer, when, package.reason)])
    return target.getvalue()


def runs_listed(runs: Sequence[RunRecord]) -> str:
    """Every run as a line of CSV: what it was, and how many packages are in each state."""
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\r\n")
    states = [str(state) for state in State]
    writer.writerow(("run", "job", "period", "as_of", "prepared", "is", "reviewed", *states))
    for run in runs:
        reviewed = run.reviewed.isoformat(timespec="seconds") if run.reviewed else ""
        when = run.prepared.isoformat(timespec="seconds")
        head = (str(run.id), run.job, run.period, run.as_of.isoformat(), when, str(run.state), reviewed)
        counts = (str(run.counts.get(state, 0)) for state in State)
        writer.writerow([_harmless(cell) for cell in (*head, *counts)])
    return target.getvalue()


def _harmless(cell: str) -> str:
    return f"'{cell}" if cell.startswith(_RISKY) else cell
