"""Starting a roster: a workbook to fill in, with the choices that a job offers where there is one already."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import get_args

from gonnet import data, private
from gonnet.data import Engine, quoted
from gonnet.errors import StorageError
from gonnet.jobs import Job
from gonnet.jobs.contents import DocumentSpec, Enclosure
from gonnet.jobs.values import Format
from gonnet.pipeline.tools import Tools
from gonnet.recipients.roster import reading
from gonnet.recipients.roster.writing import Blank, blank

_FEW = 200  # values that a drop-down offers
_LIKELY = 30  # values that a column has at most that says what people may see
_PROPOSED = 2  # columns that are proposed


@dataclass(frozen=True, slots=True, kw_only=True)
class StartedList:
    """A roster that was written.

    Attributes:
        place: Where.
        circles: Its circles.
        sees: The columns by which its lines say what they may see.
    """

    place: Path
    circles: tuple[str, ...]
    sees: tuple[str, ...]


def start_list(
    place: Path, job: Job | None = None, tools: Tools | None = None, asked: Mapping[str, str] | None = None
) -> StartedList:
    """Write a roster to fill in.

    Args:
        place: The workbook, which must not be there.
        job: For which it is; an example where there is none.
        tools: The tools, where there is a job.
        asked: Its parameters, as for a run.

    Raises:
        StorageError: there is such a file, or it cannot be written.
        DataError: the job's data cannot be read.
    """
    if place.exists():
        raise StorageError("this file is there already", where=str(place), fix="Name another one")
    what = _of_job(job, tools, asked or {}) if job is not None and tools is not None else _of_nobody()
    private.write(place, blank(what))
    return StartedList(place=place, circles=what.circles, sees=tuple(what.sees))


def _of_nobody() -> Blank:
    sees = {"region": ("Eastmoor", "Lower Vale", "Upper Tarn")}
    return Blank(circles=("Managers", "Board"), sees=sees, choices={reading.FORMAT: get_args(Format)})


def _of_job(job: Job, tools: Tools, asked: Mapping[str, str]) -> Blank:
    """What a job offers: its ways, documents and messages, and the values of its data."""
    parts: list[DocumentSpec | Enclosure] = [*job.file.package.documents, *job.file.package.enclose]
    choices: dict[str, Sequence[str]] = {
        reading.FORMAT: get_args(Format),
        reading.WAY: [way.called for way in job.file.deliver],
        reading.MESSAGE: list(job.file.messages),
        reading.DOCUMENTS: list(dict.fromkeys(name for one in parts for name in sorted(one.called))),
    }
    specs = [spec for spec in job.file.recipients if spec.roster is not None]
    circles = tuple(dict.fromkeys(spec.circle or job.name for spec in specs)) or (job.name.capitalize(),)
    values = data.resolve(job.file.parameters, asked, tools.today(), tools.periods)
    loaded = data.load(job, tools.workspace, values, for_its_own_sake=True)
    with closing(loaded.engine) as engine:
        rows = job.file.split.rows
        named = list(dict.fromkeys(name for spec in specs for name in spec.sees)) or list(_likely(engine, job))
        sees = {name: _values(engine, rows, name) for name in named}
    return Blank(circles=circles, sees=sees, choices=choices)


def _likely(engine: Engine, job: Job) -> Iterator[str]:
    """The columns of text with few values, which often say what somebody may see; the key where there is none."""
    rows, found = job.file.split.rows, 0
    for column in engine.columns(rows):
        if column.is_number or column.is_date or column.name in job.file.split.by:
            continue
        ((many,),) = engine.query(f"select count(distinct {quoted(column.name)}) from {quoted(rows)}")
        if 1 < int(str(many)) <= _LIKELY and found < _PROPOSED:
            found += 1
            yield column.name
    if not found:
        yield from job.file.split.by[:1]


def _values(engine: Engine, rows: str, name: str) -> list[str]:
    cell = quoted(name)
    query = f"select distinct trim(cast({cell} as varchar)) from {quoted(rows)} where {cell} is not null order by 1"
    found = [str(value) for (value,) in engine.query(f"{query} limit {_FEW + 1}")]
    return found if len(found) <= _FEW else []
