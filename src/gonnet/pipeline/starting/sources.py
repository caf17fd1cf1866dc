"""A table that was never seen before, from a file or a database: found, read, and said in the words of a job."""

from __future__ import annotations

import contextlib
import json
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from gonnet import data
from gonnet.data import LookedAt
from gonnet.data.databases.listing import tables
from gonnet.data.files.layout import laid_out
from gonnet.data.types.target import Target
from gonnet.errors import DataError, meant
from gonnet.jobs.drafting import quoted, scalar
from gonnet.jobs.secrets import Secrets
from gonnet.jobs.services import Database
from gonnet.jobs.sources import FileDataSet
from gonnet.pipeline.starting.columns import words_of

_LABELS = frozenset({"total", "totals", "sum", "summe", "gesamt", "subtotal", "totaal", "totale", "suma", "grand"})
_LAID_OUT = (".csv", ".tsv", ".txt", ".xlsx", ".xls", ".ods")


@dataclass(frozen=True, slots=True, kw_only=True)
class Pool:
    """A database to take tables from.

    Attributes:
        name: What the workspace calls it.
        database: The database.
        secrets: Where passwords come from.
        folder: The workspace.
    """

    name: str
    database: Database
    secrets: Secrets
    folder: Path

    def tables(self) -> list[str]:
        """Its tables and views.

        Raises:
            UnreachableError: it cannot be reached.
        """
        return tables(self.name, self.database, self.secrets, self.folder)

    def query_of(self, table: str) -> str:
        """The query for all of a table.

        Raises:
            DataError: there is no such table.
        """
        known = self.tables()
        if table not in known:
            what = f"database '{self.name}' has no table '{table}'"
            raise DataError(what, where="--table", fix=meant(table, known, noun="table"))
        return f"select * from {'.'.join(quoted(part) for part in table.split('.'))}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """A table that was looked at.

    Attributes:
        looked: What is in it; its engine has it as `rows`.
        shown: How it is called.
        spec: How a file is read; None for a query.
        pool: The database of a query.
        query: The query.
        remarks: What a person should know of it.
    """

    looked: LookedAt
    shown: str
    spec: FileDataSet | None = None
    pool: Pool | None = None
    query: str = ""
    remarks: tuple[str, ...] = field(default=())

    @property
    def engine(self) -> data.Engine:
        """Holds it as `rows`."""
        return self.looked.engine

    def close(self) -> None:
        """Give the memory back."""
        self.looked.close()

    def lines(self, file: str) -> Iterator[str]:
        """What a job says of it, a line each."""
        if self.spec is None:
            assert self.pool is not None
            yield f"database: {scalar(self.pool.name)}"
            yield f"sql: {scalar(self.query)}"
            return
        yield f"file: {scalar(file)}"
        said = self.spec.model_dump(exclude_defaults=True, exclude={"file"})
        for name, value in said.items():
            yield f"{name}: {_yaml(value)}"


def _yaml(value: object) -> str:
    if isinstance(value, str):
        return scalar(value)
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_yaml(key)}: {_yaml(part)}" for key, part in value.items()) + "}"
    if isinstance(value, tuple | list):
        return "[" + ", ".join(json.dumps(part, ensure_ascii=False) for part in value) + "]"
    return "null" if value is None else str(value)


def from_query(pool: Pool, query: str, text_columns: frozenset[str]) -> Source:
    """A table that a query gives.

    Raises:
        DataError: the query does not run.
        UnreachableError: the database cannot be reached.
    """
    looked = data.look_at_query(pool.name, pool.database, query, pool.secrets, pool.folder, text_columns)
    return Source(looked=looked, shown=f"database '{pool.name}'", pool=pool, query=query)


def from_file(spec: FileDataSet, text_columns: frozenset[str], language: str = "en") -> Source:
    """A file, with how it is read where it can be read in one way only.

    Args:
        spec: The file, and what a person says of it.
        text_columns: Columns that stay text: keys.
        language: Whose names of months are tried.

    Raises:
        DataError: the file cannot be read.
    """
    spec = _placed(spec)
    looked = data.look_at(spec, text_columns, language=language)
    # A total may hide how a column is written, and the way in which it is written a total.
    for better in (_with_total, _without_doubts, _with_total):
        found = better(looked, spec, text_columns, language)
        if found is not None:
            looked.close()
            spec, looked = found
    remarks = [f"{doubt.text}; {doubt.advice}" for doubt in looked.told.doubts.get("rows", {}).values()]
    if spec.last is not None:
        remarks.insert(0, "its last line is a control total, and agrees with the rows")
    return Source(looked=looked, shown=Path(spec.file).name, spec=spec, remarks=tuple(remarks))


def _placed(spec: FileDataSet) -> FileDataSet:
    """The same with the sheet, and the row with the names."""
    path = Path(spec.file)
    if path.suffix.lower() not in _LAID_OUT or not path.is_file():
        return spec
    with tempfile.TemporaryDirectory() as folder:
        target = Target(name="rows", where=spec.file, scratch=Path(folder))
        layout = laid_out(path, spec, target)
    changes: dict[str, object] = {"sheet": layout.sheet}
    if spec.header == 1 and spec.skip == 0:
        changes["header"] = layout.header
        if not spec.columns:
            changes["columns"] = dict(layout.columns)
    return spec.model_copy(update=changes)


def _with_total(
    looked: LookedAt, spec: FileDataSet, text_columns: frozenset[str], language: str
) -> tuple[FileDataSet, LookedAt] | None:
    """How the file is read if its last line is a control total; None where it is none."""
    rows = looked.engine.query("select * from rows order by rowid desc limit 1")
    texts = [str(cell) for cell in rows[0] if isinstance(cell, str)] if rows else []
    is_labelled = any(_LABELS & set(words_of(text)) for text in texts)
    if spec.last is not None or not rows or not (is_labelled or rows[0][0] is None):
        return None
    other = spec.model_copy(update={"last": "total"})
    with contextlib.suppress(DataError):
        return other, data.look_at(other, text_columns, language=language)
    return None


def _without_doubts(
    looked: LookedAt, spec: FileDataSet, text_columns: frozenset[str], language: str
) -> tuple[FileDataSet, LookedAt] | None:
    """How the file is read with the columns that can be meant in one way only; None where there are none."""
    found: dict[str, dict[str, object]] = {"numbers": {}, "dates": {}, "missing": {}}
    for doubt in looked.told.doubts.get("rows", {}).values():
        if len(doubt.choices) == 1 and doubt.column not in text_columns:
            for line in doubt.choices[0]:
                name, _, value = line.partition(": ")
                if name in found:
                    found[name][doubt.column] = json.loads(value) if value[0] in '["' else value
    said = {name: _for_all(values) for name, values in found.items() if values and not getattr(spec, name)}
    if not said:
        return None
    better = FileDataSet.model_validate(spec.model_dump(exclude_defaults=True) | said)
    return better, data.look_at(better, text_columns, language=language)


def _for_all(values: dict[str, object]) -> object:
    """One value where all columns have the same, else by column."""
    first, *others = values.values()
    return first if others and all(other == first for other in others) else values
