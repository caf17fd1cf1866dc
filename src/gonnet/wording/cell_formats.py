"""Values of cells as their formats show them (ECMA-376, part 1, 18.8.31), in the signs of a house.

Formats are written in codes of their own. Each is brought into the CLDR pattern that says the same, so that numbers
and dates of a workbook look as they do everywhere else.
"""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal, InvalidOperation
from functools import lru_cache

from gonnet.wording.formats import House

GENERAL = "General"
BUILT_IN = {
    0: GENERAL, 1: "0", 2: "0.00", 3: "#,##0", 4: "#,##0.00", 9: "0%", 10: "0.00%", 11: "0.00E+00", 14: "dd/mm/yyyy",
    15: "d-mmm-yy", 16: "d-mmm", 17: "mmm-yy", 18: "h:mm AM/PM", 19: "h:mm:ss AM/PM", 20: "h:mm", 21: "h:mm:ss",
    22: "dd/mm/yyyy h:mm", 37: "#,##0;-#,##0", 38: "#,##0;-#,##0", 39: "#,##0.00;-#,##0.00", 40: "#,##0.00;-#,##0.00",
    45: "mm:ss", 46: "h:mm:ss", 47: "mm:ss.0", 48: "0.0E+0", 49: "@",
}  # fmt: skip
"""Formats that a workbook names by number alone (18.8.30)."""

_TOKEN = re.compile(
    r'"([^"]*)"|\\(.)|_.|\*.|\[\$([^\]-]*)[^\]]*\]|\[[^\]]*\]|(AM/PM|A/P)|(y+|m+|d+|h+|s+)|([#0?][#0?,]*(?:\.[#0?]+)?)|(.)',
    re.IGNORECASE | re.DOTALL,
)
_DIGITS_AT_MOST = 11  # of a number without a format of its own (18.8.30)
_DAY = 86_400


@lru_cache(maxsize=512)
def _sections(code: str) -> tuple[str, ...]:
    """The parts of a code: for what is above zero, below it, zero, and text."""
    parts, quoted, found = [], False, ""
    for at, sign in enumerate(code):
        quoted ^= sign == '"' and (at == 0 or code[at - 1] != "\\")
        if sign == ";" and not quoted:
            parts.append(found)
            found = ""
        else:
            found += sign
    return (*parts, found)


@lru_cache(maxsize=512)
def is_date(code: str) -> bool:
    """Whether a format shows a date or a time."""
    return any(match[5] for match in _TOKEN.finditer(_sections(code)[0])) and code.casefold() != GENERAL.casefold()


def shown(value: str, code: str, house: House, *, since_1904: bool = False) -> str:
    """A number of a cell, as its format shows it.

    Args:
        value: As the file has it; what is no number stays as it is.
        code: The format.
        house: Whose signs are written.
        since_1904: Whether dates count from 1904.
    """
    try:
        number = Decimal(value)
    except InvalidOperation:
        return value
    if not number.is_finite():
        return value
    if is_date(code):
        return _moment(number, _sections(code)[0], house, since_1904=since_1904)
    parts = _sections(code)
    at = 0 if number > 0 or len(parts) == 1 else 1 if number < 0 or len(parts) < 3 else 2
    if number == 0 and len(parts) == 2:
        at = 0
    section = parts[min(at, len(parts) - 1)]
    return _number(abs(number) if at == 1 else number, section, house)


def _number(number: Decimal, section: str, house: House) -> str:
    if section.casefold() == GENERAL.casefold() or section.strip() in ("", "@"):
        return _general(number, house) if section else ""
    found, digits = "", ""
    for match in _TOKEN.finditer(section):
        text, escaped, currency, _, _, place, other = match.groups()
        if place is not None and not digits:
            digits = place
            found += "\0"
        elif other is not None and place is None:
            found += other
        else:
            found += text or escaped or currency or ""
    if "e" in section.casefold() and digits and re.search(r"[eE][+-]", section):
        return f"{number:.{len(digits.partition('.')[2])}E}"
    if not digits:
        return found
    percent = Decimal(100) if "%" in found else Decimal(1)
    whole, point, decimals = digits.replace("?", "#").partition(".")
    thousands = len(whole) - len(whole.rstrip(","))
    scaled = number * percent / Decimal(1000) ** thousands
    whole = whole.rstrip(",")
    grouped = "#,##0" if "," in whole else "0"
    fewest = whole.count("0")
    pattern = grouped if fewest <= 1 else ("#,##" if "," in whole else "") + "0" * fewest
    said = house.number(scaled, f"{pattern}{point}{decimals}")
    sign, said = ("-", said[1:]) if said.startswith("-") else ("", said)
    if fewest == 0 and abs(scaled) < 1:
        said = said.removeprefix("0")
    return sign + found.replace("\0", said, 1)


def _general(number: Decimal, house: House) -> str:
    whole = len(f"{abs(number):f}".partition(".")[0])
    if whole > _DIGITS_AT_MOST:
        return f"{number:.5E}"
    return house.number(number, "0." + "#" * max(1, _DIGITS_AT_MOST - whole - 1))


def _moment(number: Decimal, section: str, house: House, *, since_1904: bool) -> str:
    first = dt.datetime(1904, 1, 1) if since_1904 else dt.datetime(1899, 12, 30)  # noqa: DTZ001  cells know no zones
    try:
        moment = first + dt.timedelta(seconds=round(float(number) * _DAY))
    except OverflowError:
        return _general(number, house)
    return house.date(moment, _pattern(section))


@lru_cache(maxsize=512)
def _pattern(section: str) -> str:
    """The CLDR pattern that says what a code for dates says."""
    tokens = list(_TOKEN.finditer(section))
    fields = [match[5].casefold() if match[5] else "" for match in tokens]
    has_halves = any(match[4] for match in tokens)
    found = ""
    for at, match in enumerate(tokens):
        text, escaped, currency, halves, field, place, other = match.groups()
        if halves:
            found += "a"
        elif field:
            found += _field(field.casefold(), _beside(fields, at), has_halves=has_halves)
        else:
            literal = text or escaped or currency or place or other or ""
            found += "'" + literal.replace("'", "''") + "'" if any(sign.isalpha() for sign in literal) else literal
    return found.strip()


def _beside(fields: list[str], at: int) -> str:
    """The kinds of fields before and behind one."""
    before = next((field[0] for field in reversed(fields[:at]) if field), " ")
    behind = next((field[0] for field in fields[at + 1 :] if field), " ")
    return before + behind


def _field(field: str, beside: str, *, has_halves: bool) -> str:
    kind, count = field[0], len(field)
    if kind == "y":
        return "yy" if count <= 2 else "yyyy"
    if kind == "d":
        return {1: "d", 2: "dd", 3: "EEE"}.get(count, "EEEE")
    if kind == "h":
        return ("h" if has_halves else "H") * min(count, 2)
    if kind == "s":
        return "s" * min(count, 2)
    if beside[0] == "h" or beside[1] == "s":
        return "m" * min(count, 2)
    return {5: "MMMMM"}.get(count, "M" * min(count, 4))
