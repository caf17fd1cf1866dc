"""Telling the administrator by mail what came of a send, with the full list attached."""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Sequence
from contextlib import closing
from functools import partial

from gonnet import delivery
from gonnet.delivery import Attachment, Body, Envelope, SmtpLink
from gonnet.errors import GonnetError, JobError
from gonnet.ledger import HandOverRecord, PackageRecord, RunRecord
from gonnet.ledger.hand_overs import AllowanceUsedError
from gonnet.ledger.states import HandOverState, Purpose
from gonnet.pipeline.attention import WANTING
from gonnet.pipeline.lists import every_hand_over
from gonnet.pipeline.sending.gate import Gate, Leaving
from gonnet.pipeline.sending.mail_links import link_for, outcome_of
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from gonnet.recipients.addresses import NotAnAddressError, parse

_SHOWN = 20
_NOUNS = {
    HandOverState.SENT: "messages",
    HandOverState.FILED: "files",
    HandOverState.DRAFTED: "drafts",
    HandOverState.PRINTED: "PDFs",
}


def send_summary(run: RunRecord, tools: Tools) -> str | None:
    """Send the summary of a run, where the workspace wants one; why it was not taken, or None.

    Nothing of the run depends on it: a failure is told and recorded, and changes nothing.
    """
    spec = tools.workspace.file.summary
    if spec is None or (spec.when == "when wrong" and run.counts.keys().isdisjoint(WANTING)):
        return None
    packages = tools.ledger.packages(run.id)
    try:
        to, (sender,) = _addresses(spec.to, "to"), _addresses(spec.sender, "from")
        name, _ = tools.workspace.server(spec.server, "gonnet.yaml, summary")
        message_id = f"<{secrets.token_hex(16)}@{sender.domain}>"
        envelope = Envelope(sender=sender, to=to, message_id=message_id)
        text = "\n".join(_body(run, packages))
        sealed = delivery.write_message(envelope, _subject(run), Body.of(text), tools.workspace.house.locale)
        attached = Attachment(
            name=f"run {run.id}.csv", format="csv", data=every_hand_over(packages).encode("utf-8-sig")
        )
        data = delivery.compose(sealed, (attached,), tools.clock())
        gate = Gate(run, tools)
        with closing(link_for(name, tools)) as link:
            for address in to:
                if (trouble := _offered(gate, link, sender.mailbox, address.mailbox, data)) is not None:
                    return trouble
    except GonnetError as error:
        return f"the summary could not be sent: {error.what}"
    return None


def _offered(gate: Gate, link: SmtpLink, sender: str, address: str, data: bytes) -> str | None:
    """Hand the summary over to one address; why it did not leave or was not taken, or None."""
    ledger, run = gate.tools.ledger.hand_overs, gate.run
    part = HandOverRecord.of_message("", address, Purpose.SUMMARY)
    refusal = gate.asks(Leaving(part, None))
    if refusal is not None:
        return f"the summary was not sent to {address}: {refusal.reason}"
    part = ledger.add(run.id, None, None, part)
    try:
        reply = link.offer(sender, address, data, partial(gate.begins, Leaving(part, None)))
    except AllowanceUsedError as error:
        return f"the summary was not sent to {address}: {error}"
    if reply is None:
        return f"the summary was not sent to {address}"
    outcome = outcome_of(reply)
    ledger.answered(run.id, None, part, outcome)
    return None if outcome.state is HandOverState.SENT else f"the summary was not taken for {address}: {outcome.answer}"


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
        yield f"- {count:,} {state}"
    handed = [f"{count:,} {_NOUNS[state]} {state}" for state, count in run.handed.items()]
    if handed:
        yield ""
        yield f"So far: {', '.join(handed)}."
    wrong = [package for package in packages if package.state in WANTING]
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
