"""Looking at the pages of an arrival while its pattern is tried out: nothing is cut, nothing is kept."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from gonnet import private
from gonnet.arrivals import looking
from gonnet.arrivals.models import files_of
from gonnet.arrivals.pages import Word
from gonnet.arrivals.runs import Run
from gonnet.errors import DataError, StorageError, meant
from gonnet.jobs import Job
from gonnet.jobs.arrivals import PdfRun, TextRun
from gonnet.jobs.workspace import Workspace
from gonnet.pipeline.surveying.arriving import source_of


@dataclass(frozen=True, slots=True, kw_only=True)
class Viewed:
    """Pages of an arrival.

    Attributes:
        name: What the job calls it.
        spec: What the job says of it.
        pages: The pages.
        words: The words of the page of a PDF, where one was asked for.
        lines: The lines of the page of a text, where one was asked for.
        pictures: The pictures that were written.
    """

    name: str
    spec: Run
    pages: tuple[looking.Looked, ...]
    words: tuple[Word, ...]
    lines: tuple[str, ...]
    pictures: tuple[Path, ...]


def view_pages(
    job: Job, workspace: Workspace, name: str | None, number: int | None, most: int, into: Path | None
) -> Viewed:
    """The first pages of an arrival, or one of them with its words.

    Args:
        job: The job.
        workspace: Whose folder file names count from.
        name: The arrival; the only one when None.
        number: The page; the first ones when None.
        most: How many of these.
        into: Where pictures are written; None for none.

    Raises:
        JobError: the job has no such arrival, or its file lies outside.
        DataError: the file is not there, cannot be read, or has no such page.
        StorageError: a picture cannot be written.
    """
    name = _chosen(job, name)
    spec = job.file.arrivals[name]
    if not isinstance(spec, PdfRun | TextRun):
        fix = f"`gonnet rows {job.name} {name}` shows whose each {spec.unit} is"
        raise DataError(f"'{name}' has no pages to look at", where=job.at("arrivals", name), fix=fix)
    pattern, listed, password = source_of(job, workspace, name, spec)
    files = files_of(pattern)
    first, count = (number, 1) if number is not None else (1, most)
    pages = looking.look(spec, files[0], listed, password, first, count)
    words: list[Word] = []
    lines: list[str] = []
    pictures: list[Path] = []
    if isinstance(spec, TextRun):
        if into is not None:
            raise DataError(f"'{name}' is a text, of which there is no picture", fix="Leave --picture out")
        lines = looking.lines_of(spec, files[0], first) if number is not None else []
    else:
        words = looking.words_of(files[0], password, first) if number is not None else []
        pictures = _pictures(spec, files[0], password, pages, into) if into is not None else []
    return Viewed(
        name=name, spec=spec, pages=tuple(pages), words=tuple(words), lines=tuple(lines), pictures=tuple(pictures)
    )


def _chosen(job: Job, name: str | None) -> str:
    known = [name for name, spec in job.file.arrivals.items() if isinstance(spec, PdfRun | TextRun)] or list(
        job.file.arrivals
    )
    if not known:
        raise DataError(f"job {job.name} has no arrivals", fix="Write one under `arrivals:`")
    if name is None and len(known) == 1:
        return known[0]
    if name not in job.file.arrivals:
        what = f"the job has no arrival '{name}'" if name else "the job has several arrivals"
        raise DataError(what, fix=meant(name or "", known, noun="arrival"))
    return name


def _pictures(spec: PdfRun, path: Path, password: str, pages: Sequence[looking.Looked], into: Path) -> list[Path]:
    found = []
    try:
        private.folder(into)
        for page in pages:
            target = into / f"{path.stem} page {page.number}.png"
            looking.picture(spec, path, password, page).save(target)
            target.chmod(0o600)
            found.append(target)
    except OSError as error:
        raise StorageError(
            f"the folder cannot be written: {error.strerror}", where=str(into), fix="Name another with --picture"
        ) from error
    return found
