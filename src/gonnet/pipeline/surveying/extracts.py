"""Whether as many rows came as usual: an extract that is not whole looks like a quiet month."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from gonnet.data import Engine
from gonnet.findings import Finding, Weight
from gonnet.jobs import Job
from gonnet.jobs.sources import SqlDataSet
from gonnet.rules.guard import Measured

_FEW = 20  # rows below which half as many say nothing


def sizes(job: Job, engine: Engine) -> dict[str, int]:
    """Data set that comes from a file or a database → its rows."""
    return {name: engine.count(name) for name, part in job.file.tables.items() if not isinstance(part, SqlDataSet)}


def about_sizes(now: Mapping[str, int], last: Measured | None) -> Iterator[Finding]:
    """A finding for each extract that is empty, or has less than half the rows of the last run."""
    for name, count in now.items():
        before = last.rows.get(name) if last is not None else None
        if last is not None and before is not None and before >= _FEW and count * 2 < before:
            rows = f"{count:,} row{'s' if count != 1 else ''}" if count else "no rows"
            text = f"data set '{name}' has {rows}, and had {before:,} in run {last.run}; see whether all of it came"
            yield Finding(weight=Weight.ATTENTION, text=text)
        elif not count:
            yield Finding(weight=Weight.NOTE, text=f"data set '{name}' has no rows")
