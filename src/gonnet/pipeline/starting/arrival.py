"""Writing a first job for a run that another system made."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

from gonnet import schemas
from gonnet.arrivals.proposing import Proposal, propose
from gonnet.data.engine import Engine, quoted
from gonnet.errors import DataError, GonnetError, meant
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.sources import FileDataSet
from gonnet.pipeline.starting.sources import Source, from_file
from gonnet.pipeline.starting.table import require_free
from gonnet.pipeline.starting.workspaces import Place
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import open_tools


@dataclass(frozen=True, slots=True, kw_only=True)
class StartedRun:
    """A job that was written.

    Attributes:
        job: Its file.
        workspace: The new `gonnet.yaml`, or None where there was one.
        what: What says whose the pages are, in words.
        pages: How many pages the run has.
        following: How many of these say no key, and belong to the page before.
        keys: How many keys.
        list_key: The column of the list that has the keys, or None.
        matched: How many keys the list knows.
    """

    job: Path
    workspace: Path | None
    what: str
    pages: int
    following: int
    keys: int
    list_key: str | None
    matched: int


def start_run(folder: Path, name: str, run: Path, people: FileDataSet | None, to: str | None) -> StartedRun:
    """Write `jobs/NAME.yaml` for a PDF run; nothing stays of a job that does not run.

    Args:
        folder: The workspace, or the folder that becomes one.
        name: What the job is called.
        run: The run.
        people: The list of who receives, or None.
        to: The column of the list with the addresses.

    Raises:
        JobError: the name cannot be used or is taken, or the job does not run.
        DataError: the run cannot be read or says nothing of whose it is, or the list lacks a column.
    """
    job, place = require_free(folder, name), Place(folder=folder)
    with ExitStack() as opened:
        listed = from_file(people, frozenset(), place.language) if people is not None else None
        if listed is not None:
            opened.callback(listed.close)
            if to is not None and to not in (known := [column.name for column in listed.engine.columns("rows")]):
                raise DataError(f"there is no column '{to}'", where="--to", fix=meant(to, known, noun="column"))
        known_keys = _values(listed.engine) if listed is not None else {}
        found = propose(run, frozenset().union(*known_keys.values()) if known_keys else ())
        column = max(known_keys, key=lambda one: len(known_keys[one] & set(found.keys)), default=None)
        text = "\n".join(_lines(name, _relative(run, folder), found, listed, folder, column, to)) + "\n"
    return _written(job, place, text, found, column, known_keys.get(column or "", frozenset()), run)


def _written(
    job: Path, place: Place, text: str, found: Proposal, column: str | None, known: frozenset[str], run: Path
) -> StartedRun:
    is_new = place.is_new
    base = place.folder.resolve()
    outside = [] if run.resolve().is_relative_to(base) else [str(run.resolve().parent)]
    job.parent.mkdir(parents=True, exist_ok=True)
    try:
        place.begin(outside, None)
        job.write_text(schemas.marked("job", text), "utf-8")
        workspace = load_workspace(place.folder)
        with open_tools(workspace, 1) as tools:
            made = survey(load_job(workspace, job.stem), tools, Request(as_of=tools.today(), asked={}))
            cut, read = next(iter(made.cuts.values())), next(iter(made.arrived.values()))
            made.engine.close()
        schemas.write(place.folder)
    except GonnetError:
        job.unlink(missing_ok=True)
        if is_new:
            place.settings.unlink(missing_ok=True)
        raise
    return StartedRun(
        job=job,
        workspace=place.settings if is_new else None,
        what=found.what,
        pages=cut.read,
        following=sum(page.follows for page in read.pages),
        keys=len(cut.counts),
        list_key=column,
        matched=len(known & set(cut.counts)),
    )


def _values(engine: Engine) -> dict[str, frozenset[str]]:
    """Column of a list → its values as text; columns of addresses are no keys."""
    found = {}
    for column in engine.columns("rows"):
        rows = engine.query(f"select distinct cast({quoted(column.name)} as varchar) from rows")
        values = frozenset(str(value).strip() for (value,) in rows if value is not None)
        if not any("@" in value for value in values):
            found[column.name] = values
    return found


def _lines(
    name: str, run: str, found: Proposal, listed: Source | None, folder: Path, column: str | None, to: str | None
) -> Iterator[str]:
    yield f"title: {json.dumps(name.replace('_', ' ').capitalize())}"
    yield "\narrivals:"
    yield "  pages:"
    yield f"    pdf: {json.dumps(run, ensure_ascii=False)}"
    key = ", ".join(f"{part}: {_flow(value)}" for part, value in found.key.items())
    yield f"    # {found.what}"
    yield f"    key: {{{key}}}"
    if found.unmarked != "refuse":
        yield f"    unmarked: {found.unmarked}"
    if listed is not None and listed.spec is not None and to is not None and column is not None:
        yield "\ndata:"
        yield f"  people: {{file: {json.dumps(_relative(Path(listed.spec.file), folder), ensure_ascii=False)}}}"
        yield f"\nrecipients: {{rows: people, key: {json.dumps(column)}, to: {json.dumps(to)}}}"
    yield "\npackage:"
    yield "  documents: [{arrival: pages}]"
    yield '  name: "{{ key }}"'
    if column is None:
        return
    yield "\nmessages:"
    yield "  standard:"
    yield f"    subject: {json.dumps(name.replace('_', ' ').capitalize())}"
    yield "    body: |"
    yield "      Good day,"
    yield ""
    yield "      {{ figures.pages }} page{% if figures.pages > 1 %}s{% endif %} for you are attached."
    yield "\ndeliver:"
    yield '  - email: {from: "Reports <reports@example.test>"}     # put your own sender here'


def _flow(value: object) -> str:
    """A value of a key as one line of YAML."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{name}: {part}" for name, part in value.items()) + "}"
    return _single(str(value))


def _single(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"


def _relative(path: Path, folder: Path) -> str:
    real, base = path.resolve(), folder.resolve()
    return real.relative_to(base).as_posix() if real.is_relative_to(base) else str(real)
