"""The run's DuckDB: one connection in memory that can be closed to the outside world."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, ExitStack, closing, contextmanager, nullcontext
from dataclasses import dataclass
from pathlib import Path

import duckdb

from gonnet.data.macros import MACROS
from gonnet.data.patience import WATCHER
from gonnet.errors import DataError, meant
from gonnet.scratch import scratch

_NUMBERS = re.compile(r"^(TINYINT|SMALLINT|INTEGER|BIGINT|HUGEINT|U\w+INT|DECIMAL|DOUBLE|FLOAT|REAL)")
EXACT = 2**53
"""From here on two whole numbers can be the same binary one."""

_AT_ONCE = 5_000  # rows
_OPEN = '"NULL"'  # the type of NULL itself
_LOOKS = re.compile(r"\s*(select|describe|from|values|explain)\b", re.IGNORECASE)  # and changes no table
_INTEGERS = re.compile(r"^(TINYINT|SMALLINT|INTEGER|BIGINT|HUGEINT|U\w+INT)")


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnType:
    """Name and DuckDB type of one column of a table."""

    name: str
    type: str

    @property
    def is_number(self) -> bool:
        """Whether values are integers, decimals or floating numbers; so may those be of which there are none."""
        return bool(_NUMBERS.match(self.type)) or self.is_open

    @property
    def is_open(self) -> bool:
        """Whether no value says what values of this column are."""
        return self.type == _OPEN

    @property
    def is_integer(self) -> bool:
        """Whether values are whole numbers by type."""
        return bool(_INTEGERS.match(self.type))

    @property
    def is_float(self) -> bool:
        """Whether values are binary floating numbers, which are not exact to the cent."""
        return self.type in ("DOUBLE", "FLOAT", "REAL")

    @property
    def is_date(self) -> bool:
        """Whether values are dates or times of a day."""
        return self.type.startswith(("DATE", "TIMESTAMP"))

    @property
    def decimals(self) -> int:
        """Decimals of a DECIMAL; 0 for whole numbers; 2 where the type does not say."""
        found = re.match(r"DECIMAL\(\d+,\s*(\d+)\)", self.type)
        return int(found[1]) if found else 0 if self.is_integer else 2


Columns = Mapping[str, tuple[str, Sequence[object] | None]]
"""Name → type (empty: whatever the values are), and a value for each line; None where nobody asks for them."""


def quoted(name: str) -> str:
    """`name` as a quoted SQL identifier."""
    return '"' + name.replace('"', '""') + '"'


class Engine:
    """Tables of one run. Everything in it is SQL; every failure is a DataError in words.

    Attributes:
        tables: The names of its tables.
        doubts: Column of text → what to write in the job if it is meant as something else.

    Args:
        seconds: How long a statement may take; None for as long as it does.
        megabytes: How much memory all may take; None for as much as the engine itself allows.
        work: Below it is kept what has no room in memory; None where all of it must have room.
    """

    def __init__(self, seconds: int | None = None, megabytes: int | None = None, work: Path | None = None) -> None:
        self._stack = ExitStack()
        self._connection = duckdb.connect(":memory:")
        aside = "" if work is None else str(self._stack.enter_context(scratch(work)))
        self._connection.execute("SET temp_directory=$folder", {"folder": aside})
        self._seconds = seconds
        if megabytes is not None:
            self._connection.execute(f"SET memory_limit='{megabytes}MB'")
        # A division by zero is empty, as it is in most SQL, and not infinite; conditions ask strictly, and fail.
        self._connection.execute("SET ieee_floating_point_ops=false")
        self._strict = self._connection.cursor()
        self._strict.execute("SET ieee_floating_point_ops=false")
        self._connection.execute("SET error_on_division_by_zero=false")
        self._columns: dict[str, tuple[ColumnType, ...]] = {}
        self._counts: dict[str, int] = {}
        self._kinds: dict[tuple[str, str], str] = {}
        self.tables: list[str] = []
        self.doubts: dict[str, str] = {}
        self._numbered: set[str] = set()
        for head, body in MACROS.items():
            self._connection.execute(f"create macro {head} as ({body})")

    def close(self) -> None:
        """Give the memory back."""
        self._strict.close()
        self._connection.close()
        self._stack.close()

    def lock(self) -> None:
        """From here on no file, no other database and no setting can be reached by any SQL."""
        self._connection.execute("SET enable_external_access=false")
        self._connection.execute("SET lock_configuration=true")

    def query(
        self,
        sql: str,
        values: Mapping[str, object] | Sequence[object] | None = None,
        *,
        where: str = "",
        fix: str = "",
        strictly: bool = False,
    ) -> list[tuple[object, ...]]:
        """Run one statement and return all its rows.

        Args:
            sql: The statement.
            values: Bound parameters: by name (`$name`; those the statement does not use are left out) or in order.
            where: What to name in an error.
            fix: What to advise in an error, where DuckDB itself has no candidate to offer.
            strictly: Whether a division by zero fails.

        Raises:
            DataError: the statement fails.
        """
        if isinstance(values, Mapping):
            with self._explained(sql, where, fix):
                values = self._used(sql, values, where)
        if not _LOOKS.match(sql):
            self._columns.clear()
            self._counts.clear()
            self._kinds.clear()
        connection = self._strict if strictly else self._connection
        with self._explained(sql, where, fix), self._in_time(connection):
            return connection.execute(sql, values).fetchall()

    def stream(self, sql: str) -> Iterator[tuple[object, ...]]:
        """The rows of one statement, a few thousand in memory at a time; others may run meanwhile.

        Raises:
            DataError: the statement fails.
        """
        with closing(self._connection.cursor()) as cursor:
            with self._explained(sql), self._in_time(cursor):
                cursor.execute(sql)
            while rows := cursor.fetchmany(_AT_ONCE):
                yield from rows

    @contextmanager
    def _explained(self, sql: str, where: str = "", fix: str = "") -> Iterator[None]:
        """Let the engine's failures appear as DataError."""
        try:
            yield
        except duckdb.InterruptException as error:
            what = f"this took longer than the {self._seconds} seconds that gonnet.yaml allows"
            raise DataError(what, where=where, fix="Make it simpler, or raise `queries: {seconds: …}`") from error
        except duckdb.OutOfMemoryException as error:
            what = "this needs more memory than gonnet.yaml allows"
            raise DataError(what, where=where, fix="Make it simpler, or raise `queries: {megabytes: …}`") from error
        except duckdb.Error as error:
            what, advice = explained(error)
            advice = self._doubted(sql, what) or advice
            raise DataError(what, where=where, fix=advice or fix) from error

    def _doubted(self, sql: str, what: str) -> str:
        """What to advise where text was taken for a number or a date, and may be meant as one; else empty."""
        if "VARCHAR" not in what and "onversion" not in what and "onvert" not in what:
            return ""
        named = (advice for column, advice in self.doubts.items() if re.search(rf"\b{re.escape(column)}\b", sql))
        return next((f"In the data set, {advice}" for advice in named), "")

    def _in_time(self, connection: duckdb.DuckDBPyConnection) -> AbstractContextManager[None]:
        """End a statement that takes too long."""
        return nullcontext() if self._seconds is None else WATCHER.over(connection, self._seconds)

    def _used(self, sql: str, values: Mapping[str, object], where: str) -> dict[str, object]:
        statements = duckdb.extract_statements(sql)
        if len(statements) != 1:
            raise DataError("this must be one SQL statement", where=where, fix="Leave out what follows the first `;`")
        wanted = statements[0].named_parameters
        unknown = sorted(set(wanted) - set(values))
        if unknown:
            known = ", ".join(f"${name}" for name in sorted(values)) or "none"
            raise DataError(f"unknown parameter ${unknown[0]}", where=where, fix=f"Parameters of this job: {known}")
        return {name: values[name] for name in wanted}

    def create(self, table: str, sql: str, values: Mapping[str, object] | None = None, *, where: str = "") -> None:
        """Make `table` from a query and remember it."""
        if self._numbered:  # over data sets without rows, whose columns may be of no type
            found = {str(row[0]): str(row[1]) for row in self.query(f"describe {sql}", values or {}, where=where)}
            if _OPEN in found.values() and not self.query(
                f"select 1 from ({sql}\n) limit 1", values or {}, where=where
            ):
                self.create_empty(table, {name: None if kind == _OPEN else kind for name, kind in found.items()})
                return
        self.query(f"create table {quoted(table)} as\n{sql}\n", values or {}, where=where)
        self.tables.append(table)

    def put(self, table: str, columns: Columns) -> None:
        """Make `table` of values, in place of one of that name."""
        parts, values = [], dict[str, object]()
        for index, (column, (kind, found)) in enumerate(columns.items()):
            if found is None:
                parts.append(f"cast(null as {kind}) as {quoted(column)}")
                continue
            value = f"cast($c{index} as {kind}[])" if kind else f"$c{index}"
            parts.append(f"unnest({value}) as {quoted(column)}")
            values[f"c{index}"] = found
        self.query(f"create or replace table {table} as select {', '.join(parts)}", values)

    def create_empty(self, table: str, columns: Mapping[str, str | None]) -> None:
        """Make `table` without rows; a column whose type is None takes part in sums, dates and texts alike."""
        typed = {name: f"cast(null as {kind})" if kind else "null" for name, kind in columns.items()}
        chosen = ", ".join(f"{value} as {quoted(name)}" for name, value in typed.items())
        # A view: a table would make a column of no type one of whole numbers. It numbers its rows as tables do.
        self.query(f"create view {quoted(table)} as select {chosen}, 0 as rowid where false")
        self._numbered.add(table)
        self.tables.append(table)

    def columns(self, table: str) -> tuple[ColumnType, ...]:
        """The columns of `table`, in order."""
        if table not in self._columns:
            self._columns[table] = self._asked_columns(table)
        return self._columns[table]

    def kind(self, table: str, sql: str, values: Mapping[str, object] | None = None) -> str:
        """The type of an expression over the rows of `table`.

        Raises:
            DataError: it does not run.
        """
        if (table, sql) not in self._kinds:
            own = next((column.type for column in self.columns(table) if quoted(column.name) == sql), None)
            asked = f"describe select {sql} as value from {table}"
            self._kinds[table, sql] = own or str(self.query(asked, values or {})[0][1])
        return self._kinds[table, sql]

    def _asked_columns(self, table: str) -> tuple[ColumnType, ...]:
        try:
            rows = self._connection.execute("select name, type from pragma_table_info(?)", [quoted(table)]).fetchall()
        except duckdb.CatalogException:  # there is no such table
            return ()
        hidden = {"rowid"} if table in self._numbered else set()
        return tuple(ColumnType(name=str(name), type=str(kind)) for name, kind in rows if name not in hidden)

    def require_column(self, table: str, column: str, *, where: str) -> None:
        """Refuse a column that `table` does not have.

        Raises:
            DataError: names the table, the column and the nearest one there is.
        """
        known = [found.name for found in self.columns(table)]
        if column not in known:
            what = f"data set '{table}' has no column '{column}'"
            raise DataError(what, where=where, fix=meant(column, known, noun="column"))

    def count(self, table: str) -> int:
        """The number of rows of `table`."""
        if table not in self._counts:
            self._counts[table] = int(str(self.query(f"select count(*) from {quoted(table)}")[0][0]))
        return self._counts[table]


def explained(error: duckdb.Error) -> tuple[str, str]:
    """The first sentence of a DuckDB error, and its own advice where it has one."""
    lines = [line.strip() for line in str(error).splitlines() if line.strip()]
    what = re.sub(r"^[A-Z][A-Za-z ]+ Error: ", "", lines[0]) if lines else "the query failed"
    advice = next((line for line in lines[1:] if line.startswith(("Candidate", "Did you mean"))), "")
    advice = advice.replace("Candidate bindings: ", "Columns there: ").replace("Candidate tables: ", "Tables there: ")
    return what.rstrip(".!"), advice
