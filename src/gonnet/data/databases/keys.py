"""Which keys a question is asked for, and what of each key's own line it may name."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from gonnet.data.engine import Engine, quoted
from gonnet.data.key_text import key_text
from gonnet.errors import DataError, JobError
from gonnet.jobs.models import Job
from gonnet.jobs.sources import DatabaseDataSet

_OWN = "recipient_"
"""How a parameter begins that is a column of the key's own line."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Keys:
    """The keys that are asked for.

    Attributes:
        table: The data set with a line for each.
        expression: SQL for the key of a line.
        columns: Its columns.
        split_by: The column by which the job splits.
    """

    table: str
    expression: str
    columns: tuple[str, ...]
    split_by: str

    @classmethod
    def of(cls, job: Job, engine: Engine, part: DatabaseDataSet, where: str) -> Keys:
        """Those of the data set that a question names, or of the recipient list.

        Raises:
            DataError: there is no such data set yet, or it has no such column.
            JobError: the job splits by several columns.
        """
        assert part.per_key is not None
        single = _single_key(job)
        listed = {name: spec.key[0] for name, spec in job.lists if spec.key}
        table = part.per_key.keys or next(iter(listed), "")
        column = listed.get(table, single)
        if table not in engine.tables:
            fix = "Name a data set from a file or a plain query with `keys:`"
            raise DataError("there is no data set to take the keys from", where=where, fix=fix)
        engine.require_column(table, column, where=where)
        expression = key_text(engine, table, (column,), where=where)
        columns = tuple(found.name for found in engine.columns(table))
        return cls(table=table, expression=expression, columns=columns, split_by=single)

    @property
    def parameters(self) -> dict[str, str]:
        """Parameter → the column of a key's own line that it is: `$recipient_limit`."""
        return {f"{_OWN}{name}": name for name in self.columns if re.fullmatch(r"\w+", name)}

    def listed(self, engine: Engine) -> list[str]:
        """The keys, sorted."""
        rows = engine.query(f"select distinct {self.expression} as k from {quoted(self.table)} order by k")
        return [str(key) for (key,) in rows if key is not None]

    def own(self, engine: Engine, names: Sequence[str]) -> tuple[dict[str, dict[str, object]], Mapping[str, str]]:
        """Key → the parameters of its own line that a question names; and keys whose lines differ in one → why."""
        wanted = {name: column for name, column in self.parameters.items() if name in names}
        if not wanted:
            return {}, {}
        # No value is a value too: lines of which one has none differ.
        parts = ", ".join(
            f"any_value({name}), count(distinct {name}) + (count({name}) between 1 and count(*) - 1)::integer"
            for name in map(quoted, wanted.values())
        )
        rows = engine.query(f"select {self.expression}, {parts} from {quoted(self.table)} group by 1 order by 1")
        found: dict[str, dict[str, object]] = {}
        differing: dict[str, str] = {}
        for key, *cells in rows:
            if key is None:
                continue
            for at, column in enumerate(wanted.values()):
                if int(str(cells[2 * at + 1])) > 1:
                    differing[str(key)] = f"its lines differ in '{column}', which the question names"
            found[str(key)] = {name: cells[2 * at] for at, name in enumerate(wanted)}
        return found, differing


def _single_key(job: Job) -> str:
    """The column of the key, of which a question for each key knows but one.

    Raises:
        JobError: the job splits by several columns, or by none.
    """
    column, *more = job.file.split.by or ("",)
    if more or not column:
        fix = "Split by one column, which SQL can make of several"
        raise JobError("a question for each key needs a key of one column", where=job.at("split", "by"), fix=fix)
    return column
