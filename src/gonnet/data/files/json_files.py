"""JSON: one object on each line, or one list of objects; numbers stay as exact as they are written."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from decimal import Decimal
from itertools import islice
from pathlib import Path

from gonnet.data.engine import Engine
from gonnet.data.files.headings import named
from gonnet.data.types.staging import Stager
from gonnet.data.types.target import Target
from gonnet.errors import DataError, meant
from gonnet.jobs.sources import FileDataSet

_BATCH = 10_000
_Object = dict[str, object]


def load_json_lines(engine: Engine, target: Target, paths: Sequence[Path], spec: FileDataSet) -> None:
    """Make the target's table from files with one JSON object a line.

    Raises:
        DataError: a line is not a JSON object; names file and line.
    """
    names: dict[str, None] = {}
    for row in _objects(paths, target):
        names |= dict.fromkeys(row)
    if not names:
        raise DataError(f"{paths[0].name} is empty", where=target.where, fix="Each line must be one JSON object")
    _stage(engine, target, paths[0], list(names), _objects(paths, target), spec)


def load_json(engine: Engine, target: Target, path: Path, spec: FileDataSet) -> None:
    """Make the target's table from a file with a list of objects: the whole file, or a part of it.

    Raises:
        DataError: the file is no JSON, or has no such list.
    """
    try:
        found = json.loads(path.read_text("utf-8-sig"), parse_float=Decimal)
    except (ValueError, UnicodeError) as error:
        what = f"{path.name} is not JSON: {error}"
        raise DataError(what, where=target.where, fix="A file of one object on each line is called .jsonl") from error
    rows = _list(found, spec.sheet, path, target)
    objects: list[_Object] = []
    for number, row in enumerate(rows, 1):
        if not isinstance(row, dict):
            what = f"{path.name}: part {number} of the list is not an object"
            raise DataError(what, where=target.where, fix="Write each row as {…}")
        objects.append(row)
    names = list(dict.fromkeys(name for row in objects for name in row))
    if not names:
        raise DataError(f"{path.name} has no rows", where=target.where, fix="Its list must hold objects")
    _stage(engine, target, path, names, iter(objects), spec)


def _list(found: object, name: str | None, path: Path, target: Target) -> list[object]:
    """The list of rows: the whole, the one that is named, or the only one there is."""
    if isinstance(found, list) and name is None:
        return found
    lists = {key: part for key, part in found.items() if isinstance(part, list)} if isinstance(found, dict) else {}
    if name is not None and name not in lists:
        fix = meant(name, list(lists), noun="list")
        raise DataError(f"{path.name} has no list '{name}'", where=target.where, fix=fix)
    if len(lists) != 1 and name is None:
        fix = f"Name one with `sheet:`: {', '.join(lists)}" if lists else "Its rows must stand in a list: [{…}, {…}]"
        raise DataError(f"{path.name} has {len(lists) or 'no'} lists of rows", where=target.where, fix=fix)
    return lists[name if name is not None else next(iter(lists))]


def _stage(
    engine: Engine, target: Target, path: Path, names: list[str], rows: Iterator[_Object], spec: FileDataSet
) -> None:
    called = named(names, spec.columns, path.name, target)
    kept = [(name, new) for name, new in zip(names, called, strict=True) if new is not None]
    stager = Stager(target, [new for _, new in kept])
    cells = ([row.get(name) for name, _ in kept] for row in rows)
    stager.write(iter(lambda: list(islice(cells, _BATCH)), []))
    stager.assign_types(engine, stager.dated_texts())


def _objects(paths: Sequence[Path], target: Target) -> Iterator[_Object]:
    for path in paths:
        with path.open(encoding="utf-8-sig") as lines:
            for number, line in enumerate(lines, 1):
                if not line.strip():
                    continue
                try:
                    row = json.loads(line, parse_float=Decimal)
                except ValueError as error:
                    what = f"{path.name}, line {number} is not JSON"
                    raise DataError(what, where=target.where, fix="Each line must be one object") from error
                if not isinstance(row, dict):
                    what = f"{path.name}, line {number} is not a JSON object"
                    raise DataError(what, where=target.where, fix="Write {…} on each line")
                yield row
