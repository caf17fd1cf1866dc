"""Where files, drafts and prints are put: folders, the drafts of mailboxes, printers; opened before anything leaves."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path, PurePosixPath
from typing import Protocol

from gonnet.delivery.folder import OutsideError, TakenError, put_file
from gonnet.delivery.imap import NotPutError
from gonnet.delivery.printing import NotPrintedError, PrintDoubtError, Printer
from gonnet.errors import JobError
from gonnet.jobs import Job
from gonnet.jobs.targets import Target, TargetKind
from gonnet.jobs.ways import Way
from gonnet.jobs.workspace import FolderRoot
from gonnet.ledger import HandOverRecord
from gonnet.ledger.hand_overs import Outcome
from gonnet.ledger.states import DONE, HandOverState
from gonnet.pipeline.sending.mail_links import drafts_for
from gonnet.pipeline.tools import Tools

_LINKS = re.compile(r"\{[{%][^}]*\blinks\b")
Named = tuple[TargetKind, str]
"""A folder, mailbox or printer: what it is, and how the workspace calls it."""


class Place(Protocol):
    """Where something is put; several threads may."""

    def open(self) -> None:
        """See that it can be used.

        Raises:
            UnreachableError: it cannot.
        """

    def put(self, part: HandOverRecord, data: bytes) -> Outcome:
        """Put something there."""

    def close(self) -> None:
        """Take leave."""


class Places:
    """The places of a send.

    Args:
        parts: What is to be put somewhere.
        tools: The tools.

    Raises:
        JobError: the workspace no longer has one of them, or its password is not set.
    """

    def __init__(self, parts: Iterable[HandOverRecord], tools: Tools) -> None:
        names = dict.fromkeys((part.target.kind, part.target.name) for part in parts)
        self._found = {named: _KINDS[named[0]](named[1], tools) for named in names}

    def open(self) -> None:
        """See that all of them can be used.

        Raises:
            UnreachableError: one of them cannot.
        """
        for place in self._found.values():
            place.open()

    def of(self, target: Target) -> Place:
        """The place of a target."""
        return self._found[target.kind, target.name]

    def close(self) -> None:
        """Take leave of all."""
        for place in self._found.values():
            place.close()


def named_places(job: Job, tools: Tools) -> dict[int, tuple[Named, FolderRoot]]:
    """Way of the job, by number → the place that it puts files into, and the folder; without a path for other places.

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
            found[at] = _named(way, job.at("deliver", at, way.kind), tools)
            _, root = found[at]
            if linked and root.link and way.folder is not None and way.folder.existing == "keep both":
                what = "files that messages link to cannot get another name"
                fix = "Write `existing: replace`, or `existing: refuse`"
                raise JobError(what, where=job.at("deliver", at, "folder", "existing"), fix=fix)
    if linked and not any(root.link for _, root in found.values()):
        fix = "Give the folder a `link` in gonnet.yaml"
        raise JobError("messages link to files, and no folder has an address", where=job.at("deliver"), fix=fix)
    return found


def _named(way: Way, where: str, tools: Tools) -> tuple[Named, FolderRoot]:
    if way.printing is not None:
        return (TargetKind.PRINTER, tools.workspace.printer(way.printing.printer, where)[0]), FolderRoot(path="")
    if way.drafts is not None and way.drafts.imap is not None:
        name, _ = tools.workspace.mailbox(way.drafts.imap, f"{where}, imap")
        return (TargetKind.MAILBOX, name), FolderRoot(path="")
    name, root = tools.workspace.root(way.puts.root if way.puts else None, where)
    return (TargetKind.FOLDER, name), root


class _Folder:
    def __init__(self, name: str, tools: Tools) -> None:
        self._tools = tools
        _, self._root = tools.workspace.root(name, "gonnet.yaml")

    def open(self) -> None:
        """A folder is made when the first file is put into it."""

    def put(self, part: HandOverRecord, data: bytes) -> Outcome:
        def is_ours(digest: str) -> bool:
            return digest in self._tools.ledger.hand_overs.put_there(part.target)

        mode = int(self._root.mode, 8) if self._root.mode else None
        folder = self._tools.workspace.folder / Path(self._root.path)
        try:
            put_at = put_file(folder, part.target.place, data, part.existing, is_ours, mode)
        except (OutsideError, TakenError) as error:
            return Outcome(state=HandOverState.REFUSED, refused="file", reply=str(error))
        except OSError as error:
            return Outcome(state=HandOverState.DEFERRED, reply=f"the folder cannot be written: {error.strerror}")
        return Outcome(state=DONE[part.kind], put_at=put_at)

    def close(self) -> None:
        """Nothing was kept open."""


class _Mailbox:
    def __init__(self, name: str, tools: Tools) -> None:
        self._drafts = drafts_for(name, tools)

    def open(self) -> None:
        self._drafts.open()

    def put(self, part: HandOverRecord, data: bytes) -> Outcome:
        try:
            self._drafts.put(data)
        except NotPutError as error:
            return Outcome(state=HandOverState.DEFERRED, reply=str(error))
        return Outcome(state=DONE[part.kind], put_at=part.target.place)

    def close(self) -> None:
        self._drafts.close()


class _Printer:
    def __init__(self, name: str, tools: Tools) -> None:
        _, spec = tools.workspace.printer(name, "gonnet.yaml")
        self._printer = Printer(name, spec, tools.workspace.folder)

    def open(self) -> None:
        self._printer.open()

    def put(self, part: HandOverRecord, data: bytes) -> Outcome:
        try:
            self._printer.put(PurePosixPath(part.target.place).name, data)
        except NotPrintedError as error:
            return Outcome(state=HandOverState.DEFERRED, reply=str(error))
        except PrintDoubtError as error:
            return Outcome(state=HandOverState.UNSURE, reply=str(error))
        return Outcome(state=DONE[part.kind], put_at=part.target.place)

    def close(self) -> None:
        """The program has come to its end with every file."""


_KINDS: dict[TargetKind, type[_Folder] | type[_Mailbox] | type[_Printer]] = {
    TargetKind.FOLDER: _Folder,
    TargetKind.MAILBOX: _Mailbox,
    TargetKind.PRINTER: _Printer,
}
