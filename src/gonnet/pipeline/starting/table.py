"""Looking at a user's own table and writing a first job for it, which runs."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

from gonnet import schemas
from gonnet.data import Engine
from gonnet.data.key_text import key_text
from gonnet.errors import DataError, GonnetError, JobError, meant
from gonnet.jobs import load_job, load_workspace
from gonnet.jobs.drafting import Draft, SeenColumn, SeenList, SeenPeriod, drafted, quoted, scalar
from gonnet.jobs.sources import FileDataSet
from gonnet.pipeline.starting.columns import likely_name, seen_columns, total_keys
from gonnet.pipeline.starting.sources import Source, from_file, from_query
from gonnet.pipeline.starting.workspaces import Place
from gonnet.pipeline.survey import Request, survey
from gonnet.pipeline.tools import open_tools

_SHOWN = 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a person says of the table that a job is to be written for.

    Attributes:
        name: The job.
        by: The key's columns.
        rows: The file with the rows; None for a query.
        database: The database of a query: its name, or its URL.
        query: The query.
        people: The file with the recipients, or None.
        people_query: The query for them, or None.
        to: The column with their addresses; of the rows themselves where nothing else is said of the list.
    """

    name: str
    by: tuple[str, ...]
    rows: FileDataSet | None = None
    database: str | None = None
    query: str = ""
    people: FileDataSet | None = None
    people_query: str | None = None
    to: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Started:
    """What was written.

    Attributes:
        job: The job file.
        workspace: The new `gonnet.yaml`, or None where there was one.
        by: The key's columns.
        keys: How many keys the table has.
        rows: How many rows.
        list_key: The columns of the recipient list that were taken for the key, or None.
        matched: How many keys the list knows.
        remarks: What a person should know of the table.
    """

    job: Path
    workspace: Path | None
    by: tuple[str, ...]
    keys: int
    rows: int
    list_key: str | None
    matched: int
    remarks: tuple[str, ...]


def start(folder: Path, asked: Asked) -> Started:
    """Write `jobs/NAME.yaml`, and `gonnet.yaml` where there is none; nothing stays of a job that does not run.

    Args:
        folder: The workspace, or the folder that becomes one.
        asked: What was said.

    Raises:
        JobError: the name cannot be used or is taken, or the job does not run.
        DataError: a table cannot be read, or a column is not there.
        UnreachableError: the database cannot be reached.
    """
    job, place = require_free(folder, asked.name), Place(folder=folder)
    with ExitStack() as opened:
        rows = source_of(place, asked.rows, asked.database, asked.query, frozenset(asked.by))
        opened.callback(rows.close)
        for column in asked.by:
            _require(rows, column, "--by")
        keys = keys_of(rows.engine, asked.by)
        people = _people_source(place, asked)
        if people is not None:
            opened.callback(people.close)
        found = _list(rows, people, asked, keys, folder) if asked.to is not None else None
        draft = _draft(rows, asked, found[0] if found else None, keys, folder)
    outside = _outside([spec for spec in (asked.rows, asked.people) if spec is not None], place)
    made = _written(job, place, draft, outside, rows)
    return Started(
        job=job,
        workspace=place.settings if made else None,
        by=asked.by,
        keys=len(keys),
        rows=draft.rows,
        list_key=", ".join(found[0].key) if found else None,
        matched=found[1] if found else 0,
        remarks=draft.remarks,
    )


def source_of(
    place: Place, spec: FileDataSet | None, database: str | None, query: str, text_columns: frozenset[str]
) -> Source:
    """The table of a file or of a query.

    Raises:
        DataError: it cannot be read.
        JobError: there is no such database.
    """
    if spec is not None:
        return from_file(spec, text_columns, place.language)
    assert database is not None
    return from_query(place.pool(database), query, text_columns)


def _people_source(place: Place, asked: Asked) -> Source | None:
    """The table of recipients; None where there is none, and where the rows themselves have the addresses."""
    if asked.people is None and asked.people_query is None:
        return None
    return source_of(place, asked.people, asked.database, asked.people_query or "", frozenset(asked.by))


def _draft(rows: Source, asked: Asked, people: SeenList | None, keys: set[str], folder: Path) -> Draft:
    columns = seen_columns(rows.engine)
    remarks = [*rows.remarks]
    if labels := total_keys(keys):
        said = f"{labels[0]}" if len(labels) == 1 else " and ".join(labels[:_SHOWN])
        line = f"rows: \"{quoted(asked.by[0])} <> '{labels[0]}'\""
        remarks.append(f"a key is called {said}, which looks like the line of a total; `{line}` leaves it out")
    file = _relative(rows.spec, folder) if rows.spec is not None else ""
    return Draft(
        name=asked.name,
        lines=tuple(rows.lines(file)),
        by=asked.by,
        columns=columns,
        rows=rows.engine.count("rows"),
        people=people,
        period=_period(rows.engine, columns),
        remarks=tuple(remarks),
    )


def _written(job: Path, place: Place, draft: Draft, outside: Sequence[str], rows: Source) -> bool:
    """Write the job and what the workspace lacks; see that it runs. Returns whether the workspace is new."""
    before = None if place.is_new else place.settings.read_text("utf-8")
    job.parent.mkdir(parents=True, exist_ok=True)
    try:
        made = place.begin(outside, rows.pool)
        job.write_text(schemas.marked("job", drafted(draft)), "utf-8")
        workspace = load_workspace(place.folder)
        with open_tools(workspace, 1) as tools:
            survey(load_job(workspace, draft.name), tools, Request(as_of=tools.today(), asked={})).engine.close()
        schemas.write(place.folder)
    except GonnetError:
        job.unlink(missing_ok=True)
        if before is None:
            place.settings.unlink(missing_ok=True)
        else:
            place.settings.write_text(before, "utf-8")
        raise
    return made


def require_free(folder: Path, name: str) -> Path:
    """The file of a job that is to be written.

    Raises:
        JobError: the name cannot be used or is taken.
    """
    place = folder / "jobs" / f"{name}.yaml"
    if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9_-]{0,60}", name):
        raise JobError(f"'{name}' cannot be the name of a job", fix="Use letters, digits, - and _")
    if place.exists():
        raise JobError(f"there is a job '{name}' already", where=str(place), fix="Choose another name")
    return place


def _outside(specs: Sequence[FileDataSet], place: Place) -> list[str]:
    """The folders of files that are not below the workspace.

    Raises:
        JobError: a workspace that is there does not let its jobs take files from one.
    """
    base = place.folder.resolve()
    if not place.is_new:
        for option, spec in zip(("--rows", "--recipients"), specs, strict=False):
            load_workspace(place.folder).reach.file(Path(spec.file).resolve(), option)
    real = [Path(spec.file).resolve() for spec in specs]
    return list(dict.fromkeys(str(path.parent) for path in real if not path.is_relative_to(base)))


def _require(source: Source, column: str, option: str) -> None:
    known = [found.name for found in source.engine.columns("rows")]
    if column not in known:
        what = f"{source.shown} has no column '{column}'"
        raise DataError(what, where=option, fix=meant(column, known, noun="column"))


def keys_of(engine: Engine, columns: tuple[str, ...]) -> set[str]:
    """The different keys of a table."""
    expression = key_text(engine, "rows", columns)
    return {str(key) for (key,) in engine.query(f"select distinct {expression} from rows") if key is not None}


def _period(engine: Engine, columns: Sequence[SeenColumn]) -> SeenPeriod | None:
    """The month, quarter or year in which all rows lie; by the first column of dates that has one for every row."""
    for column in columns:
        if column.kind not in ("date", "time"):
            continue
        name = quoted(column.name)
        ((empty, least, greatest),) = engine.query(
            f"select count(*) - count({name}), cast(min({name}) as date), cast(max({name}) as date) from rows"
        )
        if empty or not isinstance(least, dt.date) or not isinstance(greatest, dt.date) or least.year != greatest.year:
            continue
        if least.month == greatest.month:
            return SeenPeriod(column=column.name, kind="month", value=f"{least:%Y-%m}")
        quarter = (least.month + 2) // 3
        if quarter == (greatest.month + 2) // 3:
            return SeenPeriod(column=column.name, kind="quarter", value=f"{least.year}-Q{quarter}")
        return SeenPeriod(column=column.name, kind="year", value=f"{least.year}")
    return None


def _list(rows: Source, people: Source | None, asked: Asked, keys: set[str], folder: Path) -> tuple[SeenList, int]:
    """The recipient list, and how many keys it knows."""
    assert asked.to is not None
    table = people or rows
    _require(table, asked.to, "--to")
    key, matched = (asked.by, len(keys)) if people is None else _key_columns(people.engine, keys, asked)
    name = likely_name(seen_columns(table.engine), key[0], asked.to)
    lines = tuple(_list_lines(people, key, asked.to, name, folder))
    return SeenList(lines=lines, key=key, to=asked.to, name=name), matched


def _list_lines(people: Source | None, key: tuple[str, ...], to: str, name: str | None, folder: Path) -> Iterator[str]:
    if people is not None:
        yield from people.lines(_relative(people.spec, folder) if people.spec is not None else "")
        return
    chosen = ", ".join(quoted(column) for column in (*key, *([name] if name else []), to))
    yield f"sql: {scalar(f'select distinct {chosen} from source where {quoted(to)} is not null')}"


def _key_columns(engine: Engine, keys: set[str], asked: Asked) -> tuple[tuple[str, ...], int]:
    """The columns of the list that hold keys: those of the same names, else the one that knows most of them."""
    known = [column.name for column in engine.columns("rows")]
    if set(asked.by) <= set(known) and _usable(engine, asked.by):
        matched = len(keys_of(engine, asked.by) & keys)
        if matched:
            return asked.by, matched
    shared = {
        name: len(keys_of(engine, (name,)) & keys) for name in known if name != asked.to and _usable(engine, (name,))
    }
    best = max(shared, key=lambda name: shared[name], default=None)
    if best is None or not shared[best] or len(asked.by) > 1:
        raise DataError(
            f"no column of the recipient list holds the keys of column '{', '.join(asked.by)}'",
            where="--recipients",
            fix=f"Its columns: {', '.join(known)}. Is it the right file?",
        )
    return (best,), shared[best]


def _usable(engine: Engine, columns: tuple[str, ...]) -> bool:
    try:
        engine.query(f"select {key_text(engine, 'rows', columns)} from rows limit 1")
    except DataError:
        return False
    return True


def _relative(spec: FileDataSet, folder: Path) -> str:
    full, base = Path(spec.file).resolve(), folder.resolve()
    return full.relative_to(base).as_posix() if full.is_relative_to(base) else full.as_posix()
