"""Telling a database of the user's what became of every package, once for each state that a package comes to.

Nothing of a run depends on it: what cannot be written is told, recorded, and tried again with the next send.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice

from gonnet.data.databases.writing import names_in_statement, require_names, write
from gonnet.errors import GonnetError
from gonnet.jobs import Job, load_job
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.ledger.reading import those
from gonnet.pipeline.reviewing.comparison import number
from gonnet.pipeline.tools import Tools

_TOGETHER = 500  # packages in one transaction
_VALUES = (
    *("key", "state", "reason", "at", "message_id", "way", "target", "files", "rows"),
    *("run", "run_date", "job", "period"),
)
_FIGURE, _RECIPIENT = "figure_", "recipient_"


def require_writable(job: Job, tools: Tools, lists: Iterable[str] = ()) -> None:
    """Refuse a job that wants something written back which cannot be.

    Args:
        job: The job.
        tools: The tools.
        lists: The columns of its lists.

    Raises:
        JobError: the workspace has no such database.
        DataError: the statement names a value that there is not.
    """
    spec = job.file.write_back
    if spec is not None:
        tools.workspace.database(spec.database, job.at("write_back", "database"))
        figures = [f"{_FIGURE}{name}" for name in job.file.figures]
        columns = [f"{_RECIPIENT}{name}" for name in lists]
        require_names(spec.sql, (*_VALUES, *figures, *columns), job.at("write_back", "sql"))


def kept_columns(job: Job) -> tuple[str, ...]:
    """The columns of the list that the statement names: they are kept, since the list may be another one by then."""
    spec = job.file.write_back
    names = names_in_statement(spec.sql) if spec is not None else ()
    return tuple(name.removeprefix(_RECIPIENT) for name in names if name.startswith(_RECIPIENT))


def write_back(run: RunRecord, tools: Tools, job: Job | None = None) -> str | None:
    """Write what became of a run's packages, where its job wants that; why it could not be, or None.

    A package is written when it has come to a state that was not written yet. The database is told before the ledger
    notes that it was: cut off in between, the same is written once more.

    Args:
        run: The run.
        tools: The tools.
        job: Its job, where it was read already.
    """
    if not tools.workspace.job_path(run.job).is_file():
        return None  # the job is gone, and with it what it wanted
    try:
        job = job or load_job(tools.workspace, run.job)
        if job.file.write_back is None:
            return None
        with tools.ledger.rights.alone(run):
            return _written(run, job, tools)
    except GonnetError as error:
        return f"nothing was written back: {error.what}"


def _written(run: RunRecord, job: Job, tools: Tools) -> str | None:
    spec = job.file.write_back
    assert spec is not None
    place = spec.database, tools.workspace.database(spec.database, job.at("write_back", "database"))
    known = tools.ledger.written_back(run.id)
    packages = tools.ledger.packages(run.id)
    changed = those(packages, lambda one: one.state is not State.READY and known.get(one.id) != one.came_to)
    done = 0
    for part in _batches(changed):
        lines = [_values(package, run, job) for package in part]
        where = job.at("write_back", "sql")
        try:
            write(spec.sql, lines, place, tools.workspace.secrets, tools.workspace.folder, where)
        except GonnetError as error:
            failed = f"{len(changed) - done} packages were not written back to {spec.database}: {error.what}"
            tools.ledger.remark(run.id, failed)
            tools.log.say("not written back", run=run.id, count=len(changed) - done)
            return failed
        tools.ledger.note_written_back({package.id: package.came_to for package in part})
        done += len(part)
    if done:
        tools.ledger.remark(run.id, f"written back to {spec.database}: {done} packages")
        tools.log.say("written back", run=run.id, count=done)
    return None


def _batches(packages: Sequence[PackageRecord]) -> Iterator[list[PackageRecord]]:
    every = iter(packages)
    while part := list(islice(every, _TOGETHER)):
        yield part


def _values(package: PackageRecord, run: RunRecord, job: Job) -> dict[str, object]:
    tried = [part for part in package.hand_overs if part.at is not None]
    times = [part.at for part in tried if part.at is not None]
    carried = [part.message_id for part in tried if part.message_id]  # of what was never handed over nobody knows it
    files = (name for message in package.messages if message.message_id in carried for name in message.files)
    placed = (part.target.place.rpartition("/")[2] for part in tried if not part.message_id)
    figures = {f"{_FIGURE}{name}": _number(package.figures.get(name, "")) for name in job.file.figures}
    columns = {f"{_RECIPIENT}{name}": package.kept.get(name) for name in kept_columns(job)}
    return (
        figures
        | columns
        | {
            "key": package.key,
            "state": package.came_to,
            "reason": package.reason,
            "way": "; ".join(dict.fromkeys(part.way or str(part.kind) for part in tried)) or None,
            "target": "; ".join(dict.fromkeys(map(str, tried))) or None,
            "files": "; ".join(dict.fromkeys((*files, *filter(None, placed)))) or None,
            "rows": package.rows,
            "run_date": run.as_of.isoformat(),
            "at": max(times).astimezone(dt.UTC).isoformat(timespec="seconds") if times else None,
            "message_id": carried[-1] if carried else None,
            "run": run.id,
            "job": run.job,
            "period": run.period,
        }
    )


def _number(text: str) -> object:
    """A figure as a number, where it is one; None where it is empty."""
    found = number(text)
    return found if found is not None else text or None
