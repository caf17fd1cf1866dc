"""Where the files of packages are put: folders, the drafts of mailboxes, printers; opened before anything leaves."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path, PurePosixPath
from typing import NamedTuple, Protocol

from gonnet.delivery.folder import OutsideError, TakenError, put_file
from gonnet.delivery.imap import DraftsFolder, NotPutError
from gonnet.delivery.printing import NotPrintedError, PrintDoubtError, Printer
from gonnet.jobs.ways import Way
from gonnet.jobs.workspace import FolderRoot
from gonnet.ledger.records import MAILBOX, PRINTER, FilingRecord, HandOver
from gonnet.pipeline.tools import Tools


class Came(NamedTuple):
    """What came of putting a file: its state, where it is, and why it is not."""

    state: HandOver
    put_at: str = ""
    reply: str = ""


class Outlet(Protocol):
    """Where files are put; several threads may.

    Attributes:
        is_repeatable: Whether putting the same file once more changes nothing, so that none is ever in doubt.
    """

    is_repeatable: bool

    def open(self) -> None:
        """See that it can be used.

        Raises:
            UnreachableError: it cannot.
        """

    def put(self, filing: FilingRecord, data: bytes) -> Came:
        """Put a file."""

    def close(self) -> None:
        """Take leave."""


def recorded_as(way: Way, where: str, tools: Tools) -> tuple[str, FolderRoot]:
    """How the ledger calls the place of a way that puts files, and the folder; one without a path where it has none.

    Raises:
        JobError: the workspace has no such place.
    """
    if way.printing is not None:
        return PRINTER + tools.workspace.printer(way.printing.printer, where)[0], FolderRoot(path="")
    if way.drafts is not None and way.drafts.imap is not None:
        return MAILBOX + tools.workspace.mailbox(way.drafts.imap, f"{where}, imap")[0], FolderRoot(path="")
    return tools.workspace.root(way.puts.root if way.puts else None, where)


def outlet(root: str, tools: Tools) -> Outlet:
    """The place that the ledger calls so.

    Raises:
        JobError: the workspace no longer has it, or its password is not set.
    """
    if root.startswith(MAILBOX):
        return _Mailbox(root.removeprefix(MAILBOX), tools)
    if root.startswith(PRINTER):
        return _Printer(root.removeprefix(PRINTER), tools)
    return _Folder(root, tools)


class Outlets:
    """The places of a send.

    Args:
        found: What the ledger calls them, and they.
    """

    def __init__(self, found: Mapping[str, Outlet]) -> None:
        self._found = dict(found)

    def open(self) -> None:
        """See that all of them can be used.

        Raises:
            UnreachableError: one of them cannot.
        """
        for place in self._found.values():
            place.open()

    def __getitem__(self, root: str) -> Outlet:
        return self._found[root]

    def close(self) -> None:
        """Take leave of all."""
        for place in self._found.values():
            place.close()


class _Folder:
    is_repeatable = True  # a file that is there with the same bytes counts as put

    def __init__(self, name: str, tools: Tools) -> None:
        self._name, self._tools = name, tools
        _, self._root = tools.workspace.root(name, "gonnet.yaml")

    def open(self) -> None:
        """A folder is made when the first file is put into it."""

    def put(self, filing: FilingRecord, data: bytes) -> Came:
        def is_ours(digest: str) -> bool:
            return digest in self._tools.ledger.deliveries.put_there(self._name, filing.place)

        mode = int(self._root.mode, 8) if self._root.mode else None
        folder = self._tools.workspace.folder / Path(self._root.path)
        try:
            put_at = put_file(folder, filing.place, data, filing.existing, is_ours, mode)
        except (OutsideError, TakenError) as error:
            return Came(HandOver.REFUSED, "", str(error))
        except OSError as error:
            return Came(HandOver.LATER, "", f"the folder cannot be written: {error.strerror}")
        return Came(HandOver.SENT, put_at)

    def close(self) -> None:
        """Nothing was kept open."""


class _Mailbox:
    is_repeatable = True  # it is searched for the Message-ID before anything is put

    def __init__(self, name: str, tools: Tools) -> None:
        _, server = tools.workspace.mailbox(name, "gonnet.yaml")
        password = tools.workspace.secrets.resolve(server.password, f"gonnet.yaml, imap '{name}'")
        trusted = str(tools.workspace.folder / server.ca_file) if server.ca_file else None
        self._drafts = DraftsFolder(server, password, trusted)

    def open(self) -> None:
        self._drafts.open()

    def put(self, filing: FilingRecord, data: bytes) -> Came:
        try:
            self._drafts.put(data)
        except NotPutError as error:
            return Came(HandOver.LATER, "", str(error))
        return Came(HandOver.SENT, filing.place)

    def close(self) -> None:
        self._drafts.close()


class _Printer:
    is_repeatable = False

    def __init__(self, name: str, tools: Tools) -> None:
        _, spec = tools.workspace.printer(name, "gonnet.yaml")
        self._printer = Printer(name, spec, tools.workspace.folder)

    def open(self) -> None:
        self._printer.open()

    def put(self, filing: FilingRecord, data: bytes) -> Came:
        try:
            self._printer.put(PurePosixPath(filing.place).name, data)
        except NotPrintedError as error:
            return Came(HandOver.LATER, "", str(error))
        except PrintDoubtError as error:
            return Came(HandOver.UNSURE, "", str(error))
        return Came(HandOver.SENT, filing.place)

    def close(self) -> None:
        """The program has come to its end with every file."""
