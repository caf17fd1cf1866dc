"""What is due now and next, and why something is not: for whoever looks at the calendar."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from gonnet.calendar import Event, House, due_between, icalendar, next_due
from gonnet.jobs.calendar import Entry
from gonnet.ledger.calendar import OccurrenceRecord, PauseRecord
from gonnet.pipeline.due.calendars import Calendars, JobCalendar, Line, house_of
from gonnet.pipeline.due.triggers import look


class Standing(StrEnum):
    """How an entry stands."""

    DUE = "due now"
    NEXT = "next"
    WAITS = "waits"
    PAUSED = "paused"
    OVER = "over"
    UNSEEN = "new"
    BROKEN = "broken"


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlook:
    """How one entry stands.

    Attributes:
        job: Its job.
        title: The job's title; empty where its file is broken.
        entry: What it says.
        standing: How it stands.
        at: When it is due, or was; None where that is not known.
        why: What more is to be said of it.
        last: Its last occurrence, or None.
    """

    job: str
    title: str
    entry: Entry
    standing: Standing
    at: dt.datetime | None
    why: str
    last: OccurrenceRecord | None


def outlook(calendars: Calendars) -> tuple[Outlook, ...]:
    """How every entry stands, what is due first before what comes later.

    Raises:
        JobError: the workspace's holidays are not known.
    """
    tools = calendars.tools
    house, paused, last = house_of(tools), tools.ledger.pauses.on(tools.today()), tools.ledger.occurrences.last()
    open_ones = {(one.job, one.entry): one for one in reversed(tools.ledger.occurrences.open())}
    found = []
    for calendar in calendars.all():
        for line in calendar.lines:
            place = line.job, line.entry.called
            about = _About(calendar, line, paused.get(line.job), open_ones.get(place), last.get(place))
            found.append(_standing(about, house, calendars))
    far = dt.datetime.max.replace(tzinfo=dt.UTC)
    return tuple(sorted(found, key=lambda one: (one.at or far, one.job)))


@dataclass(frozen=True, slots=True)
class _About:
    calendar: JobCalendar
    line: Line
    pause: PauseRecord | None
    open_one: OccurrenceRecord | None
    last: OccurrenceRecord | None


def _standing(about: _About, house: House, calendars: Calendars) -> Outlook:
    tools, entry = calendars.tools, about.line.entry
    now = tools.clock()
    upcoming = next_due(entry, house, now) if entry.is_dated else None
    at = upcoming.moment if upcoming is not None else None
    standing, why = Standing.NEXT, _moved(entry, house, at) or _left_out(entry, house, now, at)
    if about.calendar.trouble is not None:
        standing, why = Standing.BROKEN, f"{about.calendar.trouble.where}: {about.calendar.trouble.what}"
    elif about.pause is not None:
        until = f" until {about.pause.until}" if about.pause.until else ""
        standing, why = Standing.PAUSED, f"{about.pause.why} (by {about.pause.who}{until})"
    elif about.open_one is not None:
        at, why = about.open_one.due, about.open_one.reason
        waits = about.open_one.next_try is not None or why.startswith("waits:")
        standing = Standing.WAITS if waits else Standing.DUE
        why = _again(about.open_one, why, house)
    elif about.line.record is None:
        standing, why = Standing.UNSEEN, "it counts from the next `gonnet due --run` on"
    elif not entry.is_dated and entry.waits_for is not None:
        found = look(entry.waits_for, about.line.record.mark, tools, f"jobs/{about.line.job}.yaml")
        standing, why = (Standing.DUE if found.is_met else Standing.WAITS), found.why
    elif upcoming is None:
        standing, why = Standing.OVER, "nothing more is due"
    elif missed := _gone_by(about.line, house, now):
        standing, at, why = Standing.DUE, missed, ""
    title = about.calendar.job.file.title if about.calendar.job is not None else ""
    return Outlook(job=about.line.job, title=title, entry=entry, standing=standing, at=at, why=why, last=about.last)


def _gone_by(line: Line, house: House, now: dt.datetime) -> dt.datetime | None:
    """The first moment that passed since the calendars were last gone through."""
    assert line.record is not None
    due = next(due_between(line.entry, house, max(line.record.since, line.record.seen), now), None)
    return due.moment if due is not None else None


def _again(one: OccurrenceRecord, why: str, house: House) -> str:
    if one.next_try is None:
        return why
    return f"{why}; tried again at {one.next_try.astimezone(house.zone):%H:%M} (try {one.tries + 1})"


def _moved(entry: Entry, house: House, at: dt.datetime | None) -> str:
    """That a holiday or a weekend moves the next date."""
    if at is None:
        return ""
    due = next(due_between(entry, house, at - dt.timedelta(seconds=1), at), None)
    if due is None or due.named.date() == due.day(house.zone):
        return ""
    what = "a holiday" if house.is_holiday(due.named.date()) else "a weekend"
    return f"moved from {due.named:%a %d %b}, {what}"


def _left_out(entry: Entry, house: House, now: dt.datetime, at: dt.datetime | None) -> str:
    """That a holiday or a weekend leaves out a date before the next one, or that it has not begun."""
    if entry.since is not None and entry.since > now.astimezone(house.zone).date():
        return f"from {entry.since}"
    if at is None or "skip" not in (entry.on_holiday, entry.on_weekend):
        return ""
    plain = entry.model_copy(update={"on_holiday": "run", "on_weekend": "run"})
    before = next(due_between(plain, house, now, at - dt.timedelta(seconds=1)), None)
    if before is None:
        return ""
    what = "a holiday" if house.is_holiday(before.named.date()) else "a weekend"
    return f"not {before.named:%a %d %b}, {what}"


def coming(calendars: Calendars, days: int) -> tuple[tuple[dt.datetime, Line], ...]:
    """What will be due within so many days, in order.

    Raises:
        JobError: the workspace's holidays are not known.
    """
    house, now = house_of(calendars.tools), calendars.tools.clock()
    until = now + dt.timedelta(days=days)
    lines = [line for calendar in calendars.all() for line in calendar.lines]
    found = [(due.moment, line) for line in lines for due in due_between(line.entry, house, now, until)]
    return tuple(sorted(found, key=lambda pair: (pair[0], pair[1].job)))


def write_events(found: Iterable[tuple[dt.datetime, Line]], calendars: Calendars, place: Path) -> None:
    """Write what will be due as a calendar file (RFC 5545)."""
    titles = {one.name: one.job.file.title for one in calendars.all() if one.job is not None}
    name = calendars.tools.workspace.folder.name
    text = icalendar(_events(found, titles), f"Gonnet: {name}", calendars.tools.clock())
    place.write_bytes(text.encode("utf-8"))


def _events(found: Iterable[tuple[dt.datetime, Line]], called: Mapping[str, str]) -> Iterator[Event]:
    for moment, line in found:
        does = "is sent" if line.entry.do == "send" else "is prepared, for review"
        text = f"The job {line.job} {does}: {line.entry.called}"
        if line.entry.waits_for is not None:
            text += "; it waits for its data"
        mark = f"{line.job}-{line.entry.called}-{moment:%Y%m%dT%H%M}".replace(" ", "-").replace(",", "")
        yield Event(id=f"{mark}@gonnet.invalid", moment=moment, title=called.get(line.job, line.job), text=text)
