"""Unpacking within bounds: a small file may hold more than memory does."""

from __future__ import annotations

import zipfile
from dataclasses import dataclass, field

_DEPTH = 5
_BYTES = 300_000_000
_MEMBERS = 20_000
_STEP = 1_000_000


@dataclass(slots=True)
class _Left:
    """What is left of bytes and members, for all archives inside one file."""

    bytes: int = _BYTES
    members: int = _MEMBERS


@dataclass(frozen=True, slots=True)
class Room:
    """How much may still be unpacked of the file `name`, and how deep."""

    name: str = ""
    depth: int = _DEPTH
    left: _Left = field(default_factory=_Left)

    def deeper(self) -> Room | None:
        """The same one archive further inside; None where that is too deep."""
        return Room(self.name, self.depth - 1, self.left) if self.depth > 0 else None


def member(archive: zipfile.ZipFile, info: zipfile.ZipInfo, room: Room) -> bytes:
    """The bytes of a member.

    Raises:
        ValueError: it, and what was unpacked before it, is more than may be unpacked.
        RuntimeError: it is locked.
    """
    room.left.members -= 1
    if room.left.members < 0:
        raise ValueError("more files than are unpacked")
    found = bytearray()
    with archive.open(info) as stream:  # its own word for its size may be wrong
        while part := stream.read(_STEP):
            room.left.bytes -= len(part)
            if room.left.bytes < 0:
                raise ValueError("larger than is unpacked")
            found += part
    return bytes(found)
