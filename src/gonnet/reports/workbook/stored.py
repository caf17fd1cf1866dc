"""Values beside the formulas of a finished workbook, where whoever does not calculate looks for them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from xml.sax.saxutils import escape

from gonnet.reports.workbook.formulas import BeyondError, ErrorValue, Value

_FORMULA = re.compile(
    r'<c r="([A-Z]+\d+)"((?: (?!t=)[a-z]+="[^"]*")*)(?: t="[^"]*")?((?: [a-z]+="[^"]*")*)>'
    r"(<f[ >].*?</f>)<v ?(?:/>|></v>)</c>",
    re.DOTALL,
)


def with_values(sheet: bytes, found: Mapping[str, Value | BeyondError]) -> bytes:
    """The XML of a sheet with what its formulas come to (ECMA-376, part 1, 18.3.1.96); what is not known stays out.

    Args:
        sheet: The part, as openpyxl writes it.
        found: Cell, such as `B7` → what its formula comes to.
    """

    def stored(cell: re.Match[str]) -> str:
        value = found.get(cell[1])
        if value is None or isinstance(value, BeyondError):
            return f'<c r="{cell[1]}"{cell[2]}{cell[3]}>{cell[4]}</c>'
        kind, text = _stored(value)
        return f'<c r="{cell[1]}"{cell[2]}{cell[3]}{kind}>{cell[4]}<v>{text}</v></c>'

    return _FORMULA.sub(stored, sheet.decode("utf-8")).encode("utf-8")


def _stored(value: Value) -> tuple[str, str]:
    match value:
        case bool():
            return ' t="b"', str(int(value))
        case ErrorValue(text):
            return ' t="e"', text
        case str():
            return ' t="str"', escape(value)
        case _:
            return "", f"{value:.17G}"
