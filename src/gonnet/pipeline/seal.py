"""The seal: what was reviewed is what is sent. One way to take it, for making, for changing by hand and for sending.

A seal is an HMAC (RFC 2104, SHA-256) over all that decides what leaves and to whom. Its key is made once for each
workspace and kept outside of it, in the user's folder for states of programs (XDG Base Directory Specification): who
can write only the ledger cannot make a seal that fits. Without a place for it the seal is a digest, and that is told.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import os
import secrets
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from itertools import product
from pathlib import Path
from typing import Any

from gonnet import private
from gonnet.jobs import Workspace
from gonnet.jobs.targets import Target, TargetKind
from gonnet.ledger import DocumentRecord, HandOverRecord, MessageRecord, PackageRecord, State
from gonnet.ledger.states import HandOverKind

_CANONICAL = json.JSONEncoder(ensure_ascii=True, separators=(",", ":"), sort_keys=True)
_KEYED, _OPEN = "k1:", "o1:"
_DECISIONS = (State.READY, State.HELD, State.SKIPPED)
_BEFORE = {TargetKind.MAILBOX: "imap:", TargetKind.PRINTER: "printer:"}  # as seals of earlier ledgers have it


@dataclass(frozen=True, slots=True, kw_only=True)
class _Key:
    """The key of a workspace, and the first run that was sealed with it."""

    secret: bytes
    since: int


class Seals:
    """The seals of one workspace.

    Args:
        workspace: It, for where its folders are.
        place: The file of its key.
    """

    def __init__(self, workspace: Workspace, place: Path) -> None:
        self._workspace, self.place = workspace, place

    @cached_property
    def _here(self) -> Path:
        return self._workspace.folder.resolve()

    @cached_property
    def _key(self) -> _Key | None:
        with suppress(OSError, ValueError, KeyError, TypeError):
            found = json.loads(self.place.read_text("ascii"))
            return _Key(secret=bytes.fromhex(found["key"]), since=int(found["since"]))
        return None

    def begin(self, run_id: int) -> str:
        """Make the key if there is none yet, for this run and all after it; how they are sealed."""
        if self._key is None:
            text = json.dumps({"key": secrets.token_hex(32), "since": run_id})
            new = self.place.with_name(f".{self.place.name}-{os.getpid()}")
            with suppress(OSError):
                private.folder(self.place.parent)
                private.write(new, text.encode("ascii"))
            with suppress(OSError):  # whole or not at all; where another run was first, its key counts
                os.link(new, self.place)
            new.unlink(missing_ok=True)
            self.__dict__.pop("_key", None)
        return "keyed" if self._key is not None else "open"

    def of(
        self,
        package: PackageRecord,
        state: State,
        documents: Sequence[DocumentRecord] | None = None,
        messages: Sequence[MessageRecord] | None = None,
        hand_overs: Sequence[HandOverRecord] | None = None,
        *,
        was_fixed: bool = False,
    ) -> str:
        """The seal of a package in a state, with other files, messages or hand-overs where they are given.

        A folder inside the workspace is sealed by its path in it, so that a workspace can be moved; `was_fixed` gives
        the seal of earlier versions, which had its whole path.
        """
        leaving = package.hand_overs if hand_overs is None else hand_overs
        files = package.documents if documents is None else documents
        said = _CANONICAL.encode(
            {
                "key": package.key,
                "keys": list(package.keys),
                "state": str(state if state in _DECISIONS else State.READY),
                "documents": [[part.name, part.sha256] for part in files],
                "messages": [_message(part) for part in (package.messages if messages is None else messages)],
                "leaving": [self._leaving(part, was_fixed=was_fixed) for part in leaving],
            }
        ).encode("ascii")
        if self._key is None:
            return _OPEN + _short(hashlib.sha256(said).digest())
        return _KEYED + _short(hmac.new(self._key.secret, said, hashlib.sha256).digest())

    def can_check(self, package: PackageRecord) -> bool:
        """Whether the key that a package was sealed with is on this machine, or it needs none."""
        return self._key is not None or not package.seal.startswith(_KEYED)

    def trouble(self, package: PackageRecord, run_id: int, *, leaves: bool) -> str | None:
        """Why a package is not what was sealed; None where it is.

        Args:
            package: The package, as the ledger has it.
            run_id: Its run.
            leaves: Whether it is to leave, and so must have been sealed as ready; else it is only looked at.
        """
        if package.seal.startswith(_KEYED) and self._key is None:
            return f"it was sealed with the key in {self.place}, which cannot be read here"
        if not package.seal.startswith((_KEYED, _OPEN)):
            if self._key is not None and run_id >= self._key.since:
                return "its seal has no key, and those of its run have one"
            return None if _plain(package) == package.seal else _CHANGED
        forms = product((False, True), (State.READY,) if leaves else _DECISIONS)
        possible = (self.of(package, state, was_fixed=was_fixed) for was_fixed, state in forms)
        return None if any(hmac.compare_digest(one, package.seal) for one in possible) else _CHANGED

    def _leaving(self, part: HandOverRecord, *, was_fixed: bool) -> list[Any]:
        target = part.target
        where = [str(target.kind), target.name, self._root(target, was_fixed=was_fixed), target.place]
        return [str(part.kind), *where, part.way, part.existing, part.sha256, part.message_id, str(part.purpose)]

    def _root(self, target: Target, *, was_fixed: bool) -> str:
        """Where a folder, a mailbox or a printer of the workspace is; empty for an address."""
        file = self._workspace.file
        match target.kind:
            case TargetKind.FOLDER if target.name in file.folders:
                place, here = (self._workspace.folder / file.folders[target.name].path).resolve(), self._here
                return str(place) if was_fixed or not place.is_relative_to(here) else f"./{place.relative_to(here)}"
            case TargetKind.MAILBOX if target.name in file.imap:
                return repr(file.imap[target.name])
            case TargetKind.PRINTER if target.name in file.printers:
                return repr(file.printers[target.name])
            case _:
                return ""


_CHANGED = "its record, or where its folder is, was changed after the review"


def _short(digest: bytes) -> str:
    return base64.urlsafe_b64encode(digest).decode("ascii").rstrip("=")


def _message(part: MessageRecord) -> list[Any]:
    said = [part.message_id, part.sha256, part.called, part.subject, part.sender, part.server]
    return [*said, list(part.to), list(part.cc), list(part.bcc), list(part.files)]


def _plain(package: PackageRecord) -> str:
    """The seal that versions before there were keys took."""
    envelopes: dict[str, list[str]] = {}
    for part in package.hand_overs:
        if part.kind is HandOverKind.MESSAGE:
            envelopes.setdefault(part.message_id, []).append(part.target.name)
    canonical = _CANONICAL.encode(
        {
            "key": package.key,
            "documents": [[document.name, document.sha256] for document in package.documents],
            "messages": [
                [m.message_id, m.sha256, envelopes.get(m.message_id, []), list(m.files)] for m in package.messages
            ],
            "filings": [
                [_BEFORE.get(part.target.kind, "") + part.target.name, part.target.place, part.sha256]
                for part in package.hand_overs
                if part.kind is not HandOverKind.MESSAGE
            ],
        }
    )
    return hashlib.sha256(canonical.encode("ascii")).hexdigest()
