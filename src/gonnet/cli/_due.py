"""The calendar in a terminal: what is due, what came of it, what comes next."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import click

from gonnet.cli import _exit, _show
from gonnet.errors import typed

if TYPE_CHECKING:
    from gonnet.ledger.calendar import NoticeRecord, OccurrenceRecord
    from gonnet.pipeline.due.calendars import Line
    from gonnet.pipeline.due.outlook import Outlook
    from gonnet.pipeline.due.rehearsal import Rehearsed
    from gonnet.pipeline.due.running import Came
    from gonnet.pipeline.tools import Tools

_GOOD = {"sent": "sent", "nothing to send": "note", "to review": "attention", "wants attention": "attention"}
_STANDING = {"due now": "attention", "waits": "held", "paused": "held", "broken": "failed", "over": "note"}


def when(moment: dt.datetime | None, tools: Tools) -> str:
    """A moment in the time zone of the workspace: `Mon 30 Nov 08:00`; with its year where that is another."""
    if moment is None:
        return ""
    local, now = moment.astimezone(tools.workspace.zone), tools.clock().astimezone(tools.workspace.zone)
    year = "" if local.year == now.year else f" {local.year}"
    return f"{local:%a} {local.day} {local:%b}{year} {local:%H:%M}"


def listed(found: Sequence[Outlook], tools: Tools) -> None:
    """Print how every entry stands."""
    if not found:
        _show.line("No job has a calendar.")
        _show.next_steps(("docs/calendar.md", "how to write one"))
        return
    table = _show.table("When", ("Job", "key"), "Entry", "Does", "Stands", "Last", ("Why", "wrap"))
    for one in found:
        does = "send" if one.entry.do == "send" else "prepare"
        standing = _show.state(_STANDING.get(str(one.standing), ""), str(one.standing))
        last = _last(one.last, tools)
        moment = when(one.at, tools) or "when it comes"
        _show.rows(table, [[moment, one.job, one.entry.called, does, standing, last, one.why]])
    _show.show(table, least=("Does", "Last", "Entry"))


def _last(one: OccurrenceRecord | None, tools: Tools) -> Any:  # noqa: ANN401  a text or a plain one
    if one is None or one.state.is_open:
        return ""
    text = f"{when(one.due, tools)}: {one.state}"
    return _show.state("failed" if one.state.is_wrong else _GOOD.get(str(one.state), ""), text)


def coming(found: Sequence[tuple[dt.datetime, Line]], days: int, tools: Tools) -> None:
    """Print what will be due."""
    if not found:
        _show.line(f"Nothing is due in the next {_show.many(days, 'day')}.")
        return
    table = _show.table("When", ("Job", "key"), "Entry", "Does")
    for moment, line in found:
        _show.rows(table, [[when(moment, tools), line.job, line.entry.called, line.entry.do]])
    _show.show(table)
    _show.line(f"{_show.many(len(found), 'date')} in the next {_show.many(days, 'day')}.")


def untold(found: Sequence[NoticeRecord], tools: Tools) -> None:
    """Print what administrators were to hear and nobody has heard."""
    for record in found:
        why = f" ({record.trouble})" if record.trouble else ""
        alarm = "; the alarm was given" if record.alarmed else ""
        text = f"! not told yet: {record.notice.subject}, of {when(record.at, tools)}{why}{alarm}"
        _show.console().print(_show.state("attention", text), soft_wrap=True)


def unheard(record: NoticeRecord) -> None:
    """Print a notice for which the workspace names nobody who is told."""
    _show.console().print(_show.state("attention", f"! {record.notice.subject}"), soft_wrap=True)
    for line in record.notice.text.strip().splitlines():
        _show.line(f"    {line}".replace("\\", ""))


def began(one: OccurrenceRecord) -> None:
    """Print that an occurrence begins."""
    _show.line(f"{one.job}, {one.entry} of {one.named.replace('T', ' ')} …")


def ended(came: Came) -> None:
    """Print what an occurrence came to."""
    one = came.occurrence
    run = f", run {one.run}" if one.run is not None else ""
    word = "failed" if one.state.is_wrong else _GOOD.get(str(one.state), "note")
    text = f"  {one.state}{run}" + (f": {one.reason}" if one.reason else "")
    if one.next_try is not None:
        text += f"; tried again at {one.next_try.astimezone():%H:%M}"
    _show.console().print(_show.state(word, text), soft_wrap=True)


def code_of(found: Sequence[Came], troubles: Sequence[str]) -> int:
    """The exit code of a round."""
    if any(came.is_defect for came in found):
        return _exit.DEFECT
    if troubles or any(came.occurrence.state.is_wrong for came in found):
        return _exit.ATTENTION
    if any(came.error is not None for came in found):
        return _exit.UNREACHABLE
    return _exit.DONE


def as_json(found: Sequence[Outlook], notices: Sequence[NoticeRecord]) -> None:
    """Print how every entry stands as one JSON object."""
    entries = [
        {
            "job": one.job,
            "title": one.title,
            "entry": one.entry.called,
            "does": one.entry.do,
            "stands": str(one.standing),
            "at": one.at.isoformat() if one.at else None,
            "why": one.why,
            "last": occurrence_object(one.last) if one.last else None,
        }
        for one in found
    ]
    untold = [{"subject": n.notice.subject, "text": n.notice.text, "why_not_told": n.trouble} for n in notices]
    click.echo(json.dumps({"entries": entries, "not_told": untold}, ensure_ascii=False, indent=2))


def occurrence_object(one: OccurrenceRecord) -> dict[str, Any]:
    """An occurrence as machines read it."""
    return {
        "job": one.job,
        "entry": one.entry,
        "named": one.named,
        "due": one.due.isoformat(),
        "state": str(one.state),
        "reason": one.reason,
        "run": one.run,
        "tries": one.tries,
    }


def rehearsed(found: Rehearsed, to: str, tools: Tools) -> None:
    """Print what one occurrence would be."""
    from gonnet.cli import _report

    moment = when(found.due.moment, tools) if found.due is not None else "when its data come"
    _show.line(f"{found.run.job}, {found.entry.called}: {moment}", "bold")
    _show.line(f"It would be prepared for {found.run.as_of}: {_report.states(found.run)}.")
    if found.choice is None:
        _show.line("Nothing would be sent by itself: somebody would be asked to review it.")
    else:
        packages, parts = _show.many(len(found.choice.packages), "package"), sum(1 for _ in found.choice.everything())
        _show.line(f"Then {packages} would leave, in {_show.many(parts, 'hand-over')}.")
        if found.choice.earlier:
            _show.line(f"{_show.many(len(found.choice.earlier), 'package')} would not: they were sent already.")
    _report.findings(found.run.findings, attention_only=False)
    if found.report is not None:
        _show.line(f"{_show.many(len(found.report.replies), 'message')} left to {to}, and to nobody else.")
        if found.report.ended:
            _show.line(f"  It ended early: {found.report.ended}")
    _show.line("This was a rehearsal: it counts for nothing.")
    _show.next_steps((typed("review", found.run.id), "look at what was made"))
