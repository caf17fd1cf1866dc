"""Reading files into the engine: CSV, TSV, Parquet, XLSX.

Text files are read as text; a column becomes a number, a date or a yes/no only when every value of it is written as
one in the plain form. `00042` therefore stays text wherever it stands, and 12.30 becomes an exact DECIMAL.
"""

from __future__ import annotations

import csv
import datetime as dt
import re
from decimal import Decimal
from pathlib import Path

from python_calamine import CalamineError, CalamineWorkbook

from gonnet.data.engine import Engine, quoted
from gonnet.errors import DataError, meant

_WHOLE = r"^-?(0|[1-9]\d{0,17})$"
_DECIMAL = r"^-?(0|[1-9]\d{0,21})(\.\d{1,12})?$"
_DATE = r"^\d{4}-\d{2}-\d{2}$"
_TIME = r"^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(:\d{2}(\.\d{1,6})?)?$"


def load(engine: Engine, table: str, path: Path, sheet: str | None, text_columns: frozenset[str], where: str) -> None:
    """Make `table` from the file at `path`, its rows in the order of the file.

    Args:
        engine: An engine that is not locked yet.
        table: The name of the data set.
        path: The file; its ending says what it is.
        sheet: The sheet of a workbook; the first when None.
        text_columns: Columns that stay text whatever they hold.
        where: What to name in an error.

    Raises:
        DataError: the file is not there, cannot be read or holds no header.
    """
    if not path.is_file():
        known = sorted(found.name for found in path.parent.glob("*") if found.is_file()) if path.parent.is_dir() else []
        raise DataError(f"there is no file {path}", where=where, fix=meant(path.name, known, noun="file"))
    match path.suffix.lower():
        case ".csv" | ".tsv" | ".txt":
            _load_text(engine, table, path, text_columns, where)
        case ".parquet":
            engine.query(f"create table {quoted(table)} as select * from read_parquet(?)", [str(path)], where=where)
            engine.tables.append(table)
        case ".xlsx":
            _load_workbook(engine, table, path, sheet, text_columns, where)
        case other:
            raise DataError(
                f"'{other or path.name}' is not a kind of file that can be read",
                where=where,
                fix="Known: .csv, .tsv, .parquet, .xlsx",
            )


def _load_text(engine: Engine, table: str, path: Path, text_columns: frozenset[str], where: str) -> None:
    separator, header = _header(path, where)
    _unique(header, path, where)
    raw = f"{table} as read"
    columns = {name: "VARCHAR" for name in header}
    try:
        # No detection: it would guess a comment sign and drop the lines that begin with it.
        engine.query(
            f"create temp table {quoted(raw)} as select * from read_csv(?, auto_detect=false, delim=?, header=true, "
            "columns=?, quote='\"', escape='\"', comment='', strict_mode=true, null_padding=false)",
            [str(path), separator, columns],
        )
    except DataError as error:
        raise _text_error(error, path, where) from error
    types = {name: _found_type(engine, raw, name, text_columns) for name in header}
    chosen = ", ".join(_converted(name, kind) for name, kind in types.items())
    engine.query(f"create table {quoted(table)} as select {chosen} from {quoted(raw)}", where=where)
    engine.query(f"drop table {quoted(raw)}")
    engine.tables.append(table)


def _header(path: Path, where: str) -> tuple[str, list[str]]:
    """Separator and column names, from the first line."""
    try:
        with path.open(encoding="utf-8-sig", newline="") as lines:
            first = next(iter(lines), "")
            separator = max(",;\t|", key=first.count)
            names = next(
                csv.reader([first, *(line for line, _ in zip(lines, range(20), strict=False))], delimiter=separator), []
            )
    except UnicodeDecodeError as error:
        raise DataError(f"{path.name} is not UTF-8 text", where=where, fix="Save it as UTF-8 and try again") from error
    except (OSError, csv.Error) as error:
        raise DataError(
            f"{path.name} cannot be read: {error}", where=where, fix="Check the file and its permissions"
        ) from error
    if not names or not any(name.strip() for name in names):
        raise DataError(f"{path.name} is empty", where=where, fix="Its first line must name the columns")
    return separator, [name.strip() for name in names]


def _unique(header: list[str], path: Path, where: str) -> None:
    seen: set[str] = set()
    for index, name in enumerate(header, 1):
        if not name:
            raise DataError(f"column {index} of {path.name} has no name", where=where, fix="Name it in the first line")
        if name.casefold() in seen:
            raise DataError(f"column '{name}' stands twice in {path.name}", where=where, fix="Rename one of them")
        seen.add(name.casefold())


def _text_error(error: DataError, path: Path, where: str) -> DataError:
    text = str(error.__cause__)
    line = re.search(r"CSV Error on Line: (\d+)", text)
    place = f", line {line[1]}" if line else ""
    if "not utf-8" in text.lower():
        return DataError(f"{path.name}{place} is not UTF-8 text", where=where, fix="Save it as UTF-8 and try again")
    columns = re.search(r"Expected Number of Columns: (\d+) Found: (\d+)", text)
    if columns:
        what = f"{path.name}{place} has {columns[2]} columns, the header has {columns[1]}"
        return DataError(what, where=where, fix="A value with the separator in it must stand in quotes")
    if "invalid state" in text:
        what = f"the lines of {path.name} end in different ways, or a quote in it is not closed"
        return DataError(what, where=where, fix="Save it anew as CSV from the program that made it")
    if "unterminated quote" in text:
        return DataError(
            f"{path.name}{place}: a quote is not closed", where=where, fix="Close it, or double it inside a text"
        )
    return DataError(f"{path.name}{place} cannot be read: {error.what}", where=where, fix="Correct the line")


def _found_type(engine: Engine, table: str, column: str, text_columns: frozenset[str]) -> str:
    if column in text_columns:
        return "VARCHAR"
    name = quoted(column)
    row = engine.query(
        f"""select count({name}),
          bool_and(regexp_matches({name}, '{_WHOLE}')),
          bool_and(regexp_matches({name}, '{_DECIMAL}')),
          max(length({name}) - coalesce(nullif(instr({name}, '.'), 0), length({name}))), max(length({name})),
          bool_and(regexp_matches({name}, '{_DATE}') and try_cast({name} as date) is not null),
          bool_and(regexp_matches({name}, '{_TIME}') and try_cast({name} as timestamp) is not null),
          bool_and(lower({name}) in ('true', 'false'))
        from {quoted(table)} where {name} is not null"""
    )[0]
    count, whole, decimal, places, longest, date, time, truth = row
    if not count:
        return "VARCHAR"
    if whole:
        return "BIGINT"
    if decimal:
        return f"DECIMAL({18 if int(str(longest)) + int(str(places)) <= 18 else 38},{places})"
    return "DATE" if date else "TIMESTAMP" if time else "BOOLEAN" if truth else "VARCHAR"


def _converted(name: str, kind: str) -> str:
    return f"cast({quoted(name)} as {kind}) as {quoted(name)}"


def _load_workbook(
    engine: Engine, table: str, path: Path, sheet: str | None, text_columns: frozenset[str], where: str
) -> None:
    try:
        book = CalamineWorkbook.from_path(str(path))
        name = sheet if sheet is not None else book.sheet_names[0]
        if name not in book.sheet_names:
            raise DataError(
                f"{path.name} has no sheet '{name}'", where=where, fix=meant(name, list(book.sheet_names), noun="sheet")
            )
        rows = book.get_sheet_by_name(name).to_python(skip_empty_area=True)
    except (CalamineError, OSError, IndexError) as error:
        raise DataError(
            f"{path.name} is not a readable workbook: {error}", where=where, fix="Save it anew as .xlsx"
        ) from error
    if not rows:
        raise DataError(
            f"{path.name}, sheet '{name}', is empty", where=where, fix="Its first row must name the columns"
        )
    header = [str(cell).strip() for cell in rows[0]]
    _unique(header, path, where)
    body = [row for row in rows[1:] if any(cell not in ("", None) for cell in row)]
    columns = [_typed([row[i] for row in body], text=header[i] in text_columns) for i in range(len(header))]
    declared = ", ".join(f"{quoted(name)} {kind}" for name, (kind, _) in zip(header, columns, strict=True))
    engine.query(f"create table {quoted(table)} ({declared})", where=where)
    filled = [list(values) for _, values in columns]
    types = ", ".join(f"unnest(cast(? as {kind}[]))" for kind, _ in columns)
    if body:
        engine.query(f"insert into {quoted(table)} select {types}", filled, where=where)
    engine.tables.append(table)


def _typed(values: list[object], *, text: bool) -> tuple[str, list[object]]:
    """The DuckDB type of a workbook's column and its values; a column of mixed kinds is text."""
    present = [value for value in values if value not in ("", None)]
    kinds = {type(value) for value in present}
    if not text and present and kinds <= {int, float}:
        return _numeric(values)
    if not text and present and kinds == {bool}:
        return "BOOLEAN", [None if value == "" else value for value in values]
    if not text and present and kinds == {dt.date}:
        return "DATE", [None if value == "" else value for value in values]
    if not text and present and kinds <= {dt.date, dt.datetime}:
        return "TIMESTAMP", [None if value == "" else value for value in values]
    return "VARCHAR", [None if value in ("", None) else plain_text(value) for value in values]


def _numeric(values: list[object]) -> tuple[str, list[object]]:
    """Whole numbers as BIGINT, others as the decimal a reader of the cell sees (15 significant digits)."""
    found = [None if value in ("", None) else Decimal(f"{value:.15g}") for value in values]
    places = max((-int(value.normalize().as_tuple().exponent) for value in found if value is not None), default=0)
    if places <= 0:
        return "BIGINT", [None if value is None else int(value) for value in found]
    return f"DECIMAL(38,{min(places, 12)})", list(found)


def plain_text(value: object) -> str:
    """A workbook's value as text: a number that is whole has no decimals (`1042`, never `1042.0`)."""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, float):
        return f"{value:.15g}"
    return str(value)
