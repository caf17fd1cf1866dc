"""CSV and TSV files: separator and encoding are found and told; JSON lines."""

from __future__ import annotations

import csv
import json
import re
import shutil
from collections.abc import Iterator, Sequence
from decimal import Decimal
from itertools import islice
from pathlib import Path

from gonnet.data.engine import Engine, quoted
from gonnet.data.files.encodings import encoding_of
from gonnet.data.types.staging import Hint, Stager, Target, assign_types
from gonnet.errors import DataError

_BATCH = 10_000


def load_csv(engine: Engine, target: Target, paths: Sequence[Path], encoding: str | None) -> None:
    """Make the target's table from one or more files with the same columns, in the order given.

    Raises:
        DataError: a file cannot be read as it stands; names file and line.
    """
    read = [_as_utf8(path, target, encoding) for path in paths]
    separator, header = _header(read[0], paths[0], target)
    require_names(header, paths[0], target)
    for path, original in zip(read[1:], paths[1:], strict=True):
        other = _header(path, original, target)
        if other != (separator, header):
            raise DataError(
                f"{original.name} does not have the columns of {paths[0].name}",
                where=target.where,
                fix=f"Both must begin with the line {separator.join(header)}",
            )
    read = [_with_plain_heading(path, number, separator, target) for number, path in enumerate(read)]
    shown = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}[separator]
    target.notes.append(f"{paths[0].name}: columns separated by {shown}")
    try:
        # No detection: it would guess a comment sign and drop the lines that begin with it.
        engine.query(
            f"create temp table {quoted(target.raw)} as "
            "select * from read_csv(?, auto_detect=false, delim=?, header=true, columns=?, "
            "quote='\"', escape='\"', comment='', strict_mode=true, null_padding=false)",
            [[str(path) for path in read], separator, dict.fromkeys(header, "VARCHAR")],
        )
    except DataError as error:
        raise _told(error, paths, target) from error
    if not engine.count(target.raw):
        _require_empty(read, paths, target)
    assign_types(engine, target, dict.fromkeys(header, Hint.ANY))


def _with_plain_heading(path: Path, number: int, separator: str, target: Target) -> Path:
    """The file, or a copy with a heading of one line: a line break in it would be taken for how all lines end."""
    with path.open(encoding="utf-8-sig", newline="") as lines:
        reader = csv.reader(lines, delimiter=separator)
        names = next(reader)
        if reader.line_num == 1:
            return path
        lines.seek(0)
        *_, last = islice(lines, reader.line_num)
        copy = target.scratch / f"{path.stem}-heading-{number}.csv"
        with copy.open("w", encoding="utf-8", newline="") as out:
            out.write(separator.join(f"c{index}" for index in range(len(names))) + last[len(last.rstrip("\r\n")) :])
            shutil.copyfileobj(lines, out)
    return copy


def _require_empty(read: Sequence[Path], paths: Sequence[Path], target: Target) -> None:
    """See that files of which no row was read have none.

    Raises:
        DataError: one has more than its heading.
    """
    for path, original in zip(read, paths, strict=True):
        with path.open(encoding="utf-8-sig", newline="") as lines:
            if any(any(cell.strip() for cell in row) for row in islice(csv.reader(lines), 1, 3)):
                what = f"{original.name} has rows, and none of them could be read"
                raise DataError(what, where=target.where, fix="Save it again as CSV from the program that made it")


def _as_utf8(path: Path, target: Target, encoding: str | None) -> Path:
    """The file itself where it is UTF-8, else a copy that is."""
    try:
        found = encoding or encoding_of(path, target)
        if found == "utf-8":
            return path
        target.notes.append(f"{path.name}: read as {found}")
        copy = target.scratch / f"{path.stem}-{len(target.notes)}.csv"
        with path.open(encoding=found, newline="") as lines, copy.open("w", encoding="utf-8", newline="") as out:
            for line in lines:
                out.write(line)
        return copy
    except LookupError as error:
        raise DataError(
            f"'{encoding}' is not an encoding", where=target.where, fix="Write one such as cp1252"
        ) from error
    except UnicodeError as error:
        what = f"{path.name} is not {'UTF-16' if encoding is None else encoding} text"
        raise DataError(
            what, where=target.where, fix="Give its encoding with `encoding:`, or save it as UTF-8"
        ) from error
    except OSError as error:
        raise DataError(f"{path.name} cannot be read: {error.strerror}", where=target.where, fix="Check it") from error


def _header(path: Path, original: Path, target: Target) -> tuple[str, list[str]]:
    """Separator and column names, from the first line."""
    try:
        with path.open(encoding="utf-8-sig", newline="") as lines:
            first = next(iter(lines), "")
            separator = max(",;\t|", key=first.count)
            names = next(csv.reader([first, *islice(lines, 20)], delimiter=separator), [])
    except csv.Error as error:
        raise DataError(
            f"{original.name} cannot be read: {error}", where=target.where, fix="Check its first line"
        ) from error
    if not any(name.strip() for name in names):
        raise DataError(f"{original.name} is empty", where=target.where, fix="Its first line must name the columns")
    return separator, [name.strip() for name in names]


def require_names(header: Sequence[str], path: Path, target: Target) -> None:
    """Refuse a header with an empty or a duplicate name."""
    seen: set[str] = set()
    for index, name in enumerate(header, 1):
        if not name:
            raise DataError(
                f"column {index} of {path.name} has no name", where=target.where, fix="Name it in the header"
            )
        if name.casefold() in seen:
            raise DataError(
                f"two columns of {path.name} are called '{name}'", where=target.where, fix="Rename one of them"
            )
        seen.add(name.casefold())


def _told(error: DataError, paths: Sequence[Path], target: Target) -> DataError:
    text = str(error.__cause__)
    path = next((path for path in paths if f"file = {path}\n" in text), paths[0])
    line = re.search(r"CSV Error on Line: (\d+)", text)
    place = f"{path.name}, line {line[1]}" if line else path.name
    columns = re.search(r"Expected Number of Columns: (\d+) Found: (\d+)", text)
    if columns:
        what = f"{place} has {columns[2]} columns, the header has {columns[1]}"
        return DataError(what, where=target.where, fix="Put a value that contains the separator in quotes")
    if "invalid state" in text:
        what = f"the lines of {path.name} end in different ways, or a quote in it is not closed"
        return DataError(what, where=target.where, fix="Save it again as CSV from the program that made it")
    if "full read on this file" in text or "line size" in text:
        what = f"{place}: a line is longer than can be read"
        return DataError(what, where=target.where, fix="Shorten the long text, or leave its column out of the file")
    if "unterminated quote" in text:
        return DataError(f"{place}: a quote is not closed", where=target.where, fix="Close it, or double it in a text")
    return DataError(f"{place} cannot be read: {error.what}", where=target.where, fix="Correct the line")


def load_json_lines(engine: Engine, target: Target, paths: Sequence[Path]) -> None:
    """Make the target's table from files with one JSON object a line; numbers stay as exact as they are written.

    Raises:
        DataError: a line is not a JSON object; names file and line.
    """
    names: dict[str, None] = {}
    for _, _, row in _objects(paths, target):
        names |= dict.fromkeys(row)
    if not names:
        raise DataError(f"{paths[0].name} is empty", where=target.where, fix="Each line must be one JSON object")
    stager = Stager(target, list(names))
    rows = ([row.get(name) for name in names] for _, _, row in _objects(paths, target))
    stager.write(iter(lambda: list(islice(rows, _BATCH)), []))
    stager.assign_types(engine, stager.dated_texts())


def _objects(paths: Sequence[Path], target: Target) -> Iterator[tuple[Path, int, dict[str, object]]]:
    for path in paths:
        with path.open(encoding="utf-8-sig") as lines:
            for number, line in enumerate(lines, 1):
                if not line.strip():
                    continue
                try:
                    row = json.loads(line, parse_float=Decimal)
                except ValueError as error:
                    raise DataError(
                        f"{path.name}, line {number} is not JSON",
                        where=target.where,
                        fix="Each line must be one object",
                    ) from error
                if not isinstance(row, dict):
                    what = f"{path.name}, line {number} is not a JSON object"
                    raise DataError(what, where=target.where, fix="Write {…} on each line")
                yield path, number, row
