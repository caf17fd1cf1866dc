"""How the files of a package travel: each attached, all in one zip, or over several messages."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass, field

from gonnet.errors import require_library
from gonnet.jobs.contents import Limit

_MADE = (2000, 1, 1, 0, 0, 0)  # the same input gives the same bytes
_HEAD = 400  # bytes of the header lines of an attachment, at most
_ENVELOPE = 16_000  # bytes of a signature with its certificates, and of a key that is wrapped, at most


@dataclass(frozen=True, slots=True, kw_only=True)
class AttachmentPlan:
    """How the files of one package are to travel.

    Attributes:
        name: What a zip of them is called.
        zipped: Whether they go as a zip in any case.
        password: What opens the zip; empty where nothing has to.
        limit: How large a message may be, or None.
        encrypted: Whether messages may be encrypted, which makes them larger.
    """

    name: str
    zipped: bool = False
    password: str = field(default="", repr=False)
    limit: Limit | None = None
    encrypted: bool = False

    def size(self, body: int, files: Sequence[int]) -> int:
        """Bytes of a message at most.

        Args:
            body: Bytes of it without files.
            files: Bytes of each file.
        """
        whole = body + sum(map(travelling, files))
        return travelling(whole) + _ENVELOPE if self.encrypted else whole


class TooLargeError(Exception):
    """A message would be larger than it may be; its text says how large."""


def require_zip_lock(where: str) -> None:
    """Refuse where the library that encrypts zips is not installed.

    Raises:
        JobError: names the line that installs it.
    """
    require_library("pyzipper", "protects zips", "protect", where)


def zipped(files: Sequence[tuple[str, bytes]], password: str = "") -> bytes:
    """The files as one zip; without a password the same files give the same bytes.

    Encryption is AES-256 by the WinZip specification AE-2, which leaves names readable.

    Args:
        files: Name and bytes of each.
        password: What opens it; empty for none.
    """
    target = io.BytesIO()
    if not password:
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as book:
            for name, data in files:
                book.writestr(zipfile.ZipInfo(name, _MADE), data, zipfile.ZIP_DEFLATED)
        return target.getvalue()
    import pyzipper

    with pyzipper.AESZipFile(target, "w", compression=pyzipper.ZIP_DEFLATED, encryption=pyzipper.WZ_AES) as locked:
        locked.setpassword(password.encode("utf-8"))
        for name, data in files:
            info = pyzipper.zipfile_aes.AESZipInfo(name, _MADE)
            info.compress_type = pyzipper.ZIP_DEFLATED
            locked.writestr(info, data)
    return target.getvalue()


def travelling(count: int) -> int:
    """Bytes of so many bytes as an attachment: base64 in lines of 76 (RFC 2045, 6.8), and its header lines."""
    return -(-count // 57) * 78 + _HEAD


def shared_out(sizes: Sequence[int], body: int, plan: AttachmentPlan) -> list[list[int]]:
    """Which files go in which message, in order; one message for all unless they may be split.

    Args:
        sizes: Bytes of each file.
        body: Bytes of the message without them.
        plan: How they travel.

    Raises:
        TooLargeError: a message is still too large.
    """
    limit = plan.limit
    everything = list(range(len(sizes)))
    parts = [everything]

    def size(part: Sequence[int]) -> int:
        return plan.size(body, [sizes[number] for number in part])

    if limit is not None and limit.over == "split" and size(everything) > limit.size:
        parts = [[]]
        for number in everything:
            if parts[-1] and size([*parts[-1], number]) > limit.size:
                parts.append([])
            parts[-1].append(number)
    for part in parts if limit is not None else ():
        if limit is not None and size(part) > limit.size:
            raise TooLargeError(f"the message has {size(part) / 1000:,.0f} kB, more than {limit.size / 1000:,.0f} kB")
    return parts
