"""Cells of a workbook as they stand in its file (ECMA-376, part 1, 18.3.1.4), written without a detour.

XlsxWriter keeps an object for every cell and takes texts for markup that begin with `<r>`; here every distinct value
of a column is written once for all documents of a run, texts are always texts, and XlsxWriter makes everything around
them.
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import Any
from xml.sax.saxutils import escape

from xlsxwriter.url import Url
from xlsxwriter.utility import xl_col_to_name
from xlsxwriter.worksheet import Worksheet

from gonnet.errors import DataError
from gonnet.remembering import Remembered
from gonnet.reports.plans.columns import CellValue

LONGEST = 32_767
"""Characters in a cell."""
ROWS = 1_048_576
LINKS = 65_530
"""Of a sheet, as office programs count them."""
_EXACT_DIGITS = 15
_DAY_ZERO = dt.date(1899, 12, 31)
_FIRST_DAY = dt.date(1900, 1, 1)
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]")
_UNWRITABLE = re.compile("[\x00-\x08\x0b-\x1f\ufffe\uffff]|_x[0-9a-fA-F]{4}_")


class RowsSheet(Worksheet):
    """A worksheet whose rows are handed in as they are to stand in the file."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: list[str] = []
        self._columns = 1
        self._links = 0
        self.fh: Any = None  # where XlsxWriter writes to

    def put_row(self, row: int, cells: str, columns: int) -> None:
        """Add the next row (0 is the first), which reaches over so many columns.

        Raises:
            DataError: the sheet is full.
        """
        if row >= ROWS:
            raise DataError(f"a sheet has {ROWS:,} rows at most", fix="Send fewer rows, or another format")
        self._columns = max(self._columns, columns)
        if not self._rows:
            self._check_dimensions(row, 0)
        self._check_dimensions(row, self._columns - 1)
        self._rows.append(f'<row r="{row + 1}">{cells}</row>')

    def put_link(self, row: int, column: int, address: str) -> None:
        """Make a cell lead somewhere.

        Raises:
            DataError: the sheet has too many links.
        """
        self._links += 1
        if self._links > LINKS:
            raise DataError(f"a sheet has {LINKS:,} links at most", fix="Send fewer rows, or leave out `link`")
        self.hyperlinks[row][column] = Url(address)

    def _write_rows(self) -> None:
        self.fh.writelines(self._rows)


class CellWriter:
    """Writes the cells of one column in one style; each distinct value once."""

    def __init__(self, style: int, label: str) -> None:
        self._style = style
        self._label = label
        self._known = Remembered(self._written, 100_000)

    def __call__(self, shown: CellValue) -> str:
        """What follows the cell's address."""
        return self._known[shown]

    def column(self, shown: Iterable[CellValue]) -> list[str]:
        """What follows the address of each cell."""
        return list(map(self._known.__getitem__, shown))

    def _written(self, shown: CellValue) -> str:
        text, value = shown
        match value:
            case None:
                return f' s="{self._style}"/>'
            case bool():
                return text_cell(text, self._style, self._label)
            case Decimal() if len(value.as_tuple().digits) <= _EXACT_DIGITS and value.is_finite():
                return number_cell(value, self._style)
            case dt.date() if (number := _serial(value)) is not None:
                return number_cell(number, self._style)
            case _:
                return text_cell(text, self._style, self._label)


def read_from_cell(shown: CellValue) -> str:
    """What a reader finds in the file where a value stands in a cell: a number, or its text."""
    text, value = shown
    match value:
        case None:
            return ""
        case Decimal() if len(value.as_tuple().digits) <= _EXACT_DIGITS:
            return f"{value:.16G}" if value.is_finite() else text
        case dt.date() if (number := _serial(value)) is not None:
            return f"{number:.16G}"
        case _:
            return _UNWRITABLE.sub(_spelt, text)


def number_cell(value: Decimal | float, style: int) -> str:
    """A number, after the cell's address."""
    return f' s="{style}"><v>{value:.16G}</v></c>'


def formula_cell(formula: str, value: Decimal, style: int) -> str:
    """A formula with the value it has, after the cell's address."""
    return f' s="{style}"><f>{escape(formula)}</f><v>{value:.16G}</v></c>'


def text_cell(text: str, style: int, label: str) -> str:
    """A text, after the cell's address.

    Raises:
        DataError: it is longer than a cell can hold; names `label`.
    """
    if len(text) > LONGEST:
        raise DataError(
            f"a text under '{label}' has {len(text):,} characters, a cell of a workbook holds {LONGEST:,}",
            fix="Shorten it with SQL, or leave the column out",
        )
    space = ' xml:space="preserve"' if text != text.strip() else ""
    return f' s="{style}" t="inlineStr"><is><t{space}>{escape(_UNWRITABLE.sub(_spelt, text))}</t></is></c>'


def xml_safe(text: str) -> str:
    """A text without the characters that XML does not have (XML 1.0, 2.2), for where they cannot be spelt."""
    return _NO_XML.sub(" ", text)


def _spelt(found: re.Match[str]) -> str:
    """A character that XML does not have, as ECMA-376 spells it (part 1, 22.9.2.19, ST_Xstring)."""
    sign = found[0]
    return f"_x005F{sign}" if len(sign) > 1 else f"_x{ord(sign):04X}_"


def _serial(value: dt.date) -> Decimal | int | None:
    """Days since the last of 1899, as workbooks count them: with a 29 February 1900; None for what is before that."""
    day = value.date() if isinstance(value, dt.datetime) else value
    if day < _FIRST_DAY:
        return None
    days = (day - _DAY_ZERO).days
    days += days > 59
    if not isinstance(value, dt.datetime):
        return days
    seconds = value.hour * 3600 + value.minute * 60 + value.second
    return days + (Decimal(seconds) + Decimal(value.microsecond) / 1_000_000) / 86_400


def addressed(row: int, cells: Iterable[tuple[int, str]]) -> str:
    """Cells of a row (0 is the first), each with its column."""
    return "".join([f'<c r="{xl_col_to_name(column)}{row + 1}"{cell}' for column, cell in cells])


def addressed_rows(first: int, columns: Sequence[Sequence[str]]) -> Iterable[tuple[int, str]]:
    """Rows, from columns of cells; with their numbers."""
    heads = [f'<c r="{xl_col_to_name(column)}' for column in range(len(columns))]
    for row, cells in enumerate(zip(*columns, strict=True), first):
        end = f'{row + 1}"'
        yield row, "".join([f"{head}{end}{cell}" for head, cell in zip(heads, cells, strict=True)])
