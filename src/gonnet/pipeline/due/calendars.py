"""The calendars of all jobs, read from their files and known to the ledger."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from gonnet.calendar import House, next_due
from gonnet.calendar.workdays import public_holidays, working_days
from gonnet.errors import JobError, meant
from gonnet.jobs import Job, load_job
from gonnet.jobs.calendar import Entry
from gonnet.ledger.calendar import EntryRecord
from gonnet.pipeline.tools import Tools


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One entry of one job's calendar.

    Attributes:
        job: The job's name.
        entry: What it says.
        record: What the ledger knows of it; None where `gonnet due --run` has not seen it yet.
    """

    job: str
    entry: Entry
    record: EntryRecord | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class JobCalendar:
    """A job as far as its calendar goes.

    Attributes:
        name: The job's name.
        job: The job; None where its file is broken or gone.
        lines: Its entries; those of before where its file is broken.
        trouble: Why its file cannot be read, or None.
    """

    name: str
    job: Job | None
    lines: tuple[Line, ...]
    trouble: JobError | None = None


@dataclass(slots=True)
class Calendars:
    """Reads the calendars of a workspace; files that did not change are not read again.

    Attributes:
        tools: The tools.
        only: The job to which it is limited, or None.
    """

    tools: Tools
    only: str | None = None
    _read: dict[str, tuple[tuple[int, int], Job | JobError | None]] = field(default_factory=dict)
    _next: dict[int, tuple[Entry, dt.datetime, dt.datetime]] = field(default_factory=dict)

    def all(self, *, every_job: bool = False) -> tuple[JobCalendar, ...]:
        """The jobs that have a calendar; with `every_job` the others too."""
        known: dict[str, list[EntryRecord]] = {}
        for record in self.tools.ledger.entries.all():
            known.setdefault(record.job, []).append(record)
        names = self.tools.workspace.job_names()
        if self.only is not None:
            if self.only not in names:
                what = f"there is no job '{self.only}'"
                raise JobError(what, where="jobs/", fix=meant(self.only, names, noun="job"))
            names, known = [self.only], {name: found for name, found in known.items() if name == self.only}
        found = [self._calendar(name, known.get(name, []), every_job=every_job) for name in names]
        gone = [_gone(name, records) for name, records in known.items() if name not in names]
        return tuple(one for one in (*found, *gone) if one.lines or one.trouble is not None or every_job)

    def coming(self, entries: Iterable[Entry], house: House) -> list[dt.datetime]:
        """The next moment of each entry that has some; worked out again once it has passed, or the clock went back."""
        now, known = self.tools.clock(), self._next
        self._next = {}
        for entry in entries:
            _, asked, moment = known.get(id(entry), (entry, now, now))
            if not asked <= now < moment:
                due = next_due(entry, house, now) if entry.is_dated else None
                if due is None:
                    continue
                asked, moment = now, due.moment
            self._next[id(entry)] = (entry, asked, moment)
        return [moment for _, _, moment in self._next.values()]

    def keep(self) -> None:
        """Let the ledger know the entries as they are now; those of broken files stay as they were."""
        now = self.tools.clock()
        for one in self.all(every_job=True):
            if one.job is not None:
                self.tools.ledger.entries.keep(one.name, said(one.job), now)

    def _calendar(self, name: str, records: Sequence[EntryRecord], *, every_job: bool) -> JobCalendar:
        job = self._job(name, is_wanted=every_job or bool(records))
        if isinstance(job, JobError):
            return JobCalendar(name=name, job=None, lines=_as_they_were(records), trouble=job)
        by_name = {record.name: record for record in records}
        entries = job.file.calendar if job is not None else ()
        lines = tuple(Line(job=name, entry=entry, record=by_name.get(entry.called)) for entry in entries)
        return JobCalendar(name=name, job=job, lines=lines)

    def _job(self, name: str, *, is_wanted: bool) -> Job | JobError | None:
        """The job; None where it is not wanted and has no calendar; the error where it cannot be read."""
        path = self.tools.workspace.job_path(name)
        try:
            stat = path.stat()
            mark = stat.st_mtime_ns, stat.st_size
            if name in self._read and self._read[name][0] == mark and self._read[name][1] is not None:
                return self._read[name][1]
            found: Job | JobError | None = None
            if is_wanted or _has_calendar(path):
                found = _loaded(name, self.tools)
        except OSError:
            return None
        self._read[name] = (mark, found)
        return found


def _loaded(name: str, tools: Tools) -> Job | JobError:
    try:
        return load_job(tools.workspace, name)
    except JobError as error:
        return error


def _has_calendar(path: Path) -> bool:
    return b"calendar" in path.read_bytes()


def _gone(name: str, records: Sequence[EntryRecord]) -> JobCalendar:
    lines = _as_they_were(records)
    trouble = JobError(f"there is no job '{name}' any more", where=f"jobs/{name}.yaml", fix="Put its file back")
    return JobCalendar(name=name, job=None, lines=lines, trouble=trouble)


def _as_they_were(records: Sequence[EntryRecord]) -> tuple[Line, ...]:
    """The entries that the ledger knows; what an earlier version wrote otherwise is left out."""
    found = []
    for record in records:
        with suppress(ValueError):
            found.append(Line(job=record.job, entry=entry_of(record.says), record=record))
    return tuple(found)


def said(job: Job) -> dict[str, Mapping[str, Any]]:
    """What a job's calendar says, entry by entry, in plain values."""
    tree = job.tree.get("calendar", []) if isinstance(job.tree, Mapping) else []
    parts = [tree] if isinstance(tree, Mapping) else list(tree)
    return {
        entry.called: json.loads(json.dumps(part, default=str))
        for entry, part in zip(job.file.calendar, parts, strict=True)
    }


def entry_of(says: Mapping[str, Any]) -> Entry:
    """An entry from what it said."""
    return Entry.model_validate_json(json.dumps(says))


def house_of(tools: Tools) -> House:
    """How the workspace counts days.

    Raises:
        JobError: its holidays are not known.
    """
    file = tools.workspace.file
    return House(
        zone=tools.workspace.zone,
        year_begins=file.year_begins,
        is_working=working_days(file.holidays),
        is_holiday=public_holidays(file.holidays),
    )
