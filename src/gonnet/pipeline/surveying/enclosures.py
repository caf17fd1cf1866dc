"""Files that go with packages: those that are the same for all are read once a run; all are kept and searched."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path

from gonnet.checks import ReadBack, read_any
from gonnet.errors import JobError
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.reach import Reach
from gonnet.ledger import DocumentRecord
from gonnet.packages.own_files import Shelf

_SHOWN = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Enclosed:
    """A file that goes with a package as it is.

    Attributes:
        name: What it is called in a package.
        format: What its name ends with.
        data: Its bytes.
        sha256: Of its bytes, hexadecimal; taken once, not for each package.
        found: What a reader finds in it, and what of it cannot be read.
    """

    name: str
    format: str
    data: bytes
    sha256: str
    found: ReadBack

    def record(self, names: Iterable[str]) -> DocumentRecord:
        """What is kept of it in a package that has files of these names; its own is one that none of them has."""
        return DocumentRecord(
            name=_free_name(self.name, {name.casefold() for name in names}),
            report="",
            format=self.format,
            sha256=self.sha256,
            bytes=len(self.data),
            pages=None,
            rows=0,
            content=self.sha256,
        )


def enclosed(reach: Reach | None, file: str, where: str) -> Enclosed:
    """A fixed file.

    Args:
        reach: Which files may be taken; None for one that a person names by hand.
        file: Its name.
        where: What to name in an error.

    Raises:
        JobError: it is not there, is empty, or is not what its name says.
    """
    path = reach.file(file, where) if reach is not None else Path(file)
    form = path.suffix.removeprefix(".").casefold()
    try:
        data = path.read_bytes()
    except OSError as error:
        what = f"the enclosure {file} cannot be read: {error.strerror}"
        raise JobError(what, where=where, fix="Check its name and its permissions") from error
    if not data:
        raise JobError(f"the enclosure {file} is empty", where=where, fix="Save it anew, or leave it out")
    try:
        found = read_any(data, path.name)
    except ValueError as error:
        raise JobError(f"the enclosure {file} is no {form.upper()}", where=where, fix="Save it anew") from error
    digest = hashlib.sha256(data).hexdigest()
    return Enclosed(name=path.name, format=form or "bin", data=data, sha256=digest, found=found)


def left(jobs: Iterable[Job], shelf: Shelf) -> Iterator[Finding]:
    """A finding for files that are called as somebody's would be, and that nobody took.

    Args:
        jobs: The job in each language.
        shelf: The files.
    """
    specs = [spec for job in jobs for spec in job.file.package.enclose]
    own, everybodys = ({str(spec.file) for spec in specs if spec.is_own is kind} for kind in (True, False))
    found = shelf.left(own, everybodys)
    if found:
        some = ", ".join(path.name for path in found[:_SHOWN]) + (" …" if len(found) > _SHOWN else "")
        what = "1 file that could be enclosed is" if len(found) == 1 else f"{len(found):,} files to enclose are"
        yield Finding(weight=Weight.ATTENTION, text=f"{what} nobody's: {some}")


def _free_name(name: str, taken: Collection[str]) -> str:
    path, found, number = Path(name), name, 1
    while found.casefold() in taken:
        number += 1
        found = f"{path.stem} ({number}){path.suffix}"
    return found
