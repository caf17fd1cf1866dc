"""Removing rendered files that need not be kept any longer. The record of what was sent stays, for ever and true."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from gonnet.data.files.kept import READINGS, Kept
from gonnet.errors import JobError
from gonnet.jobs import load_job
from gonnet.ledger import PackageRecord, State
from gonnet.ledger.keeping import REMOVED, KeptRun
from gonnet.ledger.states import OVER
from gonnet.pipeline.tools import Tools

_FRESH = dt.timedelta(days=1)  # what was put since may belong to a run that is being made


@dataclass(frozen=True, slots=True, kw_only=True)
class Tidying:
    """What would be removed.

    Attributes:
        runs: Runs whose files need not be kept, with how many and how many bytes only they need.
        strays: Digests of files that no run refers to, and their bytes.
        waiting: Runs that are old enough → how many of their packages may still leave or are in doubt, and keep theirs.
        digests: The files.
        since: What is put after this, in seconds since 1970, stays.
        readings: What is kept of data files that were read.
    """

    runs: Mapping[KeptRun, tuple[int, int]]
    strays: tuple[int, int]
    waiting: Mapping[KeptRun, int]
    digests: tuple[str, ...]
    since: float
    readings: tuple[Path, ...]


def look_round(tools: Tools) -> Tidying:
    """What need not be kept any longer; nothing is removed."""
    old = {run.id: run for run in tools.ledger.kept_runs() if _is_old(run, tools)}
    leaving = {run: some for run in old.values() if run.is_open and (some := _may_leave(run, tools))}
    kept = {digest for packages in leaving.values() for package in packages for digest in _files(package)}
    since = (tools.clock() - _FRESH).timestamp()
    needed = tools.ledger.files_of_runs()
    found: dict[KeptRun, tuple[int, int]] = dict.fromkeys(old.values(), (0, 0))
    strays, digests = (0, 0), []
    for digest, size, put in tools.store.digests():
        users = needed.get(digest, set())
        if put > since or digest in kept or not users <= old.keys():
            continue
        digests.append(digest)
        if not users:
            strays = strays[0] + 1, strays[1] + size
        else:
            count, total = found[old[max(users)]]
            found[old[max(users)]] = count + 1, total + size
    return Tidying(
        runs={run: part for run, part in found.items() if part[0]},
        strays=strays,
        waiting={run: len(packages) for run, packages in leaving.items()},
        digests=tuple(digests),
        since=since,
        readings=tuple(Kept(tools.workspace.kept / READINGS).all()),
    )


def _is_old(run: KeptRun, tools: Tools) -> bool:
    """Whether nothing says that the files of a run are to be kept."""
    days = _days(run.job, tools)
    return run.is_aborted or (days is not None and tools.clock() - run.prepared > dt.timedelta(days=days))


def _may_leave(run: KeptRun, tools: Tools) -> list[PackageRecord]:
    """The packages of a run that may still leave or are in doubt; not what its recipients have from another run."""
    taken = tools.ledger.taken_elsewhere(tools.ledger.run(str(run.id)))
    return [
        package
        for package in tools.ledger.packages(run.id)
        if package.state is not State.SKIPPED
        and any(
            part.is_in_doubt or (part.state not in OVER and taken.of(package, part) is None)
            for part in package.hand_overs
        )
    ]


def _files(package: PackageRecord) -> Iterator[str]:
    """SHA-256 of every file that a package needs to leave."""
    yield from (part.sha256 for part in package.documents)
    yield from (part.sha256 for part in package.messages)
    yield from (part.sha256 for part in package.hand_overs)


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
    what = f"{REMOVED}: they were kept for as long as the job says"
    tools.ledger.note_removal([run.id for run in found.runs], what)
    for digest in found.digests:
        tools.store.remove(digest, found.since)
    for reading in found.readings:
        reading.unlink(missing_ok=True)
