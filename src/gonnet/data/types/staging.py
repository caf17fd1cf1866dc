"""From text to types: every source that has no types of its own is read as text first.

A column becomes a number, a date, a time or a yes/no only when every value of it is written as one in the plain form.
`00042` therefore stays text wherever it stands, and 12.30 becomes an exact DECIMAL.
"""

from __future__ import annotations

import csv
import datetime as dt
import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import Enum
from pathlib import Path
from zoneinfo import ZoneInfo

from gonnet.data.engine import Engine, quoted
from gonnet.data.files.exact_digits import EXACT
from gonnet.errors import DataError, meant

_WHOLE = r"^-?(0|[1-9]\d{0,17})$"
_LONG_WHOLE = r"^-?(0|[1-9]\d{0,37})$"
_DECIMAL = r"^-?(0|[1-9]\d{0,27})(\.\d{1,18})?$"
_DATE = r"^\d{4}-\d{2}-\d{2}$"
_TIME = r"^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?$"

NULL = "\ue000"
"""What stands for "no value" in a staged file: a character that no script uses."""


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


_FIXED = {
    "text": "VARCHAR",
    "whole": "BIGINT",
    "number": "DECIMAL(38,10)",
    "date": "DATE",
    "time": "TIMESTAMP",
    "yes/no": "BOOLEAN",
}
FIXED = re.compile(r"^(text|whole|number|date|time|yes/no|decimal\((\d+), ?(\d+)\))$")


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
        notes: What was found on the way, for the operator.
    """

    name: str
    where: str
    scratch: Path
    fixed: Mapping[str, str] = field(default_factory=dict)
    text: frozenset[str] = frozenset()
    zone: ZoneInfo = field(default_factory=lambda: ZoneInfo("UTC"))
    notes: list[str] = field(default_factory=list)

    @property
    def raw(self) -> str:
        """The table of its text, before it has types."""
        return f"{self.name} as read"


def assign_types(engine: Engine, target: Target, hints: Mapping[str, Hint]) -> None:
    """Make the target's table from its table of text.

    Raises:
        DataError: a value does not fit the type that the job fixes; names the row.
    """
    unknown = sorted(set(target.fixed) - set(hints))
    if unknown:
        raise DataError(
            f"data set '{target.name}' has no column '{unknown[0]}'",
            where=target.where,
            fix=meant(unknown[0], list(hints), noun="column"),
        )
    if not engine.count(target.raw):
        _without_rows(engine, target, hints)
        return
    chosen = []
    for column, hint in hints.items():
        if column in target.text and column not in target.fixed and hint in (Hint.FLOAT, Hint.DECIMAL):
            _require_exact(engine, target, column, hint)
            # A number that is whole is written without decimals: 1042, never 1042.0.
            chosen.append(f"regexp_replace({_plainly(column, hint)}, '\\.0+$', '') as {quoted(column)}")
            continue
        kind = _fixed(engine, target, column) or _found(engine, target, column, hint)
        chosen.append(f"cast({quoted(column)} as {kind}) as {quoted(column)}" if kind else quoted(column))
    engine.query(f"create table {quoted(target.name)} as select {', '.join(chosen)} from {quoted(target.raw)}")
    engine.query(f"drop table {quoted(target.raw)}")
    engine.tables.append(target.name)


def _without_rows(engine: Engine, target: Target, hints: Mapping[str, Hint]) -> None:
    """Make the target of no rows: a column of which no value says what it is may be added up, dated and read."""
    kinds: dict[str, str | None] = {}
    for column, hint in hints.items():
        is_said = column in target.fixed or column in target.text or hint not in (Hint.ANY, Hint.TEXT, Hint.DATED)
        kinds[column] = (_fixed(engine, target, column) or _found(engine, target, column, hint)) if is_said else None
    engine.create_empty(target.name, {column: kind or None for column, kind in kinds.items()})
    engine.query(f"drop table {quoted(target.raw)}")


def _plainly(column: str, hint: Hint) -> str:
    """A number of the source as text; a binary one that is whole with all its digits."""
    name = quoted(column)
    return f"cast(cast(cast({name} as double) as hugeint) as varchar)" if hint is Hint.FLOAT else name


def _require_exact(engine: Engine, target: Target, column: str, hint: Hint) -> None:
    """Refuse keys that are binary numbers with decimals or too many digits: two of them may look like one.

    Raises:
        DataError: there are some; names them.
    """
    if hint is not Hint.FLOAT:
        return
    value = f"cast({quoted(column)} as double)"
    odd = engine.query(
        f"select distinct {quoted(column)} from {quoted(target.raw)} "
        f"where {value} <> round({value}) or abs({value}) >= {EXACT} or not isfinite({value}) order by 1 limit 3"
    )
    if odd:
        shown = ", ".join(str(key) for (key,) in odd)
        what = f"the keys in '{column}' of data set '{target.name}' are binary numbers that are not exact ({shown})"
        raise DataError(what, where=target.where, fix="Make them text or whole numbers where they come from")


def _fixed(engine: Engine, target: Target, column: str) -> str | None:
    wanted = target.fixed.get(column)
    if wanted is None:
        return None
    found = FIXED.match(wanted)
    assert found is not None  # the model has looked
    kind = f"DECIMAL({found[2]},{found[3]})" if found[2] else _FIXED[wanted]
    name = quoted(column)
    bad = engine.query(
        f"select rowid + 1, {name} from {quoted(target.raw)} "
        f"where {name} is not null and try_cast({name} as {kind}) is null order by rowid limit 5"
    )
    if bad:
        shown = ", ".join(f"row {row}: '{value}'" for row, value in bad)
        raise DataError(
            f"column '{column}' of data set '{target.name}' does not fit {wanted} ({shown})",
            where=target.where,
            fix="Correct these values, or give another type",
        )
    return kind


def _found(engine: Engine, target: Target, column: str, hint: Hint) -> str:
    """The column's type; empty where it keeps the one it has."""
    if hint is Hint.KEPT:
        return ""
    if column in target.text:
        return "VARCHAR"
    match hint:
        case Hint.TEXT:
            return "VARCHAR"
        case Hint.FLOAT:
            return "DOUBLE"
        case Hint.DATE:
            return "DATE"
        case Hint.TIME:
            return "TIMESTAMP"
        case Hint.TRUTH:
            return "BOOLEAN"
        case _:
            return _written(engine, target, column, hint)


def _written(engine: Engine, target: Target, column: str, hint: Hint) -> str:
    """The type in which every value of the column is written; text where there is none or no value."""
    name = quoted(column)
    row = engine.query(
        f"""select count(*),
          bool_and(regexp_matches({name}, '{_WHOLE}')),
          bool_and(regexp_matches({name}, '{_LONG_WHOLE}')),
          bool_and(regexp_matches({name}, '{_DECIMAL}')),
          coalesce(max(length({name}) - coalesce(nullif(instr({name}, '.'), 0), length({name}))), 0),
          coalesce(max(length({name})), 0),
          bool_and(regexp_matches({name}, '{_DATE}') and try_cast({name} as date) is not null),
          bool_and(regexp_matches({name}, '{_TIME}') and try_cast({name} as timestamp) is not null),
          bool_and(lower({name}) in ('true', 'false'))
        from {quoted(target.raw)} where {name} is not null"""
    )[0]
    count, whole, long, decimal, places, longest, date, time, truth = row
    numbers = hint in (Hint.ANY, Hint.WHOLE, Hint.DECIMAL)
    if not count:
        return {Hint.WHOLE: "BIGINT", Hint.DECIMAL: "DECIMAL(18,2)"}.get(hint, "VARCHAR")
    if numbers and whole and hint is not Hint.DECIMAL:
        return "BIGINT"
    if hint is Hint.WHOLE and long:
        return "HUGEINT"
    if numbers and decimal:
        return f"DECIMAL({18 if int(str(longest)) + int(str(places)) <= 18 else 38},{places})"
    if hint in (Hint.ANY, Hint.DATED):
        return "DATE" if date else "TIMESTAMP" if time else "BOOLEAN" if truth and hint is Hint.ANY else "VARCHAR"
    return "VARCHAR"


class Stager:
    """Writes rows of Python values to a file of text, and remembers what kinds of values each column had."""

    def __init__(self, target: Target, names: Sequence[str]) -> None:
        self._target = target
        self._names = list(names)
        self._kinds: list[set[type]] = [set() for _ in names]
        self.rows = 0
        self.path = target.scratch / f"{target.name}.staged"

    def write(self, batches: Iterable[Sequence[Sequence[object]]]) -> None:
        """Write every batch of rows."""
        with self.path.open("w", encoding="utf-8", newline="") as file:
            writer = csv.writer(file, lineterminator="\n")
            for batch in batches:
                if not batch:
                    continue
                self.rows += len(batch)
                columns = [self._texts(index, values) for index, values in enumerate(zip(*batch, strict=True))]
                writer.writerows(zip(*columns, strict=True))

    def _texts(self, index: int, values: Sequence[object]) -> list[str]:
        self._kinds[index] |= set(map(type, values))
        zone = self._target.zone
        return [NULL if value is None else value if type(value) is str else as_text(value, zone) for value in values]

    def dated_texts(self) -> dict[str, Hint]:
        """Hints for a source that writes dates as text: what is written as a date is one."""
        kinds = zip(self._names, self._kinds, strict=True)
        return {name: Hint.DATED for name, found in kinds if found <= {str, type(None)}}

    def assign_types(self, engine: Engine, declared: Mapping[str, Hint] | None = None) -> None:
        """Make the target's table of what was written.

        Args:
            engine: The engine.
            declared: What the source itself says of its columns; else the values' own kinds speak.
        """
        put_text(engine, self._target, self.path, self._names)
        known = declared or {}
        hints = {name: known.get(name) or hint_of(kinds) for name, kinds in zip(self._names, self._kinds, strict=True)}
        assign_types(engine, self._target, hints)


def put_text(engine: Engine, target: Target, path: Path, names: Sequence[str]) -> None:
    """Make the target's table of text from a staged file, and remove the file."""
    engine.query(
        f"create temp table {quoted(target.raw)} as "
        "select * from read_csv(?, auto_detect=false, delim=',', header=false, columns=?, "
        "quote='\"', escape='\"', comment='', strict_mode=true, null_padding=false, nullstr=?, "
        "allow_quoted_nulls=false)",
        [str(path), dict.fromkeys(names, "VARCHAR"), NULL],
        where=target.where,
    )
    path.unlink()


def hint_of(kinds: set[type]) -> Hint:
    """What the kinds of a column's values say of it."""
    present = kinds - {type(None)}
    if present <= {bool} and present:
        return Hint.TRUTH
    if present <= {int} and present:
        return Hint.WHOLE
    if present <= {int, Decimal} and present:
        return Hint.DECIMAL
    if present <= {int, Decimal, float} and present:
        return Hint.FLOAT
    if present <= {dt.date} and present:
        return Hint.DATE
    if present <= {dt.date, dt.datetime} and present:
        return Hint.TIME
    return Hint.TEXT


def as_text(value: object, zone: ZoneInfo) -> str:
    """A value as it is staged: decimals without exponent, times in the workspace's zone, bytes as hexadecimal."""
    match value:
        case bool():
            return "true" if value else "false"
        case Decimal():
            return f"{value:f}"
        case float():
            return repr(value)
        case dt.datetime():
            local = value.astimezone(zone).replace(tzinfo=None) if value.tzinfo else value
            return local.isoformat(sep=" ")
        case bytes() | bytearray() | memoryview():
            return bytes(value).hex()
        case list() | tuple() | dict() | set():
            return json.dumps(sorted(value) if isinstance(value, set) else value, ensure_ascii=False, default=str)
        case _:
            return str(value)
