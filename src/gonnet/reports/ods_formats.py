"""How cells of OpenDocument spreadsheets show numbers and dates (ISO/IEC 26300-3, 16.29): styles from CLDR patterns."""

from __future__ import annotations

import re
from collections.abc import Iterator
from xml.sax.saxutils import escape, quoteattr

_NUMBER = re.compile(
    r"(?P<before>(?:'[^']*'|[^#0,.'])*)(?P<whole>[#0,]+)(?:\.(?P<places>[#0]+))?(?P<after>.*)", re.DOTALL
)
_FIELD = re.compile(r"'((?:[^']|'')*)'|([A-Za-z])\2*|([^A-Za-z']+)")
_LONG = ' number:style="long"'
_TEXTUAL = 3  # letters from which a month is its name


def number_style(name: str, pattern: str) -> str:
    """A style of numbers; empty for a pattern that is none here.

    Args:
        name: What it is called.
        pattern: Such as `#,##0.00` or `0.0 '%'`; its part for negative numbers, after `;`, is not looked at.
    """
    found = _NUMBER.fullmatch(pattern.partition(";")[0].replace("¤", ""))
    if found is None or "E" in _bare(found["after"]):
        return ""
    places = found["places"] or ""
    digits = max(found["whole"].rpartition(",")[2].count("0"), 1) if "0" in found["whole"] else 0
    kind = "percentage" if "%" in _bare(found["before"] + found["after"]) else "number"
    grouped = ' number:grouping="true"' if "," in found["whole"] else ""
    return (
        f"<number:{kind}-style style:name={quoteattr(name)}>{_text(found['before'])}"
        f'<number:number number:decimal-places="{len(places)}" number:min-decimal-places="{places.count("0")}" '
        f'number:min-integer-digits="{digits}"{grouped}/>{_text(found["after"])}</number:{kind}-style>'
    )


def date_style(name: str, pattern: str, language: str) -> str:
    """A style of dates and moments, with the names of months and days of a language.

    Args:
        name: What it is called.
        pattern: Such as `d MMM y`.
        language: As BCP 47 has it.
    """
    own, _, place = language.replace("_", "-").partition("-")
    country = f" number:country={quoteattr(place)}" if re.fullmatch("[A-Z]{2}", place) else ""
    return (
        f"<number:date-style style:name={quoteattr(name)} number:language={quoteattr(own)}{country} "
        f'number:automatic-order="false">{"".join(_fields(pattern))}</number:date-style>'
    )


def _fields(pattern: str) -> Iterator[str]:
    for found in _FIELD.finditer(pattern):
        said, letter, between = found[1], found[2], found[3]
        if letter is None:
            yield _said(between if between is not None else said.replace("''", "'") or "'")
            continue
        yield _field(letter, len(found[0]))


def _field(letter: str, count: int) -> str:
    long, full = _LONG if count > 1 else "", _LONG if count > _TEXTUAL else ""
    match letter:
        case "y":
            return f"<number:year{'' if count == 2 else _LONG}/>"
        case "M" | "L":
            return f'<number:month number:textual="true"{full}/>' if count >= _TEXTUAL else f"<number:month{long}/>"
        case "d":
            return f"<number:day{long}/>"
        case "E" | "c":
            return f"<number:day-of-week{full}/>"
        case "H" | "h" | "k" | "K":
            return f"<number:hours{long}/>"
        case "m":
            return f"<number:minutes{long}/>"
        case "s":
            return f"<number:seconds{long}/>"
        case "a":
            return "<number:am-pm/>"
        case _:
            return ""


def _bare(text: str) -> str:
    """What is not quoted."""
    return re.sub("'[^']*'", "", text)


def _text(text: str) -> str:
    return _said(re.sub("'([^']*)'", r"\1", text))


def _said(text: str) -> str:
    return f"<number:text>{escape(text)}</number:text>" if text else ""
