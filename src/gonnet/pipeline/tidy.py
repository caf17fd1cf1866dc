"""Removing rendered files that need not be kept any longer. The record of what was sent stays, for ever and true."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass

from gonnet.errors import JobError
from gonnet.jobs import load_job
from gonnet.ledger.keeping import KeptRun
from gonnet.pipeline.tools import Tools

_FRESH = dt.timedelta(days=1)  # what was put since may belong to a run that is being made


@dataclass(frozen=True, slots=True, kw_only=True)
class Tidying:
    """What would be removed.

    Attributes:
        runs: Runs whose files need not be kept, with how many and how many bytes only they need.
        strays: Digests of files that no run refers to, and their bytes.
        waiting: Runs that are old enough, and of which something may still leave or is in doubt.
        digests: The files.
        since: What is put after this, in seconds since 1970, stays.
    """

    runs: Mapping[KeptRun, tuple[int, int]]
    strays: tuple[int, int]
    waiting: tuple[KeptRun, ...]
    digests: tuple[str, ...]
    since: float


def look_round(tools: Tools) -> Tidying:
    """What need not be kept any longer; nothing is removed."""
    now = tools.clock()
    days: dict[str, int | None] = {}
    old: list[KeptRun] = []
    waiting: list[KeptRun] = []
    for run in tools.ledger.kept_runs():
        if run.job not in days:
            days[run.job] = _days(run.job, tools)
        span = days[run.job]
        if run.is_aborted or (span is not None and now - run.prepared > dt.timedelta(days=span)):
            (waiting if run.is_open else old).append(run)
    since = (now - _FRESH).timestamp()
    numbers = {run.id: run for run in old}
    needed = tools.ledger.files_of_runs()
    found: dict[KeptRun, tuple[int, int]] = dict.fromkeys(old, (0, 0))
    strays, digests = (0, 0), []
    for digest, size, put in tools.store.digests():
        if put > since:
            continue
        users = needed.get(digest, set())
        if not users:
            strays = strays[0] + 1, strays[1] + size
            digests.append(digest)
        elif users <= numbers.keys():
            count, total = found[numbers[max(users)]]
            found[numbers[max(users)]] = count + 1, total + size
            digests.append(digest)
    runs = {run: part for run, part in found.items() if part[0]}
    return Tidying(runs=runs, strays=strays, waiting=tuple(waiting), digests=tuple(digests), since=since)


def _days(job: str, tools: Tools) -> int | None:
    """How long the files of a job are kept; as the workspace says where the job is gone."""
    usual = tools.workspace.file.ledger.keep
    try:
        own = load_job(tools.workspace, job).file.keep
    except JobError:
        return usual
    return usual if own is None else own


def tidy(found: Tidying, tools: Tools) -> None:
    """Remove what was found, and write down of which runs."""
    tools.ledger.note_removal([run.id for run in found.runs], "its files were removed, as long as they are to be kept")
    for digest in found.digests:
        tools.store.remove(digest, found.since)
