"""What of a job's calendar can be seen to go wrong before it runs by itself, and when it would run."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from gonnet.calendar import next_due
from gonnet.errors import GonnetError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.calendar import Entry
from gonnet.pipeline.due.calendars import house_of
from gonnet.pipeline.due.triggers import look
from gonnet.pipeline.sending.notices import addresses
from gonnet.pipeline.tools import Tools


def coming(job: Job, tools: Tools) -> tuple[tuple[str, dt.datetime | None], ...]:
    """Each entry with the moment at which it is due next; None where that is when its data come, or never.

    Raises:
        JobError: the workspace's holidays are not known.
    """
    if not job.file.calendar:
        return ()
    house, now = house_of(tools), tools.clock()
    due = [(entry.called, next_due(entry, house, now)) for entry in job.file.calendar]
    return tuple((name, one.moment if one is not None else None) for name, one in due)


def troubles(job: Job, tools: Tools) -> Iterator[Finding]:
    """A finding for each thing that an entry needs and does not have."""
    if job.file.calendar and tools.workspace.file.summary is None and not tools.workspace.file.alarm:
        text = "nobody would hear what goes wrong when it runs by itself: gonnet.yaml has no `summary`"
        yield Finding(weight=Weight.NOTE, text=text)
    for index, entry in enumerate(job.file.calendar):
        place = ("calendar", index) if ("calendar", index) in job.positions.values else ("calendar",)
        for what in _of_entry(entry, tools, job.at(*place)):
            yield _told(f"{job.at(*place)}: {what}")


def _of_entry(entry: Entry, tools: Tools, where: str) -> Iterator[str]:
    if entry.on_holiday != "run" and tools.workspace.file.holidays is None:
        yield "`on_holiday` has no effect: gonnet.yaml names no `holidays`"
    if entry.tell is not None and tools.workspace.file.summary is None:
        yield "`tell` has no effect: gonnet.yaml has no `summary`, which says from whom it is"
    if entry.tell is not None:
        try:
            addresses(entry.tell, "tell")
        except GonnetError as error:
            yield f"`tell`: {error.what}"
    if entry.waits_for is not None:
        found = look(entry.waits_for, "", tools, where)
        if found.failed is not None:
            yield found.why


def _told(text: str) -> Finding:
    return Finding(weight=Weight.ATTENTION, text=text)
