"""Drawing a layout as CSV (RFC 4180): the rows of its table, for programs."""

from __future__ import annotations

import csv
import datetime as dt
import io
from decimal import Decimal

from gonnet.errors import DataError
from gonnet.jobs.values import CsvForm
from gonnet.reports.layout.models import Layout
from gonnet.wording.harmless import as_cell


def draw_csv(layout: Layout, form: CsvForm) -> bytes:
    """The file's bytes: a line of headings, then every row; no totals, and no lines between.

    Raises:
        DataError: a character does not exist in the encoding.
    """
    target = io.StringIO(newline="")
    quoted = form.quoting == "all"
    writer = csv.writer(
        target,
        delimiter=form.delimiter,
        quoting=csv.QUOTE_ALL if quoted else csv.QUOTE_MINIMAL,
        lineterminator="\r\n",
    )
    for table in layout.tables():
        writer.writerow([column.label for column in table.columns])
        columns = [
            [csv_text(text, value, form) for text, value in zip(texts, values, strict=True)]
            for texts, values in zip(table.texts, table.values, strict=True)
        ]
        writer.writerows(zip(*columns, strict=True))
    try:
        return target.getvalue().encode(form.encoding)
    except UnicodeEncodeError as error:
        sign = error.object[error.start]
        raise DataError(
            f"'{sign}' (U+{ord(sign):04X}) does not exist in {form.encoding}",
            fix="Choose `encoding: utf-8-sig` for this document",
        ) from error


def csv_text(text: str, value: object, form: CsvForm) -> str:
    """A value as a program reads it: plain numbers, ISO dates unless asked; what a spreadsheet would run is a text."""
    match value:
        case bool():
            return text
        case Decimal():
            return f"{value:f}".replace(".", form.decimal)
        case dt.date() if form.dates == "shown":
            return text
        case dt.datetime():
            return value.replace(tzinfo=None).isoformat(sep=" ")
        case dt.date():
            return value.isoformat()
        case _:
            return as_cell(text)
