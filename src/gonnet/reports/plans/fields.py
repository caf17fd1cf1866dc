"""What reports need of a row: columns and SQL expressions, each read once whatever the number of blocks that use it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from gonnet.data import ColumnType, Engine, quoted
from gonnet.errors import DataError, JobError

_EXACT = "decimal(30, 10)"


@dataclass(frozen=True, slots=True, kw_only=True)
class Fields:
    """The values of a row that the reports of a run use, in the order in which they were first asked for.

    Attributes:
        engine: The engine, after the split.
        view: The rows that they are of.
        bound: Parameters by name, for expressions.
        found: SQL → place in a row, and type.
        answers: Statement → its answer, since the plans of every language ask the same.
        asked: Place in the job and SQL of each expression, as the job has it.
    """

    engine: Engine
    view: str
    bound: Mapping[str, object]
    found: dict[str, tuple[int, ColumnType]] = field(default_factory=dict)
    answers: dict[str, list[tuple[object, ...]]] = field(default_factory=dict)
    asked: list[tuple[str, str]] = field(default_factory=list)

    def answer(self, sql: str) -> list[tuple[object, ...]]:
        """What a statement about all rows says, asked once."""
        if sql not in self.answers:
            self.answers[sql] = self.engine.query(sql, self.bound)
        return self.answers[sql]

    @property
    def expressions(self) -> tuple[str, ...]:
        """The SQL of each value, over a row of the run."""
        return tuple(self.found)

    def column(self, name: str, where: str) -> int:
        """The place of a column of the data set in a row.

        Raises:
            JobError: there is no such column.
        """
        try:
            self.engine.require_column(self.view, name, where=where)
        except DataError as error:
            raise JobError(f"there is no column '{name}'", where=where, fix=error.fix) from error
        return self._place(quoted(name), where)

    def ranks(self, name: str, order: Mapping[str, Sequence[str]], where: str) -> dict[object, int]:
        """The values of a column in the order that the job gives it, each with its place; none where it gives none.

        Args:
            name: The column.
            order: Column → its values in order.
            where: The place of the order in the job.

        Raises:
            JobError: one of them cannot be a value of the column.
        """
        kind = self.type_at(self.column(name, where)).type
        found = {}
        for rank, text in enumerate(order.get(name, ())):
            ((value,),) = self.engine.query(f"select try_cast($text as {kind})", {"text": text})
            if value is None:
                what = f"'{text}' is no value of column '{name}', which is {kind.lower()}"
                raise JobError(what, where=where, fix="Write its values as the data have them")
            found[value] = rank
        return found

    def number(self, name: str, where: str, what: str) -> int:
        """The place of a column that must be one of numbers.

        Raises:
            JobError: it is not, or there is none; names `what` it was wanted for.
        """
        at = self.column(name, where)
        if not self.type_at(at).is_number:
            raise JobError(f"{what} must be a column of numbers, '{name}' is not", where=where, fix="Name another")
        return at

    def expression(self, sql: str, where: str) -> int:
        """The place of an SQL expression in a row.

        Raises:
            JobError: it does not run; names its place.
        """
        self.asked.append((where, sql))
        return self._place(f"({sql}\n)", where)

    def condition(self, sql: str, where: str) -> int:
        """The place of a condition in a row: text and numbers are no conditions.

        Raises:
            JobError: it does not run; names its place.
        """
        self.asked.append((where, sql))
        return self._place(f"cast(({sql}\n) as boolean)", where)

    def type_at(self, place: int) -> ColumnType:
        """The type of a value."""
        return list(self.found.values())[place][1]

    def sql_at(self, place: int) -> str:
        """The SQL of a value."""
        return self.expressions[place]

    def _place(self, sql: str, where: str) -> int:
        if sql in self.found:
            return self.found[sql][0]
        kind = self._type(sql, where)
        if kind.is_float:  # a quotient, say: exact decimals from here on, so that sums do not depend on their order
            exact = f"try_cast({sql} as {_EXACT})"
            kind = self._type(exact, where)
            if exact in self.found:
                return self.found[exact][0]
            sql = exact
        self.found[sql] = (len(self.found), kind)
        return self.found[sql][0]

    def _type(self, sql: str, where: str) -> ColumnType:
        try:
            return ColumnType(name="value", type=self.engine.kind(self.view, sql, self.bound))
        except DataError as error:
            raise JobError(f"this does not run: {error.what}", where=where, fix=error.fix) from error
