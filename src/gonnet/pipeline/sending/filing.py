"""Putting the files of packages into the places they are to go to: folders, mailboxes' drafts, printers."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from gonnet.errors import JobError
from gonnet.jobs import Job
from gonnet.jobs.workspace import FolderRoot
from gonnet.ledger import PackageRecord, RunRecord, State
from gonnet.ledger.records import FilingRecord, HandOver
from gonnet.pipeline.sending.outlets import Came, Outlets, outlet, recorded_as
from gonnet.pipeline.tools import Tools

_LINKS = re.compile(r"\{[{%][^}]*\blinks\b")


def roots_of(job: Job, tools: Tools) -> dict[int, tuple[str, FolderRoot]]:
    """Way of the job, by number → what the ledger calls the place that it puts files into, and the folder.

    Raises:
        JobError: there is no such place, or files that messages link to might get another name.
    """
    limit = job.file.package.limit
    linked = (limit is not None and limit.over == "link") or any(
        _LINKS.search(job.body(name).source) for name in job.file.messages
    )
    found = {}
    for at, way in enumerate(job.file.deliver):
        if way.email is None:
            found[at] = recorded_as(way, job.at("deliver", at, way.kind), tools)
            _, root = found[at]
            if linked and root.link and way.folder is not None and way.folder.existing == "keep both":
                what = "files that messages link to cannot get another name"
                fix = "Write `existing: replace`, or `existing: refuse`"
                raise JobError(what, where=job.at("deliver", at, "folder", "existing"), fix=fix)
    if linked and not any(root.link for _, root in found.values()):
        fix = "Give the folder a `link` in gonnet.yaml"
        raise JobError("messages link to files, and no folder has an address", where=job.at("deliver"), fix=fix)
    return found


def to_file(package: PackageRecord) -> Iterator[FilingRecord]:
    """The files of a package that are still to be put somewhere."""
    if package.state in (State.READY, State.FAILED, State.UNSURE):
        yield from (filing for filing in package.filings if filing.state.is_open)


def outlets_of(packages: Sequence[PackageRecord], tools: Tools) -> Outlets:
    """The places that the files of packages are still to be put into.

    Raises:
        JobError: the workspace no longer has one of them, or its password is not set.
    """
    names = dict.fromkeys(part.root for package in packages for part in to_file(package))
    return Outlets({name: outlet(name, tools) for name in names})


def file_all(run: RunRecord, package: PackageRecord, tools: Tools, outlets: Outlets) -> tuple[bool, State | None]:
    """Put every file of a package where it belongs; whether all are there now, and the state of the package.

    Raises:
        SealError: a file is not what was reviewed.
        StorageError: the ledger cannot be written.
    """
    state: State | None = None
    failed = any(filing.state in (HandOver.REFUSED, HandOver.UNSURE) for filing in package.filings)
    for filing in to_file(package):
        came = _put(filing, tools, outlets)
        if came is None:
            continue
        state = tools.ledger.deliveries.filed(run.id, package.id, filing.id, *came)
        tools.log.say("filed", run=run.id, package=package.id, filing=filing.id, state=str(came.state))
        failed |= came.state is not HandOver.SENT
    return not failed, state


def _put(filing: FilingRecord, tools: Tools, outlets: Outlets) -> Came | None:
    """What came of one file; None where it was no longer to be put."""
    data = tools.store.get(filing.sha256)
    place = outlets[filing.root]
    if not place.is_repeatable and not tools.ledger.deliveries.begin_filing(filing.id):
        return None
    return place.put(filing, data)
