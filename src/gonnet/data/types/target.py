"""A data set on its way into the engine: what it is to become, and what was found on the way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum
from pathlib import Path
from typing import Literal
from zoneinfo import ZoneInfo

from gonnet.data.types.writing import Writing
from gonnet.findings import Finding
from gonnet.jobs.sources import LastLine


class Hint(Enum):
    """What a source says of a column."""

    ANY = "any"  # text that may be written numbers, dates and so on
    TEXT = "text"
    KEPT = "kept"  # the source has types: it keeps them
    DATED = "dated"  # text, but dates and times written in the plain form are meant as such
    WHOLE = "whole"
    DECIMAL = "decimal"
    FLOAT = "float"
    DATE = "date"
    TIME = "time"
    TRUTH = "truth"


@dataclass(frozen=True, slots=True, kw_only=True)
class Doubt:
    """A column of text that may be meant as something else.

    Attributes:
        column: The column.
        text: What speaks for it, in a sentence without a full stop.
        choices: What to write in the job: lines that belong together, one way or the other.
    """

    column: str
    text: str
    choices: tuple[tuple[str, ...], ...]

    @property
    def advice(self) -> str:
        """The lines to write, in a sentence."""
        return "write " + " or ".join(" and ".join(f"`{line}`" for line in lines) for lines in self.choices)


@dataclass(frozen=True, slots=True, kw_only=True)
class Control:
    """The line at the end of a file that says what the lines above it come to.

    Attributes:
        file: The file.
        first: The first row of the file, as the engine numbers rows.
        last: The last one.
        cells: Column → what the line has there.
    """

    file: str
    first: int
    last: int
    cells: Mapping[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """What a data set is to become.

    Attributes:
        name: Its table.
        where: Its place in the job file.
        fixed: Column → type that the job fixes (`text`, `whole`, `decimal(9,2)` …).
        text: Columns that stay text whatever they hold.
        scratch: A folder for what is needed only while loading.
        zone: The time zone in which times are shown.
        rows: SQL that holds for the rows that are taken, over the text of their columns; None for all.
        last: What the last line of a file says of the lines above it; None where it is a line like them.
        controls: The last lines, when they are set apart.
        writing: How it is written, as far as the job says.
        notes: How it was read, for the operator.
        findings: What of it may be wrong.
        doubts: Column → what it may be instead of text, and what to write in the job then.
    """

    name: str
    where: str
    scratch: Path
    fixed: Mapping[str, str] = field(default_factory=dict)
    text: frozenset[str] = frozenset()
    zone: ZoneInfo = field(default_factory=lambda: ZoneInfo("UTC"))
    rows: str | None = None
    last: Literal["total"] | LastLine | None = None
    controls: list[Control] = field(default_factory=list)
    writing: Writing = field(default_factory=Writing)
    notes: list[str] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    doubts: dict[str, Doubt] = field(default_factory=dict)

    @property
    def raw(self) -> str:
        """The table of its text, before it has types."""
        return f"{self.name} as read"
