"""How a data set is written, as far as the job says."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import TypeVar

from gonnet.data.types.dates import months, pattern_of, usual
from gonnet.data.types.kinds import Kind
from gonnet.data.types.numbers import Notation, notation_of
from gonnet.errors import JobError
from gonnet.jobs.sources import FileDataSet

EVERY = ""
"""The name that stands for every column."""


_Said = TypeVar("_Said")


def by_column(said: _Said | Mapping[str, _Said] | None) -> dict[str, _Said]:
    """What is said of all columns or of some → by column."""
    if not said:
        return {}
    return dict(said) if isinstance(said, Mapping) else {EVERY: said}


def writing_of(spec: FileDataSet, language: str, where: str) -> Writing:
    """What a job says of how a file is written.

    Args:
        spec: The data set.
        language: The language of the house.
        where: Its place in the job file.

    Raises:
        JobError: it names no notation, no pattern or no language.
    """
    language = spec.language or language
    try:
        months(language)
    except ValueError as error:
        raise JobError(f"'{language}' is no language", where=where, fix="Write one such as de or en_IE") from error
    return Writing(
        numbers={name: notation_of(sample, where) for name, sample in by_column(spec.numbers).items()},
        dates={
            name: tuple(pattern_of(pattern, language, where) for pattern in patterns)
            for name, patterns in by_column(spec.dates).items()
        },
        missing=by_column(spec.missing),
        language=language,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Writing:
    """What a job says of the way in which a data set is written.

    Attributes:
        numbers: Column (or `EVERY`) → how its numbers are written.
        dates: Column (or `EVERY`) → the patterns of its dates.
        missing: Column (or `EVERY`) → texts that stand for no value, beside the empty one.
        language: Whose names of months are tried (BCP 47).
        has_decimal_point: Whether what surrounds the values shows that a dot is a decimal sign, unless more is known.
    """

    numbers: Mapping[str, Notation] = field(default_factory=dict)
    dates: Mapping[str, tuple[Kind, ...]] = field(default_factory=dict)
    missing: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    language: str = "en"
    has_decimal_point: bool = False

    def named_numbers(self, column: str) -> tuple[Notation, ...]:
        """The notations that the job names for a column."""
        found = self.numbers.get(column) or self.numbers.get(EVERY)
        return (found, found.as_percent()) if found else ()

    def named_dates(self, column: str) -> tuple[Kind, ...]:
        """The patterns that the job names for a column."""
        return self.dates.get(column) or self.dates.get(EVERY) or ()

    def dates_of(self, column: str) -> tuple[Kind, ...]:
        """The patterns that are tried for a column, beside ISO 8601."""
        return self.named_dates(column) or usual(self.language)

    def missing_of(self, column: str) -> tuple[str, ...]:
        """The texts that stand for no value in a column."""
        return (*self.missing.get(EVERY, ()), *self.missing.get(column, ()))

    def columns(self) -> Iterator[str]:
        """The columns that the job says something of."""
        yield from (name for name in (*self.numbers, *self.dates, *self.missing) if name != EVERY)
