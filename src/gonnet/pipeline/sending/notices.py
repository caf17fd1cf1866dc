"""Telling administrators what they must hear: by mail, through the gate; else by the program for alarms.

A notice is written down before it is told, and is tried again until somebody heard it.
"""

from __future__ import annotations

import secrets
import subprocess
from contextlib import closing
from functools import partial

from gonnet import delivery
from gonnet.delivery import Attachment, Body, Envelope, SmtpLink
from gonnet.errors import GonnetError, JobError, typed
from gonnet.jobs.workspace import Summary
from gonnet.ledger import HandOverRecord
from gonnet.ledger.calendar import NoticeRecord, OccurrenceState
from gonnet.ledger.hand_overs import AllowanceUsedError
from gonnet.ledger.states import HandOverState, Purpose
from gonnet.locks import HeldError
from gonnet.pipeline.lists import every_hand_over
from gonnet.pipeline.sending.gate import Gate, Leaving
from gonnet.pipeline.sending.mail_links import link_for, outcome_of
from gonnet.pipeline.tools import Tools
from gonnet.recipients import Address
from gonnet.recipients.addresses import NotAnAddressError, parse

_ALARM_SECONDS = 60
_PICTURES = 12  # packages that an attached review shows with a picture
_LARGEST = 6_000_000  # bytes of a review that is attached: half as much again on the way


def tell_notices(tools: Tools) -> list[str]:
    """Tell what nobody has heard yet; why something could not be told.

    Where the workspace names nobody and no program, nothing is tried; `take_unheard` gives them to whoever runs this.
    """
    spec, alarm = tools.workspace.file.summary, tools.workspace.file.alarm
    if spec is None and not alarm:
        return []
    troubles = []
    try:
        with tools.ledger.rights.telling():
            for record in tools.ledger.notices.untold():
                trouble = _told(record, spec, tools) if spec is not None else "gonnet.yaml has no `summary:`"
                if trouble is None:
                    tools.ledger.notices.told(record.id, tools.clock())
                    continue
                tools.ledger.notices.not_told(record.id, trouble)
                if spec is not None:
                    troubles.append(trouble)
                troubles += _alarmed(record, tools) if alarm and record.alarmed is None else []
    except HeldError:  # another process tells them
        return []
    return troubles


def take_unheard(tools: Tools) -> tuple[NoticeRecord, ...]:
    """What nobody has heard and nobody is to be told of by mail or alarm: told by being printed, once."""
    if tools.workspace.file.summary is not None or tools.workspace.file.alarm:
        return ()
    found = tools.ledger.notices.untold()
    for record in found:
        tools.ledger.notices.told(record.id, tools.clock())
    return found


def sound_alarm(text: str, tools: Tools) -> str | None:
    """Give a text to the workspace's program for alarms; why that failed, or None."""
    words = tools.workspace.file.alarm
    try:
        subprocess.run(
            words,
            input=text.encode("utf-8"),
            cwd=tools.workspace.folder,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            timeout=_ALARM_SECONDS,
            check=True,
        )
    except subprocess.CalledProcessError as error:
        said = error.stderr.decode("utf-8", "replace").strip()[-300:]
        return f"the alarm `{words[0]}` ended with {error.returncode}" + (f": {said}" if said else "")
    except (OSError, subprocess.TimeoutExpired) as error:
        why = error.strerror if isinstance(error, OSError) else f"it took longer than {_ALARM_SECONDS} seconds"
        return f"the alarm `{words[0]}` cannot be run: {why}"
    return None


def _alarmed(record: NoticeRecord, tools: Tools) -> list[str]:
    trouble = sound_alarm(f"{record.notice.subject}\n\n{record.notice.text}\n", tools)
    if trouble is not None:
        return [trouble]
    tools.ledger.notices.alarmed(record.id, tools.clock())
    if tools.workspace.file.summary is None:
        tools.ledger.notices.told(record.id, tools.clock())
    return []


def _told(record: NoticeRecord, spec: Summary, tools: Tools) -> str | None:
    """Tell one notice by mail; why nobody heard it, or None."""
    what = "summary" if record.occurrence is None and record.notice.run is not None else "notice"
    try:
        to, (sender,) = addresses(record.notice.tell or spec.to, "to"), addresses(spec.sender, "from")
        name, _ = tools.workspace.server(spec.server, "gonnet.yaml, summary")
        data = _composed(record, to, sender, tools)
        run = tools.ledger.run(str(record.notice.run)) if record.notice.run is not None else None
        gate = Gate(run, tools)
        with closing(link_for(name, tools)) as link:
            answers = [_offered(gate, link, name, sender.mailbox, address.mailbox, data, what) for address in to]
    except GonnetError as error:
        return f"the {what} could not be sent: {error.what}"
    troubles = [answer for answer in answers if answer is not None]
    return troubles[0] if len(troubles) == len(answers) else None


def _composed(record: NoticeRecord, to: tuple[Address, ...], sender: Address, tools: Tools) -> bytes:
    envelope = Envelope(sender=sender, to=to, message_id=f"<{secrets.token_hex(16)}@{sender.domain}>")
    review, said = _review(record, tools)
    body = Body.of(f"{record.notice.text}\n\n{said}\n" if said else record.notice.text)
    style = tools.workspace.file.style
    frame = delivery.Frame(style.organisation, style.accent)
    sealed = delivery.write_message(envelope, record.notice.subject, body, tools.workspace.house.locale, frame)
    attached = []
    if record.notice.run is not None:
        text = every_hand_over(tools.ledger.packages(record.notice.run)).encode("utf-8-sig")
        attached.append(Attachment(name=f"run {record.notice.run}.csv", format="csv", data=text))
    return delivery.compose(sealed, (*attached, *review), tools.clock())


def _review(record: NoticeRecord, tools: Tools) -> tuple[tuple[Attachment, ...], str]:
    """The review of a run that waits for somebody to look at it, where it can be attached; and what to say of it."""
    spec = tools.workspace.file.summary
    if record.occurrence is None or record.notice.run is None or spec is None or not spec.with_review:
        return (), ""
    if tools.ledger.occurrences.one(record.occurrence).state is not OccurrenceState.TO_REVIEW:
        return (), ""
    from gonnet.pipeline.reviewing.review_page import whole_review  # draws pictures, which few notices need

    run = tools.ledger.run(str(record.notice.run))
    page = whole_review(run, tools, _PICTURES, _LARGEST)
    if page is None:
        return (), f"The review is too large for a message: `{typed('review', run.id, '--html', 'review.html')}`."
    said = (
        "The review is attached. It holds everybody's figures: keep it where only those read it who may see them all."
    )
    return (Attachment(name=f"run {run.id} review.html", format="html", data=page),), said


def _offered(gate: Gate, link: SmtpLink, server: str, sender: str, address: str, data: bytes, what: str) -> str | None:
    """Hand a notice over to one address; why it did not leave or was not taken, or None."""
    ledger, run = gate.tools.ledger.hand_overs, gate.run_id
    part = HandOverRecord.of_message("", address, Purpose.SUMMARY)
    refusal = gate.asks(Leaving(part, None, server))
    if refusal is not None:
        return f"the {what} was not sent to {address}: {refusal.reason}"
    part = ledger.add(run, None, None, part)
    try:
        reply = link.offer(sender, address, data, partial(gate.begins, Leaving(part, None)))
    except AllowanceUsedError as error:
        return f"the {what} was not sent to {address}: {error}"
    if reply is None:
        return f"the {what} was not sent to {address}"
    outcome = outcome_of(reply)
    ledger.answered(run, None, part, outcome)
    taken = outcome.state is HandOverState.SENT
    return None if taken else f"the {what} was not taken for {address}: {outcome.answer}"


def addresses(text: str, part: str) -> tuple[Address, ...]:
    """The addresses of a part of the summary.

    Raises:
        JobError: they are none.
    """
    try:
        return parse(text)
    except NotAnAddressError as error:
        where = f"gonnet.yaml, summary, {part}"
        raise JobError(f"'{text}' is not an address: {error}", where=where, fix="Write name@domain") from error
