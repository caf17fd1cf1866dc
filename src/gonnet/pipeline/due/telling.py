"""What administrators hear of the calendar: what happened, where, and what to do. No figure of a recipient is in it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence

from gonnet.errors import GonnetError, typed
from gonnet.findings import Weight
from gonnet.jobs.calendar import Entry
from gonnet.ledger import RunRecord
from gonnet.ledger.calendar import EntryRecord, Notice, OccurrenceRecord, OccurrenceState
from gonnet.ledger.calendar.occurrences import New
from gonnet.pipeline.due.triggers import said_length
from gonnet.pipeline.sending.summary import plain, summary_of
from gonnet.pipeline.tools import Tools

_SHOWN = 10


def of_run(occurrence: OccurrenceRecord, entry: Entry, run: RunRecord, reason: str, tools: Tools) -> Notice:
    """An occurrence that came to a run: what became of it."""
    head = f"{_called(occurrence)}: {reason}."
    steps = [f"`{typed('show', run.id)}` shows every package, and what can be done"]
    if entry.do == "prepare":
        steps = [f"`{typed('review', run.id)}` shows every package; `{typed('send', run.id)}` hands over what is ready"]
    found = [text for weight, text in run.findings if weight == Weight.ATTENTION]
    first = [head, *(f"Found: {text}" for text in found[:_SHOWN])]
    counts = ", ".join(f"{count} {state}" for state, count in run.came.items()) or "no packages"
    notice = summary_of(run, tools, subject=f"{run.title}: {counts}", first=first, tell=entry.tell or "")
    return Notice(
        subject=notice.subject, text=f"{notice.text}\n\nNext: {'; '.join(steps)}.\n", tell=notice.tell, run=notice.run
    )


def failed(occurrence: OccurrenceRecord, entry: Entry | None, error: GonnetError, tools: Tools) -> Notice:
    """An occurrence that could not be run: what is wrong, where, and how to put it right."""
    tries = f" after {occurrence.tries} tries" if occurrence.tries > 1 else ""
    lines = [f"{_called(occurrence)}, failed{tries}:", "", *_mistakes(error), ""]
    if occurrence.run is not None:
        lines += [f"`{typed('show', occurrence.run)}` shows how far it came.", ""]
    lines.append(f"Then: `{typed('run', occurrence.job)}` runs it by hand; otherwise the next one is run at its time.")
    return _notice(f"Failed: {occurrence.job}, {_when(occurrence.due, tools)}", lines, entry)


def absent(occurrence: OccurrenceRecord, entry: Entry, why: str, tools: Tools) -> Notice:
    """What an occurrence waited for did not come in time."""
    lines = [
        f"{_called(occurrence)}, was not run: what it waits for did not come in time ({plain(why)}).",
        "",
        f"When it is there: `{typed('run', occurrence.job)}` runs it by hand.",
    ]
    return _notice(f"Did not come: {occurrence.job}, {_when(occurrence.due, tools)}", lines, entry)


def not_asked(record: EntryRecord, entry: Entry, error: GonnetError) -> Notice:
    """What an entry waits for cannot be asked for, again and again."""
    lines = [
        f"The entry '{plain(record.name)}' of the job {plain(record.job)} waits for something that could not be asked "
        f"for {entry.tries} times in a row:",
        "",
        *_mistakes(error),
        "",
        "It is asked for again all the time; nothing else need be done once that is put right.",
    ]
    return _notice(f"Cannot be asked: {record.job}", lines, entry)


def missed(record: EntryRecord, found: Sequence[New], entry: Entry, tools: Tools) -> Notice:
    """What was due while nothing ran and is not made up for."""
    lines = [f"Of the entry '{plain(record.name)}' of the job {plain(record.job)} nothing was run for:", ""]
    lines += [f"- {_when(due, tools)}: {plain(reason)}" for _, due, _, reason in found[:_SHOWN]]
    lines += [f"- and {len(found) - _SHOWN} more"] if len(found) > _SHOWN else []
    lines += [
        "",
        f"Was the machine off? What is due is run up to {said_length(entry.within)} later (`within`).",
        "",
        f"`{typed('run', record.job, '--as-of', found[-1][0][:10])}` makes up for one by hand.",
    ]
    return _notice(f"Missed: {record.job}, {len(found)} of its dates", lines, entry)


def digest(found: Sequence[OccurrenceRecord], since: dt.datetime, tools: Tools) -> Notice:
    """Everything since the last digest, in one message."""
    wrong = [one for one in found if one.state.is_wrong]
    lines = [f"Since {_when(since, tools)}: {len(found)} due, {len(wrong)} of them not as they should be.", ""]
    lines += [_line(one, tools) for one in sorted(found, key=lambda one: (not one.state.is_wrong, one.due))]
    word = f"{len(wrong)} want attention" if wrong else "all is well"
    return Notice(subject=f"The calendar: {len(found)} due, {word}", text="\n".join(lines))


def _line(one: OccurrenceRecord, tools: Tools) -> str:
    run = f", run {one.run}" if one.run is not None else ""
    reason = f": {plain(one.reason)}" if one.reason else ""
    return f"- {_when(one.due, tools)} {plain(one.job)}{run}: {one.state}{reason}"


def _called(occurrence: OccurrenceRecord) -> str:
    named = occurrence.named.replace("T", " ")
    return f"The job {plain(occurrence.job)}, entry '{plain(occurrence.entry)}' of {named}"


def _mistakes(error: GonnetError) -> Iterator[str]:
    for one in error.mistakes:
        where = f"{plain(one.where)}: " if one.where else ""
        fix = f". {plain(one.fix)}" if one.fix else ""
        yield f"- {where}{plain(one.what)}{fix}"


def _notice(subject: str, lines: Sequence[str], entry: Entry | None) -> Notice:
    return Notice(subject=subject, text="\n".join(lines), tell=(entry.tell or "") if entry is not None else "")


def _when(moment: dt.datetime, tools: Tools) -> str:
    return f"{moment.astimezone(tools.workspace.zone):%Y-%m-%d %H:%M}"


def wants_to_be_told(state: OccurrenceState, tools: Tools) -> bool:
    """Whether administrators hear of an occurrence that came to a state at all."""
    spec = tools.workspace.file.summary
    if state.is_wrong or state is OccurrenceState.TO_REVIEW:
        return True
    return spec is not None and spec.when == "always"
