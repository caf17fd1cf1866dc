"""Choices that the data give: held against the data as soon as these are read, before another query sees them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gonnet.data.engine import Engine, quoted
from gonnet.data.parameters import EVERY, Values, require_choices
from gonnet.jobs.models import Job
from gonnet.jobs.sources import ChoicesFrom


@dataclass(slots=True)
class Choices:
    """The parameters of a run while its data are read.

    Attributes:
        job: The job.
        values: The parameters; `all` becomes every choice when the data set with the choices is there.
    """

    job: Job
    values: Values

    @property
    def tables(self) -> frozenset[str]:
        """The data sets that have choices."""
        return frozenset(part.of.rows for part in self.job.file.parameters.values() if isinstance(part.of, ChoicesFrom))

    def settle(self, engine: Engine, table: str) -> None:
        """Hold the parameters whose choices are in `table` against it.

        Raises:
            DataError: the table has no such column.
            ParameterError: a value is not among the choices.
        """
        for name, parameter in self.job.file.parameters.items():
            if not isinstance(parameter.of, ChoicesFrom) or parameter.of.rows != table:
                continue
            engine.require_column(table, parameter.of.column, where=self.job.at("parameters", name, "of"))
            known = choices_in(engine, parameter.of)
            given = self.values.given[name]
            if given == EVERY:
                self.values = replace(self.values, given={**self.values.given, name: tuple(known)})
            else:
                require_choices(name, given if isinstance(given, tuple) else (str(given),), known)


def choices_in(engine: Engine, of: ChoicesFrom) -> list[str]:
    """The different values of the column, sorted."""
    rows = engine.query(
        f"select distinct cast({quoted(of.column)} as varchar) as choice from {quoted(of.rows)} order by choice"
    )
    return [str(choice) for (choice,) in rows if choice is not None]
