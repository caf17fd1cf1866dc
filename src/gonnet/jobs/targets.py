"""Where something leaves for: an address, a folder, the drafts of a mailbox, a printer."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class TargetKind(StrEnum):
    """What a target is."""

    ADDRESS = "address"
    FOLDER = "folder"
    MAILBOX = "mailbox"
    PRINTER = "printer"

    @property
    def is_repeatable(self) -> bool:
        """Whether to hand over the same once more changes nothing, so that no hand-over is ever in doubt.

        A file that is there with the same bytes counts as put; a mailbox is searched for the Message-ID first.
        """
        return self in (TargetKind.FOLDER, TargetKind.MAILBOX)


@dataclass(frozen=True, slots=True)
class Target:
    """One target.

    Attributes:
        kind: What it is.
        name: The address; or the folder, mailbox or printer, as the workspace calls it.
        place: The name of the file there, with the folders above it, separated by `/`; empty for an address.
    """

    kind: TargetKind
    name: str
    place: str = ""

    def __str__(self) -> str:
        """How people are told of it: `zoe@farm.example`, `folder archive: 2026-10/00042.pdf`."""
        if self.kind is TargetKind.ADDRESS:
            return self.name
        return f"{self.kind} {self.name}" + (f": {self.place}" if self.place else "")
