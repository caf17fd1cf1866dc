"""Rows as text on their way into the engine: every source that has no types of its own is read as text first."""

from __future__ import annotations

import csv
import datetime as dt
import json
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from types import NoneType
from zoneinfo import ZoneInfo

from gonnet.data.engine import Engine, quoted
from gonnet.data.types.columns import assign_types
from gonnet.data.types.target import Hint, Target

NULL = "\ue000"
"""What stands for "no value" in a staged file: a character that no script uses."""


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
        kinds = set(map(type, values))
        self._kinds[index] |= kinds
        zone = self._target.zone
        if kinds <= {int, NoneType}:
            return [NULL if value is None else str(value) for value in values]
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
        f"create table {quoted(target.raw)} as "
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
