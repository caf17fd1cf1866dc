"""What was read of a large run, kept in the workspace: the next command need not read every page again.

A reading is found by the digest of its files, of what the job says of them, of the list of its pages and of this
program; so it is never an old one. Of a run that is locked nothing is kept.
"""

from __future__ import annotations

import contextlib
import datetime as dt
import hashlib
import json
import os
from base64 import b64decode, b64encode
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from gonnet import __version__, private
from gonnet.arrivals.models import Page, Reading
from gonnet.findings import Finding, Weight
from gonnet.jobs.arrivals import PdfRun

_WORTH = 500_000  # bytes from which on reading takes longer than finding


@dataclass(frozen=True, slots=True)
class KeptPages:
    """The readings of runs of a workspace.

    Attributes:
        folder: Where they are.
    """

    folder: Path

    def key(self, name: str, files: Sequence[Path], spec: PdfRun, listed: Path | None) -> str | None:
        """What the reading of a run is found by; None where none is kept."""
        if spec.password is not None or sum(path.stat().st_size for path in files) < _WORTH:
            return None
        how = spec.model_dump(mode="json", include={"key", "unmarked", "again", "leave_out", "read"})
        digest = hashlib.blake2b(json.dumps([name, how, __version__], sort_keys=True).encode(), digest_size=32)
        for path in (*files, *([listed] if listed is not None else [])):
            with path.open("rb") as file:
                digest.update(path.name.encode() + hashlib.file_digest(file, "blake2b").digest())
        return digest.hexdigest()

    def take(self, key: str) -> tuple[Reading, dt.datetime] | None:
        """A reading and when it was made; None where there is none that can be used."""
        path = self.folder / f"{key}.pages"
        try:
            found = json.loads(path.read_text("utf-8"))
            pages = tuple(_page(*page) for page in found["pages"])
            findings = tuple(Finding(weight=Weight(weight), text=text) for weight, text in found["findings"])
            made = dt.datetime.fromisoformat(found["made"])
        except (OSError, ValueError, KeyError, TypeError, IndexError):  # none, or cut off
            return None
        with contextlib.suppress(OSError):
            os.utime(path)
        return (pages, findings), made

    def put(self, key: str, pages: Sequence[Page], findings: Sequence[Finding], made: dt.datetime) -> None:
        """Keep a reading. That it cannot be kept is no reason to stop."""
        copy = self.folder / f"{key}.{os.getpid()}.part"
        plain = [(*page[:-1], b64encode(page.text).decode("ascii")) for page in pages]
        said = {"made": made.isoformat(), "pages": plain, "findings": [(str(one.weight), one.text) for one in findings]}
        with contextlib.suppress(OSError):
            private.folder(self.folder)
            try:
                copy.touch(mode=0o600)
                copy.write_text(json.dumps(said), "utf-8")
                copy.replace(self.folder / f"{key}.pages")
            finally:
                copy.unlink(missing_ok=True)


def _page(
    key: str | None,
    file: int,
    number: int,
    follows: bool,
    values: Sequence[str | None],
    is_picture: bool,
    sheet: str,
    text: str,
) -> Page:
    return Page(key, file, number, follows, tuple(values), is_picture, sheet, b64decode(text))
