"""All jobs at a glance: what each is, when it runs next, and how it went."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from gonnet.errors import JobError
from gonnet.ledger import RunRecord
from gonnet.ledger.calendar import OccurrenceRecord, OccurrenceState, PauseRecord
from gonnet.ledger.states import Purpose
from gonnet.pipeline.due.calendars import Calendars, JobCalendar
from gonnet.pipeline.due.outlook import Outlook, outlook
from gonnet.pipeline.tools import Tools


@dataclass(frozen=True, slots=True, kw_only=True)
class JobView:
    """One job.

    Attributes:
        name: Its name.
        title: Its title; empty where its file is broken.
        about: What it says of itself.
        tags: Its tags.
        next: When it is due next by its calendar, or None.
        last: Its newest run that is no rehearsal, or None.
        failed: Its newest occurrence, where that failed before it came to a run.
        pause: Its pause, or None.
        trouble: Why its file cannot be read, or None.
    """

    name: str
    title: str
    about: str
    tags: tuple[str, ...]
    next: Outlook | None
    last: RunRecord | None
    failed: OccurrenceRecord | None
    pause: PauseRecord | None
    trouble: JobError | None


def every_job(calendars: Calendars, tags: Sequence[str] = (), find: str = "") -> tuple[JobView, ...]:
    """The jobs of a workspace, by name.

    Args:
        calendars: Reads the jobs.
        tags: Only jobs that have all of these.
        find: Only jobs with this in their name, title, text, tags, or in the name of a recipient of their newest run.
    """
    tools = calendars.tools
    nearest: dict[str, Outlook] = {}
    for one in outlook(calendars):
        nearest.setdefault(one.job, one)
    newest: dict[str, RunRecord] = {}
    for run in tools.ledger.all_runs():
        if run.purpose is not Purpose.TRIAL:
            newest.setdefault(run.job, run)
    paused = tools.ledger.pauses.on(tools.today())
    views = [
        _view(one, nearest.get(one.name), newest.get(one.name), paused.get(one.name))
        for one in calendars.all(every_job=True)
    ]
    wanted = {tag.casefold() for tag in tags}
    found = [view for view in views if wanted <= {tag.casefold() for tag in view.tags}]
    return tuple(view for view in found if not find or _has(view, find.casefold(), calendars))


def _view(calendar: JobCalendar, nearest: Outlook | None, last: RunRecord | None, pause: PauseRecord | None) -> JobView:
    file = calendar.job.file if calendar.job is not None else None
    failed = nearest.last if nearest is not None else None
    if failed is not None and (not failed.state.is_wrong or failed.run is not None):
        failed = None
    return JobView(
        name=calendar.name,
        title=file.title if file is not None else "",
        about=file.about if file is not None else "",
        tags=file.tags if file is not None else (),
        next=nearest,
        last=last,
        failed=failed if failed and (last is None or failed.entered > last.prepared) else None,
        pause=pause,
        trouble=calendar.trouble,
    )


def _has(view: JobView, text: str, calendars: Calendars) -> bool:
    own = (view.name, view.title, view.about, *view.tags)
    if any(text in part.casefold() for part in own):
        return True
    if view.last is None:
        return False
    names = calendars.tools.ledger.names_of(view.last.id)
    return any(text in name.casefold() for name in names)


def never_run(tools: Tools, job: str | None = None) -> tuple[OccurrenceRecord, ...]:
    """What was due and never came to a run, the newest first; of one job or of all."""
    wrong = [state for state in OccurrenceState if state.is_wrong]
    return tuple(one for one in tools.ledger.occurrences.without_run(wrong) if job in (None, one.job))
