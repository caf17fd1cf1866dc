"""Numbers as people and programs of many countries write them: `1.234,56`, `(1'234.56)`, `12,50- €`, `8 %`."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property

from gonnet.data.engine import quoted
from gonnet.data.types.kinds import Number
from gonnet.errors import JobError

_SPACES = "\u0020\u00a0\u202f\u2009"
_GROUPS = {".": r"\.", ",": ",", " ": f"[{_SPACES}]", "'": "['’]", "": ""}
_MINUS = "[-−]"
_SIGNS = "[$¢£¤¥֏؋৳฿៛₠-⃏]"
_BLANK = f"[{_SPACES}]?"
_CURRENCY = rf"(?:{_SIGNS}|[A-Z]{{1,2}}{_SIGNS}|[A-Z]{{3}}|kr\.?|Kč|zł|Ft|Fr\.?|lei)"
_DIGIT = re.compile("[0-9]")
_BESIDE = re.compile(rf"[0-9.,'’()%+\-−{_SPACES}$¢£¤¥֏؋৳฿៛₠-⃏]+")
_WORDS = re.compile("(?:[A-Z]{1,3}|kr|Kč|zł|Ft|Fr|lei){0,2}")
_SAMPLE = re.compile(r"^[0-9]{1,3}(?P<group>[.,' ’_]?)[0-9]{3}(?:(?P<decimal>[.,])[0-9]+)?$")


@dataclass(frozen=True)
class Notation(Number):
    """Numbers of which the signs between the digits are known.

    Attributes:
        group: What stands between groups of three digits: `.`, `,`, a blank, `'`, or nothing.
        decimal_sign: What stands before the decimals: `.` or `,`.
        is_named: Whether the job says so; then signs of currencies, per cent, minus signs behind and parentheses are
            read too, which alone would not show that a text is a number.
        is_percent: Whether all are percentages: `8 %` is 0.08.
    """

    group: str
    decimal_sign: str
    is_named: bool = False
    is_percent: bool = False

    @property
    def shown(self) -> str:
        """A number in this notation, by which it is named."""
        return f"1{self.group}234{self.decimal_sign}56"

    @property
    def line(self) -> str:  # type: ignore[override]
        """What to write in the job."""
        return f'numbers: "{self.shown}"'

    @property
    def note(self) -> str:  # type: ignore[override]
        """How they are written."""
        return f"numbers written as {self.shown}" + (", per cent" if self.is_percent else "")

    @property
    def scale(self) -> int:
        """Per cent are hundredths."""
        return 2 if self.is_percent else 0

    @cached_property
    def _pattern(self) -> str:
        group, decimal = _GROUPS[self.group], re.escape(self.decimal_sign)
        grouped = f"[1-9][0-9]{{0,2}}(?:{group}[0-9]{{3}}){{1,9}}|" if group else ""
        whole = f"(?:{grouped}0|[1-9][0-9]{{0,27}})"
        digits = f"{whole}(?:{decimal}[0-9]{{1,10}})?"
        pad = f"[{_SPACES}]*"
        if not self.is_named:
            return f"{pad}{_MINUS}?{digits}{pad}"
        digits = f"(?:{digits}|{decimal}[0-9]{{1,10}})"
        before, behind = f"(?:{_CURRENCY}{_BLANK})?", f"(?:{_BLANK}{_CURRENCY})?"
        percent = f"{_BLANK}%" if self.is_percent else ""
        signed = f"(?:[-−+]{_BLANK}{before}|{before}[-−+]?{_BLANK}){digits}{behind}{percent}"
        trailing = f"{before}{digits}{_BLANK}{_MINUS}{behind}{percent}"
        enclosed = f"\\({before}{digits}{behind}{percent}\\)"
        return f"{pad}(?:{signed}|{trailing}|{enclosed}){pad}"

    @cached_property
    def _compiled(self) -> re.Pattern[str]:
        return re.compile(self._pattern)

    def fits(self, text: str) -> bool:
        """Whether `text` is a number in this notation."""
        return may_fit(text) and self._compiled.fullmatch(text) is not None

    def test(self, column: str) -> str:
        """SQL for the same."""
        return f"regexp_full_match({quoted(column)}, {_literal(self._pattern)})"

    def plain(self, column: str) -> str:
        """The digits, the decimal sign as a dot, a minus before them."""
        name = quoted(column)
        digits = f"regexp_replace({name}, '[^0-9{self.decimal_sign}]', '', 'g')"
        if self.decimal_sign != ".":
            digits = f"replace({digits}, '{self.decimal_sign}', '.')"
        elif self.is_named:  # the dot of `kr.` and `Fr.`
            digits = f"trim(regexp_replace(regexp_replace({name}, '[A-Za-z]+\\.', '', 'g'), '[^0-9.]', '', 'g'))"
        return f"(case when regexp_matches({name}, '[-−(]') then '-' else '' end || {digits})"

    def currency(self, column: str) -> str:
        """SQL for the currency that stands beside the number of a column."""
        return f"regexp_extract({quoted(column)}, {_literal(_CURRENCY)})"

    def as_percent(self) -> Notation:
        """The same for percentages."""
        return Notation(self.group, self.decimal_sign, is_named=self.is_named, is_percent=True)


def may_fit(text: str) -> bool:
    """Whether a text has what a number has in any notation: it tells most texts before a pattern is compiled."""
    found = _DIGIT.search(text)
    if found is None:
        return False
    at = found.start()
    begins_with_zero = text[at] == "0" and text[at + 1 : at + 2].isdigit() and text[at - 1 : at] not in (".", ",")
    return not begins_with_zero and _WORDS.fullmatch(_BESIDE.sub("", text)) is not None


NOTATIONS = (
    Notation(".", ","),
    Notation(",", "."),
    Notation(" ", ","),
    Notation("'", "."),
    Notation(" ", "."),
)
"""Those that are told from one another by what is there."""


def notation_of(sample: str, where: str) -> Notation:
    """The notation of which `sample` is a number: `1.234,56`, `1,234.56`, `1 234,56`, `1'234.56`, `1234,56`.

    Raises:
        JobError: the sample shows none.
    """
    found = _SAMPLE.fullmatch(re.sub(f"[{_SPACES}]", " ", sample))
    group, decimal = (found["group"].replace("’", "'"), found["decimal"]) if found else ("", None)
    if decimal is None or group == decimal or group == "_":
        fix = 'Write 1234 and decimals as the file does: "1.234,56", "1,234.56", "1 234,56", "1\'234.56" or "1234,56"'
        raise JobError(f"'{sample}' does not show how numbers are written", where=where, fix=fix)
    return Notation(group, decimal, is_named=True)


def _literal(pattern: str) -> str:
    return "'" + pattern.replace("'", "''") + "'"
