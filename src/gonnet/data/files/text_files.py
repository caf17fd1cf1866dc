"""CSV and TSV files: separator and encoding are found and told."""

from __future__ import annotations

import csv
import io
import re
import shutil
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import islice, pairwise
from pathlib import Path

from gonnet.data.engine import Engine, quoted
from gonnet.data.files.encodings import encoding_of
from gonnet.data.files.headings import drop_unnamed, header_rows, joined, named
from gonnet.data.types.columns import assign_types
from gonnet.data.types.controls import set_apart
from gonnet.data.types.target import Hint, Target
from gonnet.errors import DataError
from gonnet.jobs.sources import FileDataSet

SEPARATORS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
"""What may part the columns of a text file."""

_MOST_LINES = 200  # that a heading may take, with all that stands above it


@dataclass(frozen=True, slots=True, kw_only=True)
class Text:
    """A text file that can be read.

    Attributes:
        original: The file of the job.
        path: The same as UTF-8.
        separator: What stands between its columns.
        names: What its header row says of each.
        above: The lines above the first row with values; rows are numbered from there.
    """

    original: Path
    path: Path
    separator: str
    names: tuple[str, ...]
    above: int


def load_csv(engine: Engine, target: Target, paths: Sequence[Path], spec: FileDataSet) -> None:
    """Make the target's table from one or more files with the same columns, in the order given.

    Raises:
        DataError: a file cannot be read as it stands; names file and line.
    """
    texts = [opened(path, target, spec) for path in paths]
    first = texts[0]
    for text in texts[1:]:
        if (text.separator, text.names) != (first.separator, first.names):
            what = f"{text.original.name} does not have the columns of {first.original.name}"
            fix = f"Both must have the heading {first.separator.join(first.names)}"
            raise DataError(what, where=target.where, fix=fix)
    if first.separator == ",":
        target = replace(target, writing=replace(target.writing, has_decimal_point=True))
    names = named(first.names, spec.columns, first.original.name, target)
    target.notes.append(f"{first.original.name}: columns separated by {SEPARATORS[first.separator]}")
    columns = {name if name is not None else f"left out {at}": "VARCHAR" for at, name in enumerate(names)}
    words = target.writing.missing.get("", ())
    ends = [0]
    for number, text in enumerate(texts):
        _read(engine, target, _plain(text, number, target, has_total=spec.last is not None), columns, words, ends[-1])
        ends.append(engine.count(target.raw))
    set_last_apart(engine, target, [text.original for text in texts], ends)
    for name in columns:
        if name.startswith("left out "):
            engine.query(f"alter table {quoted(target.raw)} drop column {quoted(name)}")
    drop_unnamed(engine, target, first.original.name)
    hints = {column.name: Hint.ANY for column in engine.columns(target.raw)}
    assign_types(engine, target, hints, are_words_gone=True)


def set_last_apart(engine: Engine, target: Target, paths: Sequence[Path], ends: Sequence[int]) -> None:
    """Take the last rows of files out, where they are totals; after all are read, as they are numbered."""
    if target.last is not None:
        for path, (first, end) in zip(paths, pairwise(ends), strict=True):
            set_apart(engine, target, path.name, first, end - 1)


def opened(path: Path, target: Target, spec: FileDataSet) -> Text:
    """A text file, with what its heading says.

    Raises:
        DataError: it has no heading, or is no text.
    """
    copy = as_utf8(path, target, spec.encoding)
    first, last = header_rows(spec.header)
    with copy.open(encoding="utf-8-sig", newline="") as lines:
        for _ in range(spec.skip):
            next(lines, "")
        head = list(islice(lines, _MOST_LINES))
    if not any(line.strip() for line in head):
        raise DataError(f"{path.name} is empty", where=target.where, fix="It must have a line that names the columns")
    begun = head[max(last, 1) - 1 :]
    separator = "\t" if spec.separator == "tab" else spec.separator or _separator(begun)
    try:
        reader = csv.reader(head, delimiter=separator)
        rows, above = [], 0
        for number, row in enumerate(reader, 1):
            rows.append(row)
            if number == max(last, 1):
                above = reader.line_num if last else 0
                break
    except csv.Error as error:
        raise DataError(
            f"{path.name} cannot be read: {error}", where=target.where, fix="Check its first line"
        ) from error
    if len(rows) < last:
        what = f"{path.name} has no row {last}"
        raise DataError(what, where=target.where, fix="`header` is the row that names the columns, from 1")
    width = max(map(len, rows[max(first, 1) - 1 :]))
    names = joined(rows[first - 1 : last], width) if last else [""] * width
    if last and not any(names):
        what = f"{path.name}: its row {last} is empty"
        raise DataError(what, where=target.where, fix="`header` is the row that names the columns, from 1")
    return Text(original=path, path=copy, separator=separator, names=tuple(names), above=spec.skip + above)


def _separator(lines: Sequence[str]) -> str:
    """What parts the line with the names into the most columns."""
    few = [line for line in lines[:20] if len(line) < csv.field_size_limit()]
    widths = {sign: [len(row) for row in csv.reader(few, delimiter=sign)] or [1] for sign in SEPARATORS}
    if any(found[0] > 1 for found in widths.values()):
        return max(widths, key=lambda sign: widths[sign][0])
    return max(widths, key=lambda sign: (min(widths[sign][1:], default=1), max(widths[sign])))  # the first is a title


def _plain(text: Text, number: int, target: Target, *, has_total: bool) -> tuple[Text, Path, int]:
    """The file, or a copy with a heading of one line; and by how much the copy's lines are numbered otherwise.

    A line break in a heading would be taken for how all lines end, and what stands above it for rows. A total in the
    last line often has fewer columns than the lines above it.
    """
    with text.path.open(encoding="utf-8-sig", newline="") as lines:
        is_plain = text.above == 1 and not has_total
        if is_plain:
            return text, text.path, 0
        heading = text.separator.join(f"c{index}" for index in range(len(text.names)))
        above = "".join(islice(lines, text.above or 1))
        end = above[len(above.rstrip("\r\n")) :] or "\n"
        lines.seek(0)
        _ = "".join(islice(lines, text.above))
        copy = target.scratch / f"{text.original.stem}-plain-{number}.csv"
        with copy.open("w", encoding="utf-8", newline="") as out:
            out.write(heading + end)
            shutil.copyfileobj(lines, out)
    if has_total:
        _fill_last(copy, text, len(text.names))
    return text, copy, text.above - 1


def _fill_last(copy: Path, text: Text, width: int) -> None:
    """Give the last line of a file as many columns as the others have, and take empty lines behind it away."""
    with copy.open("rb+") as file:
        size = file.seek(0, io.SEEK_END)
        start = max(0, size - 65_536)
        file.seek(start)
        tail = file.read()
        body = tail.rstrip(b"\r\n \t;,|")
        at = max(body.rfind(b"\n"), body.rfind(b"\r")) + 1
        line = tail[at:].splitlines()[0].decode("utf-8", "replace") if tail[at:] else ""
        cells = (next(csv.reader([line], delimiter=text.separator), []) + [""] * width)[:width]
        written = io.StringIO()
        csv.writer(written, delimiter=text.separator, lineterminator="").writerow(cells)
        end = b"\r\n" if b"\r\n" in tail[:at] else b"\n"
        file.seek(start + at)
        file.truncate()
        file.write(written.getvalue().encode() + end)


def _read(
    engine: Engine,
    target: Target,
    read: tuple[Text, Path, int],
    columns: dict[str, str],
    words: Sequence[str],
    before: int,
) -> None:
    text, path, moved = read
    into = "insert into {}" if before or engine.columns(target.raw) else "create table {} as"
    try:
        # No detection: it would guess a comment sign and drop the lines that begin with it.
        engine.query(
            f"{into.format(quoted(target.raw))} select * from read_csv(?, auto_detect=false, delim=?, header=true, "
            "columns=?, quote='\"', escape='\"', comment='', strict_mode=true, null_padding=false, nullstr=?)",
            [str(path), text.separator, columns, ["", *words]],
        )
    except DataError as error:
        raise _told(error, text, target, moved) from error
    if engine.count(target.raw) == before:
        _require_empty(path, text, target)


def _require_empty(path: Path, text: Text, target: Target) -> None:
    """See that a file of which no row was read has none.

    Raises:
        DataError: it has more than its heading.
    """
    with path.open(encoding="utf-8-sig", newline="") as lines:
        if any(any(cell.strip() for cell in row) for row in islice(csv.reader(lines), 1, 3)):
            what = f"{text.original.name} has rows, and none of them could be read"
            raise DataError(what, where=target.where, fix="Save it again as CSV from the program that made it")


def as_utf8(path: Path, target: Target, encoding: str | None) -> Path:
    """The file itself where it is UTF-8, else a copy that is.

    Raises:
        DataError: it cannot be read so.
    """
    try:
        found = encoding or encoding_of(path, target)
        if found.lower().replace("_", "-") in ("utf-8", "utf8"):
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


def _told(error: DataError, text: Text, target: Target, moved: int) -> DataError:
    said, name = str(error.__cause__), text.original.name
    line = re.search(r"CSV Error on Line: (\d+)", said)
    place = f"{name}, line {int(line[1]) + moved}" if line else name
    columns = re.search(r"Expected Number of Columns: (\d+) Found: (\d+)", said)
    if columns:
        what = f"{place} has {columns[2]} columns, the header has {columns[1]}"
        fix = "Put a value that contains the separator in quotes"
        if int(columns[2]) > int(columns[1]):
            fix += "; `header: N` says which row names the columns, where titles stand above it"
        else:
            fix += "; `last: total` says that the last line is a total"
        return DataError(what, where=target.where, fix=fix)
    if "invalid state" in said:
        what = f"the lines of {name} end in different ways, or a quote in it is not closed"
        return DataError(what, where=target.where, fix="Save it again as CSV from the program that made it")
    if "full read on this file" in said or "line size" in said:
        what = f"{place}: a line is longer than can be read"
        return DataError(what, where=target.where, fix="Shorten the long text, or leave its column out of the file")
    if "unterminated quote" in said:
        return DataError(f"{place}: a quote is not closed", where=target.where, fix="Close it, or double it in a text")
    return DataError(f"{place} cannot be read: {error.what}", where=target.where, fix="Correct the line")
