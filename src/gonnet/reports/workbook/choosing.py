"""Some sheets of a workbook for somebody: the others go, with everything that would still tell of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from openpyxl.formula.tokenizer import Token, Tokenizer
from openpyxl.workbook.workbook import Workbook
from openpyxl.worksheet.worksheet import Worksheet

from gonnet.errors import DataError
from gonnet.reports.workbook.formulas import BeyondError, ErrorValue, Value
from gonnet.reports.workbook.growing import charts_of, sources_of

Found = Mapping[tuple[str, int, int], Value | BeyondError]
"""Sheet, row and column of each formula → what it comes to."""


def keep_sheets(book: Workbook, wanted: Sequence[str], found: Found) -> None:
    """Take all other sheets out of a workbook. A formula that leads to one of them becomes its value.

    Args:
        book: The workbook.
        wanted: What the sheets are called, without regard to case.
        found: What its formulas come to.

    Raises:
        DataError: there is no such sheet, or something that stays shows what goes and has no value of its own.
    """
    by_name = {name.casefold(): name for name in book.sheetnames}
    lacking = next((name for name in wanted if name.casefold() not in by_name), None)
    if lacking is not None:
        known = ", ".join(book.sheetnames)
        raise DataError(f"the form has no sheet '{lacking}'", fix=f"It has {known}")
    kept = {by_name[name.casefold()] for name in wanted}
    gone = {name.casefold() for name in book.sheetnames if name not in kept}
    if not gone:
        return
    names = _forget_names(book, gone)
    for sheet in (one for one in book.worksheets if one.title in kept):
        _require_nothing_shown(sheet, gone)
        _fix_values(sheet, gone, names, found)
        _drop_rules(sheet, gone, names)
        for row in sheet.iter_rows():
            for cell in row:
                if cell.hyperlink is not None and _leads(_led_to(cell.hyperlink), gone, names):
                    cell.hyperlink = None
    for sheet in [one for one in book._sheets if one.title not in kept]:  # type: ignore[attr-defined]  # chart sheets too
        book.remove(sheet)
    first = next((at for at, sheet in enumerate(book.worksheets) if sheet.sheet_state == "visible"), 0)
    book.worksheets[first].sheet_state = "visible"
    book.active = first


def fix_all(book: Workbook, found: Found) -> None:
    """Put their values in the place of all formulas.

    Raises:
        DataError: one is not computed here.
    """
    for sheet in book.worksheets:
        for (title, row, column), value in found.items():
            if title == sheet.title:
                put_value(sheet.cell(row, column), value)


def put_value(cell: Any, value: Value | BeyondError) -> None:  # noqa: ANN401  openpyxl's cells have no common type
    """A value in the place of a formula.

    Raises:
        DataError: it is not computed here.
    """
    if isinstance(value, BeyondError):
        what = f"the formula in {cell.parent.title}!{cell.coordinate} of the form is not computed here: {value}"
        raise DataError(what, fix="Write it otherwise, or leave it as a formula")
    look = cell.number_format
    cell.value = value.text if isinstance(value, ErrorValue) else value
    cell.data_type = "e" if isinstance(value, ErrorValue) else "s" if isinstance(value, str) else cell.data_type
    cell.number_format = look


def _forget_names(book: Workbook, gone: set[str]) -> set[str]:
    """Take out the names of what goes; what they were, without regard to case."""
    lost: set[str] = set()
    for sheet in (None, *book.worksheets):
        names = book.defined_names if sheet is None else sheet.defined_names
        for name in [key for key, one in names.items() if _leads(f"={one.attr_text or '0'}", gone, set())]:
            del names[name]
            lost.add(name.casefold())
    return lost


def _leads(formula: str, gone: set[str], names: set[str]) -> bool:
    """Whether a formula names a sheet that goes, or a name of one."""
    for token in Tokenizer(formula).items:
        if token.type == Token.OPERAND and token.subtype == Token.RANGE:
            sheet, mark, _ = token.value.rpartition("!")
            if (mark and _titles(sheet) & gone) or token.value.casefold() in names:
                return True
    return False


def _led_to(link: Any) -> str:  # noqa: ANN401
    """The place in the workbook to which a link leads, as a formula."""
    target = str(link.target or "")
    return f"={link.location or (target[1:] if target.startswith('#') else '') or 0}"


def _titles(text: str) -> set[str]:
    """The sheets that a reference names: one, or the first and the last of several."""
    plain = text.removeprefix("'").removesuffix("'").replace("''", "'").casefold()
    return {plain, *plain.split(":")}


def _fix_values(sheet: Worksheet, gone: set[str], names: set[str], found: Found) -> None:
    cell: Any
    for row in sheet.iter_rows():
        for cell in row:
            if cell.data_type == "f" and _leads(str(getattr(cell.value, "text", cell.value)), gone, names):
                put_value(cell, found[sheet.title, cell.row, cell.column])


def _drop_rules(sheet: Worksheet, gone: set[str], names: set[str]) -> None:
    """Take out conditions and lists of choices that look at what goes."""
    from openpyxl.formatting.formatting import ConditionalFormattingList

    rules = ConditionalFormattingList()
    for area in sheet.conditional_formatting:
        for rule in area.rules:
            if not any(_leads(f"={text}", gone, names) for text in rule.formula):
                rules.add(str(area.sqref), rule)
    sheet.conditional_formatting = rules
    choices = sheet.data_validations
    choices.dataValidation = [
        one for one in choices.dataValidation if not any(_leads(f"={text}", gone, names) for text in _asked(one))
    ]


def _asked(choice: Any) -> Iterator[str]:  # noqa: ANN401
    return (text for text in (choice.formula1, choice.formula2) if text)


def _require_nothing_shown(sheet: Worksheet, gone: set[str]) -> None:
    """Refuse a chart or a pivot table that shows a sheet that goes: it has its figures in itself.

    Raises:
        DataError: there is one.
    """
    for chart in charts_of(sheet):
        if any(_leads(f"={source.f}", gone, set()) for source in sources_of(chart) if source.f):
            raise DataError(
                f"a chart on the sheet '{sheet.title}' of the form shows a sheet that this recipient does not get"
            )
    pivots: Any = sheet
    for pivot in pivots._pivots:
        source = getattr(pivot.cache.cacheSource, "worksheetSource", None)
        if source is None or source.sheet is None or source.sheet.casefold() in gone:
            raise DataError(
                f"a pivot table on the sheet '{sheet.title}' of the form shows a sheet that this recipient does not get"
            )
