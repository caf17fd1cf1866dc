"""Putting the files of a package into folders, before its messages leave: a link in a message leads to something."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from pathlib import Path

from gonnet.delivery.folder import OutsideError, TakenError, put_file
from gonnet.delivery.imap import DraftsFolder, NotPutError
from gonnet.errors import JobError
from gonnet.jobs import Job
from gonnet.jobs.workspace import FolderRoot
from gonnet.ledger import PackageRecord, RunRecord
from gonnet.ledger.records import FilingRecord, HandOver, State
from gonnet.pipeline.tools import Tools

_IMAP = "imap:"  # before the name of a mailbox, where others have that of a folder
_LINKS = re.compile(r"\{[{%][^}]*\blinks\b")


def roots_of(job: Job, tools: Tools) -> dict[int, tuple[str, FolderRoot]]:
    """Way of the job, by number → name and place of the folder that it puts files into.

    Raises:
        JobError: there is no such folder, or files that messages link to might get another name.
    """
    limit = job.file.package.limit
    linked = (limit is not None and limit.over == "link") or any(
        _LINKS.search(job.body(name).source) for name in job.file.messages
    )
    found = {}
    for at, way in enumerate(job.file.deliver):
        if way.puts is not None:
            if way.drafts is not None and way.drafts.imap is not None:
                name, _ = tools.workspace.mailbox(way.drafts.imap, job.at("deliver", at, "drafts", "imap"))
                found[at] = f"{_IMAP}{name}", FolderRoot(path="")
                continue
            kind = "folder" if way.folder is not None else "drafts"
            name, root = tools.workspace.root(way.puts.root, job.at("deliver", at, kind))
            if linked and root.link and way.folder is not None and way.folder.existing == "keep both":
                what = "files that messages link to cannot get another name"
                fix = "Write `existing: replace`, or `existing: refuse`"
                raise JobError(what, where=job.at("deliver", at, "folder", "existing"), fix=fix)
            found[at] = name, root
    if linked and not any(root.link for _, root in found.values()):
        fix = "Give the folder a `link` in gonnet.yaml"
        raise JobError("messages link to files, and no folder has an address", where=job.at("deliver"), fix=fix)
    return found


def to_file(package: PackageRecord) -> Iterator[FilingRecord]:
    """The files of a package that are still to be put into folders."""
    if package.state in (State.READY, State.FAILED, State.UNSURE):
        yield from (filing for filing in package.filings if filing.state.is_open)


class Mailboxes:
    """The mailboxes into which drafts of a send are put, each opened before anything leaves.

    Args:
        packages: What is to be sent.
        tools: The tools.

    Raises:
        JobError: the workspace no longer has one of them, or its password is not set.
        UnreachableError: one of them cannot be reached.
    """

    def __init__(self, packages: Sequence[PackageRecord], tools: Tools) -> None:
        names = dict.fromkeys(part.root for package in packages for part in to_file(package))
        self._folders = {name: _drafts(name, tools) for name in names if name.startswith(_IMAP)}
        for folder in self._folders.values():
            folder.open()

    def put(self, root: str, data: bytes) -> None:
        """Put a draft.

        Raises:
            NotPutError: the mailbox does not take it now.
        """
        self._folders[root].put(data)

    def close(self) -> None:
        """Take leave of all."""
        for folder in self._folders.values():
            folder.close()


def _drafts(root: str, tools: Tools) -> DraftsFolder:
    _, server = tools.workspace.mailbox(root.removeprefix(_IMAP), "gonnet.yaml")
    password = tools.workspace.secrets.resolve(server.password, f"gonnet.yaml, imap '{root.removeprefix(_IMAP)}'")
    trusted = str(tools.workspace.folder / server.ca_file) if server.ca_file else None
    return DraftsFolder(server, password, trusted)


def file_all(run: RunRecord, package: PackageRecord, tools: Tools, mailboxes: Mailboxes) -> tuple[bool, State | None]:
    """Put every file of a package where it belongs; whether all are there now, and the state of the package.

    What was put before an interruption is found to be there with the same bytes, and counts.

    Raises:
        JobError: the workspace no longer has the folder.
        SealError: a file is not what was reviewed.
    """
    state: State | None = None
    failed = any(filing.state is HandOver.REFUSED for filing in package.filings)
    for filing in to_file(package):
        answer, put_at, reply = _put(filing, tools, mailboxes)
        state = tools.ledger.deliveries.filed(run.id, package.id, filing.id, answer, put_at, reply)
        tools.log.say("filed", run=run.id, package=package.id, filing=filing.id, state=str(answer))
        failed |= answer is not HandOver.SENT
    return not failed, state


def _put(filing: FilingRecord, tools: Tools, mailboxes: Mailboxes) -> tuple[HandOver, str, str]:
    """What came of one file: its state, where it is, and why it is not."""
    data = tools.store.get(filing.sha256)
    if filing.root.startswith(_IMAP):
        try:
            mailboxes.put(filing.root, data)
        except NotPutError as error:
            return HandOver.LATER, "", str(error)
        return HandOver.SENT, filing.place, ""
    _, root = tools.workspace.root(filing.root, "gonnet.yaml")

    def is_ours(digest: str) -> bool:
        return digest in tools.ledger.deliveries.put_there(filing.root, filing.place)

    mode = int(root.mode, 8) if root.mode else None
    folder = tools.workspace.folder / Path(root.path)
    try:
        put_at = put_file(folder, filing.place, data, filing.existing, is_ours, mode)
    except (OutsideError, TakenError) as error:
        return HandOver.REFUSED, "", str(error)
    except OSError as error:
        return HandOver.LATER, "", f"the folder cannot be written: {error.strerror}"
    return HandOver.SENT, put_at, ""
