"""Computing the formulas of a workbook: each cell once, those that it needs before it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from openpyxl.utils import column_index_from_string
from openpyxl.workbook.workbook import Workbook
from openpyxl.worksheet.worksheet import Worksheet

from gonnet.reports.workbook.formulas import functions
from gonnet.reports.workbook.formulas.functions import FUNCTIONS, SUBTOTALS, Area, Argument, holds
from gonnet.reports.workbook.formulas.reading import Call, Constant, Node, Reference, read
from gonnet.reports.workbook.formulas.values import (
    DIVIDED,
    NO_NUMBER,
    BeyondError,
    ErrorValue,
    Value,
    compared,
    finite,
    number,
    of_cell,
    text,
    truth,
)

_CELLS = re.compile(
    r"(?:(?P<sheet>'(?:[^']|'')+'|[^'!\[\]]+)!)?"
    r"(?:\$?(?P<c1>[A-Z]{1,3})\$?(?P<r1>\d+)(?::\$?(?P<c2>[A-Z]{1,3})\$?(?P<r2>\d+))?"
    r"|\$?(?P<c3>[A-Z]{1,3}):\$?(?P<c4>[A-Z]{1,3}))"
)
_COMPARED = frozenset(("=", "<>", "<", "<=", ">", ">="))

Place = tuple[str, int, int]
"""Sheet, row and column of a cell, from 1."""


class _Block(NamedTuple):
    """A rectangle of cells of one sheet."""

    sheet: Worksheet
    top: int
    left: int
    bottom: int
    right: int

    @property
    def is_one(self) -> bool:
        """Whether it is a single cell."""
        return (self.top, self.left) == (self.bottom, self.right)


class Calculator:
    """Computes the formulas of one workbook, as it is when each is asked for.

    Args:
        book: The workbook; `cells` computes all of its formulas.
    """

    def __init__(self, book: Workbook) -> None:
        self._book: Any = book
        self._known: dict[Place, Value | BeyondError] = {}
        self._open: set[Place] = set()
        self._lasts: dict[str, int] = {}

    def cells(self) -> Iterator[tuple[Place, Value | BeyondError]]:
        """Every cell with a formula, with what it comes to, or why that is not computed here."""
        for sheet in self._book.worksheets:
            for row in sheet.iter_rows():
                for cell in row:
                    if cell.data_type == "f":
                        place = sheet.title, cell.row, cell.column
                        yield place, self._found(sheet, cell.row, cell.column)

    def _found(self, sheet: Worksheet, row: int, column: int) -> Value | BeyondError:
        try:
            return self._value(sheet, row, column)
        except BeyondError as why:
            return why
        except RecursionError:
            return BeyondError("it leads over too many other cells")

    def _value(self, sheet: Worksheet, row: int, column: int) -> Value:
        cell: Any = sheet._cells.get((row, column))  # to ask for one would make it
        if cell is None:
            return None
        if cell.data_type != "f":
            return of_cell(cell.value, cell.data_type, self._book.epoch)
        place = sheet.title, row, column
        if place not in self._known:
            if place in self._open:
                raise BeyondError("it leads back to itself")
            self._open.add(place)
            try:
                self._known[place] = self._computed(cell, sheet)
            except BeyondError as why:
                self._known[place] = why
            finally:
                self._open.discard(place)
        found = self._known[place]
        if isinstance(found, BeyondError):
            raise found
        return found

    def _computed(self, cell: Any, sheet: Worksheet) -> Value:  # noqa: ANN401
        if not isinstance(cell.value, str):
            raise BeyondError("a formula over arrays")
        found = self._one(read(cell.value), sheet)
        return 0.0 if found is None else found

    def _one(self, node: Node, sheet: Worksheet) -> Value:
        """What a part of a formula comes to, where one value is wanted."""
        found = self._of(node, sheet)
        if isinstance(found, Area):
            raise BeyondError("several cells where one is wanted")
        return found

    def _of(self, node: Node, sheet: Worksheet) -> Argument:
        match node:
            case Constant(value):
                return value
            case Reference(said):
                block = self._block(said, sheet)
                if block.is_one:
                    return self._value(block.sheet, block.top, block.left)
                return Area(list(self._rows(block)))
            case Call(name, arguments) if name in functions.LAZY:
                return self._lazy(name, arguments, sheet)
            case Call(name, arguments) if name in FUNCTIONS:
                return FUNCTIONS[name]([self._cells_of(one, sheet) for one in arguments])
            case Call(name, arguments) if name[0].isalpha() and not name.startswith("u"):
                raise BeyondError(f"the function {name}")
            case Call(name, arguments):
                return _operated(name, [self._one(one, sheet) for one in arguments])

    def _cells_of(self, node: Node, sheet: Worksheet) -> Argument:
        """An argument; a single cell is one of cells too: a text in it is no number."""
        if isinstance(node, Reference):
            return Area(list(self._rows(self._block(node.text, sheet))))
        return self._of(node, sheet)

    def _rows(self, block: _Block) -> Iterator[list[Value]]:
        for row in range(block.top, block.bottom + 1):
            yield [self._value(block.sheet, row, column) for column in range(block.left, block.right + 1)]

    def _block(self, said: str, sheet: Worksheet) -> _Block:
        found = _CELLS.fullmatch(said)
        if found is None:
            return self._named(said, sheet)
        there = sheet
        if found["sheet"] is not None:
            title = found["sheet"].strip("'").replace("''", "'")
            if title not in self._book.sheetnames:
                raise BeyondError(f"the sheet {title!r}, which is not there")
            there = self._book[title]
        if found["c3"] is not None:
            left, right = column_index_from_string(found["c3"]), column_index_from_string(found["c4"])
            return _Block(there, 1, left, self._last(there), right)
        left, top = column_index_from_string(found["c1"]), int(found["r1"])
        right, bottom = column_index_from_string(found["c2"] or found["c1"]), int(found["r2"] or top)
        top, bottom, left, right = min(top, bottom), max(top, bottom), min(left, right), max(left, right)
        return _Block(there, top, left, min(bottom, max(self._last(there), top)), right)

    def _last(self, sheet: Worksheet) -> int:
        """The last row of a sheet; openpyxl looks through all of its cells for it."""
        if sheet.title not in self._lasts:
            self._lasts[sheet.title] = sheet.max_row
        return self._lasts[sheet.title]

    def _named(self, said: str, sheet: Worksheet) -> _Block:
        """The cells of a name."""
        names = {**self._book.defined_names, **sheet.defined_names}
        name = next((one for key, one in names.items() if key.casefold() == said.casefold()), None)
        if name is None or not _CELLS.fullmatch(name.attr_text or ""):
            raise BeyondError(f"{said!r}")
        return self._block(name.attr_text, sheet)

    def _lazy(self, name: str, arguments: tuple[Node, ...], sheet: Worksheet) -> Argument:
        match name, arguments:
            case "IF", (asked, yes, *no):
                holds_ = truth(self._one(asked, sheet))
                if isinstance(holds_, ErrorValue):
                    return holds_
                return self._of(yes, sheet) if holds_ else self._of(no[0], sheet) if no else False
            case "IFERROR", (tried, otherwise):
                found = self._one(tried, sheet)
                return self._of(otherwise, sheet) if isinstance(found, ErrorValue) else found
            case "NOT", (asked,):
                found = truth(self._one(asked, sheet))
                return found if isinstance(found, ErrorValue) else not found
            case (("AND" | "OR"), (_, *_)):
                truths = [truth(self._one(one, sheet)) for one in arguments]
                wrong = next((one for one in truths if isinstance(one, ErrorValue)), None)
                return wrong if wrong is not None else all(truths) if name == "AND" else any(truths)
            case "SUBTOTAL", (kind, *areas):
                return self._subtotal(self._one(kind, sheet), areas, sheet)
            case _:
                raise BeyondError(f"{name} with so many arguments")

    def _subtotal(self, kind: Value, areas: list[Node], sheet: Worksheet) -> Value:
        """A function over cells without those that are subtotals themselves, and without rows that are not seen."""
        if not isinstance(kind, float) or int(kind) % 100 not in SUBTOTALS:
            raise BeyondError(f"SUBTOTAL({text(kind)}, …)")
        found: list[Argument] = []
        for node in areas:
            if not isinstance(node, Reference):
                raise BeyondError("SUBTOTAL of something else than cells")
            block = self._block(node.text, sheet)
            if any(self._is_hidden(block.sheet, row) for row in range(block.top, block.bottom + 1)):
                raise BeyondError("SUBTOTAL over rows that are hidden")
            places = (
                (row, at) for row in range(block.top, block.bottom + 1) for at in range(block.left, block.right + 1)
            )
            found.append(
                Area([[self._value(block.sheet, *place) for place in places if not _is_subtotal(block.sheet, place)]])
            )
        return FUNCTIONS[SUBTOTALS[int(kind) % 100]](found)

    @staticmethod
    def _is_hidden(sheet: Worksheet, row: int) -> bool:
        return row in sheet.row_dimensions and bool(sheet.row_dimensions[row].hidden)


def _is_subtotal(sheet: Worksheet, place: tuple[int, int]) -> bool:
    cell: Any = sheet._cells.get(place)
    return cell is not None and cell.data_type == "f" and "SUBTOTAL(" in str(cell.value).upper()


def _operated(operator: str, values: list[Value]) -> Value:
    wrong = next((one for one in values if isinstance(one, ErrorValue)), None)
    if wrong is not None:
        return wrong
    if operator in _COMPARED:
        found = compared(*values)
        return found if isinstance(found, ErrorValue) else holds(operator, found)
    if operator == "&":
        return "".join(str(text(one)) for one in values)
    taken = [number(one) for one in values]
    wrong = next((one for one in taken if isinstance(one, ErrorValue)), None)
    return wrong if wrong is not None else _arithmetic(operator, [one for one in taken if isinstance(one, float)])


def _arithmetic(operator: str, values: list[float]) -> Value:
    first, second = values[0], values[-1]
    try:
        match operator:
            case "u-":
                return -first
            case "u+":
                return first
            case "%":
                return first / 100
            case "+":
                return finite(_near(first + second, first, second))
            case "-":
                return finite(_near(first - second, first, second))
            case "*":
                return finite(first * second)
            case "/":
                return finite(first / second) if second else DIVIDED
            case _:
                found = first**second
                return finite(found) if isinstance(found, float) else NO_NUMBER
    except (OverflowError, ZeroDivisionError):
        return NO_NUMBER if second >= 0 else DIVIDED


def _near(found: float, first: float, second: float) -> float:
    """Zero, where what is left of two numbers is less than they can show: as calculating programs have it."""
    return 0.0 if found and abs(found) < max(abs(first), abs(second)) * 2**-50 else found
