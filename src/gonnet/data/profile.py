"""Whether the data are what one thinks: columns, gaps, ranges, totals, the first rows; and saving them."""

from __future__ import annotations

import csv
import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path

import xlsxwriter

from gonnet import private
from gonnet.data.engine import ColumnType, Engine, quoted
from gonnet.errors import DataError, StorageError

_BATCH = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnProfile:
    """What a column holds.

    Attributes:
        column: Its name and type.
        empty: Rows without a value.
        distinct: Different values.
        least: The smallest value as text, empty where there is none.
        greatest: The greatest value as text.
        total: The sum of numbers as text, empty for others.
    """

    column: ColumnType
    empty: int
    distinct: int
    least: str
    greatest: str
    total: str


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """A table, or the rows of one key of it.

    Attributes:
        table: The table.
        key: The SQL expression of the key and the key wanted, or None for all rows.
    """

    table: str
    key: tuple[str, str] | None = None

    def sql(self, chosen: str) -> tuple[str, dict[str, object]]:
        """A query over the view, in the order of the table, and its parameters."""
        where, values = "", {}
        if self.key:
            where, values = f" where {self.key[0]} = $key", {"key": self.key[1]}
        return f"select {chosen} from {quoted(self.table)}{where}", dict(values)


def count(engine: Engine, view: View) -> int:
    """The number of rows."""
    sql, values = view.sql("count(*)")
    return int(str(engine.query(sql, values)[0][0]))


def profile(engine: Engine, view: View) -> tuple[ColumnProfile, ...]:
    """What each column holds, in one pass over the rows."""
    columns = engine.columns(view.table)
    parts = []
    for column in columns:
        name = quoted(column.name)
        least, greatest = (f"cast({function}({name}) as varchar)" for function in ("min", "max"))
        total = f"cast(sum({name}) as varchar)" if column.is_number else "''"
        parts += [f"count(*) - count({name})", f"count(distinct {name})", least, greatest, total]
    sql, values = view.sql(", ".join(parts))
    row = engine.query(sql, values)[0]
    found = []
    for index, column in enumerate(columns):
        empty, distinct, *texts = row[index * 5 : index * 5 + 5]
        least, greatest, total = ("" if text is None else str(text) for text in texts)
        found.append(
            ColumnProfile(
                column=column,
                empty=int(str(empty)),
                distinct=int(str(distinct)),
                least=least,
                greatest=greatest,
                total=total,
            )
        )
    return tuple(found)


def frequent(engine: Engine, view: View, column: str, most: int) -> list[tuple[str | None, int]]:
    """The most frequent values of a column, as text, each with its number of rows; None for no value.

    Raises:
        DataError: there is no such column.
    """
    engine.require_column(view.table, column, where="--values")
    sql, values = view.sql(f"cast({quoted(column)} as varchar), count(*)")
    rows = engine.query(f"{sql} group by 1 order by 2 desc, 1 limit {most:d}", values)
    return [(None if value is None else str(value), int(str(count))) for value, count in rows]


def first_rows(engine: Engine, view: View, most: int) -> list[tuple[object, ...]]:
    """The first rows, in the order of the table."""
    sql, values = view.sql("*")
    return engine.query(f"{sql} order by rowid limit {most:d}", values)


def save(engine: Engine, view: View, path: Path) -> int:
    """Write all rows to a CSV or XLSX file, by its ending; returns their number.

    Raises:
        DataError: the ending is another one.
        StorageError: the file cannot be written.
    """
    names = [column.name for column in engine.columns(view.table)]
    writers = {".csv": _save_csv, ".xlsx": _save_xlsx}
    if path.suffix.lower() not in writers:
        raise DataError(
            f"'{path.suffix}' is not a kind of file that can be written", where=str(path), fix="Known: .csv, .xlsx"
        )
    try:
        private.folder(path.parent)
        private.file(path)
        return writers[path.suffix.lower()](path, names, _all_rows(engine, view))
    except (OSError, xlsxwriter.exceptions.XlsxFileError) as error:
        raise StorageError(
            f"{path} cannot be written: {error}", fix="Check the folder, and whether the file is open"
        ) from error


def _all_rows(engine: Engine, view: View) -> Iterator[tuple[object, ...]]:
    sql, values = view.sql("*")
    start = 0
    while batch := engine.query(f"{sql} order by rowid limit {_BATCH} offset {start}", values):
        yield from batch
        start += len(batch)


def _save_csv(path: Path, names: list[str], rows: Iterator[tuple[object, ...]]) -> int:
    written = 0
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(names)
        for row in rows:
            writer.writerow(row)
            written += 1
    return written


def _save_xlsx(path: Path, names: list[str], rows: Iterator[tuple[object, ...]]) -> int:
    book = xlsxwriter.Workbook(
        str(path), {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    sheet = book.add_worksheet("Rows")
    bold, day = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
    for index, name in enumerate(names):
        sheet.write_string(0, index, name, bold)
    sheet.freeze_panes(1, 0)
    written = 0
    for written, row in enumerate(rows, 1):
        for index, value in enumerate(row):
            match value:
                case None:
                    pass
                case bool():
                    sheet.write_boolean(written, index, value)
                case int() | float() | Decimal() if len(str(value)) <= 16:
                    sheet.write_number(written, index, float(value))
                case dt.date() if not isinstance(value, dt.datetime):
                    sheet.write_datetime(written, index, value, day)  # type: ignore[call-overload]
                case _:
                    sheet.write_string(written, index, str(value))
    book.close()
    return written
