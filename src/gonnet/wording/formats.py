"""Numbers and dates as the house writes them: Unicode CLDR patterns, through Babel.

Money and other decimals are rounded once, half away from zero, before they are formatted, so that the PDF, the
workbook and the message show the same cents.
"""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Context, Decimal, localcontext
from functools import lru_cache, partial

from babel import Locale, dates, numbers

from gonnet.wording.languages import windows_language
from gonnet.wording.notation import Notation, notation_of
from gonnet.wording.words import Words, words_of

_NUMBER = re.compile(r"^[^0#]*[#,]*[0,]+(?:\.0*#*)?[^0#]*$")
_DIGITS = re.compile(r"[#0][#0,]*(?:\.[#0]+)?")
_QUOTED = re.compile(r"'(?:[^']|'')*'")
_DATE_FIELDS = re.compile(r"'[^']*'|([a-zA-Z])\1*")
_TIME_LETTERS = frozenset("Hhmsa")
_KNOWN_DATE_LETTERS = frozenset("yMLdE") | _TIME_LETTERS
_LONG = Context(prec=60)

Number = int | float | Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class House:
    """The conventions of one language and territory that shape every figure.

    Attributes:
        locale: CLDR name, such as `en_IE`.
        currency: ISO 4217 code, or None where the workspace gives none; `money` then shows a plain number.
    """

    locale: str = "en"
    currency: str | None = None

    @property
    def words(self) -> Words:
        """What documents say where the job says nothing."""
        return words_of(self.locale)

    @property
    def decimal_sign(self) -> str:
        """What stands before decimals."""
        return numbers.get_decimal_symbol(self.locale)

    def number(self, value: Number, pattern: str = "#,##0.###") -> str:
        """`value` by a CLDR number pattern, rounded half away from zero to the pattern's decimals."""
        places = decimals_of(pattern)
        if (notation := _notation(self.locale, pattern)) is not None:
            return notation.written(rounded_half_up(Decimal(str(value)), places))
        scaled = Decimal(str(value)) * (100 if "%" in pattern else 1)
        rounded = rounded_half_up(scaled, places) / (100 if "%" in pattern else 1)
        return _written(rounded, pattern, self.locale)

    def money(self, value: Number, currency: str | None = None) -> str:
        """`value` with a currency, that of the house when None, and that currency's own number of decimals.

        Raises:
            ValueError: there is no such currency (ISO 4217).
        """
        currency = currency or self.currency
        if currency is None:
            return self.number(value, "#,##0.00")
        if currency not in _currencies():
            raise ValueError(f"'{currency}' is no currency; write its code of three letters, such as EUR")
        places = numbers.get_currency_precision(currency)
        rounded = rounded_half_up(Decimal(str(value)), places)
        notation = _money_notation(self.locale, currency)
        return notation.written(rounded) if notation is not None else _written_money(rounded, currency, self.locale)

    def money_pattern(self, currency: str, pattern: str | None = None) -> str:
        """The number pattern by which amounts of a currency are written, such as `'€'#,##0.00`.

        Args:
            currency: ISO 4217 code; empty for amounts whose currency is not known.
            pattern: How the number is written; with the currency's own number of decimals when None.

        Raises:
            ValueError: there is no such currency.
        """
        if not currency:
            return pattern or "#,##0.00"
        if currency not in _currencies():
            raise ValueError(f"'{currency}' is no currency; write its code of three letters, such as EUR")
        usual = str(Locale.parse(self.locale).currency_formats["standard"].pattern)
        places = numbers.get_currency_precision(currency)
        symbol = "'" + numbers.get_currency_symbol(currency, locale=self.locale).replace("'", "''") + "'"
        return _DIGITS.sub(lambda found: pattern or _with_places(found[0], places), usual).replace("¤", symbol)

    def date(self, value: dt.date, pattern: str | None = None) -> str:
        """`value` by a CLDR date pattern; without one, the locale's medium form."""
        if isinstance(value, dt.datetime) and pattern is not None:
            return dates.format_datetime(value, pattern, locale=self.locale)
        if isinstance(value, dt.datetime):
            return dates.format_datetime(value, "medium", locale=self.locale)
        if pattern is not None and has_time(pattern):
            raise ValueError(f"the pattern '{pattern}' has a time, and {value} is a date without one")
        return dates.format_date(value, pattern or "medium", locale=self.locale)

    def time(self, value: dt.datetime, pattern: str | None = None) -> str:
        """The time of day of `value` by a CLDR pattern; without one, the locale's short form."""
        return dates.format_time(value, pattern or "short", locale=self.locale)

    def medium_date_pattern(self) -> str:
        """The locale's medium date pattern, such as `d MMM y`."""
        return str(Locale.parse(self.locale).date_formats["medium"].pattern)

    def plain(self, value: object) -> str:
        """Any value as a reader expects it when no pattern was given; the empty string for None."""
        match value:
            case None:
                return ""
            case bool():
                return self.words.yes if value else self.words.no
            case dt.date():
                return self.date(value)
            case Decimal():
                places = max(0, -int(value.as_tuple().exponent)) if value.is_finite() else 0
                return self.number(value, "#,##0." + "0" * places if places else "#,##0")
            case float():
                return self.number(value)
            case _:
                return str(value)


def _with_places(digits: str, places: int) -> str:
    return digits.partition(".")[0] + ("." + "0" * places if places else "")


@lru_cache(maxsize=1)
def _currencies() -> frozenset[str]:
    return frozenset(numbers.list_currencies())


@lru_cache(maxsize=256)
def _notation(locale: str, pattern: str) -> Notation | None:
    """The notation of a pattern for which Babel need not be asked each time."""
    places = decimals_of(pattern)
    group, point = numbers.get_group_symbol(locale), numbers.get_decimal_symbol(locale)
    rounded, write = partial(rounded_half_up, places=places), partial(_written, pattern=pattern, locale=locale)
    return notation_of(pattern, group, point, rounded, write)


@lru_cache(maxsize=256)
def _money_notation(locale: str, currency: str) -> Notation | None:
    """The same for amounts of a currency."""
    places = numbers.get_currency_precision(currency)
    pattern = "#,##0." + "0" * places if places else "#,##0"
    group, point = numbers.get_group_symbol(locale), numbers.get_decimal_symbol(locale)
    rounded, write = partial(rounded_half_up, places=places), partial(_written_money, currency=currency, locale=locale)
    return notation_of(pattern, group, point, rounded, write)


def _written(rounded: Decimal, pattern: str, locale: str) -> str:
    with localcontext() as context:
        context.prec = 60
        return numbers.format_decimal(rounded, format=pattern, locale=locale)


def _written_money(rounded: Decimal, currency: str, locale: str) -> str:
    with localcontext() as context:
        context.prec = 60
        return numbers.format_currency(rounded, currency, locale=locale)


def rounded_half_up(value: Decimal, places: int) -> Decimal:
    """`value` with exactly `places` decimals, halves away from zero, whatever its size; never a negative zero."""
    rounded = value.quantize(_unit(places), rounding=ROUND_HALF_UP, context=_LONG)
    return rounded if rounded else rounded.copy_abs()


@lru_cache(maxsize=64)
def _unit(places: int) -> Decimal:
    return Decimal(1).scaleb(-places)


@lru_cache(maxsize=256)
def decimals_of(pattern: str) -> int:
    """The largest number of decimals a CLDR number pattern shows (`#,##0.00` → 2)."""
    _, _, fraction = _QUOTED.sub("", pattern).split(";")[0].partition(".")
    return sum(1 for sign in fraction if sign in "0#")


def is_number_pattern(pattern: str) -> bool:
    """Whether `pattern` is a number pattern this house can write."""
    if not _NUMBER.match(pattern.split(";")[0]):
        return False
    try:
        numbers.parse_pattern(pattern)
    except ValueError:
        return False
    return True


def is_date_pattern(pattern: str) -> bool:
    """Whether `pattern` uses only the date fields this house can write, in a PDF and in a workbook."""
    letters = [found.group(1) for found in _DATE_FIELDS.finditer(pattern) if found.group(1)]
    return bool(letters) and all(letter in _KNOWN_DATE_LETTERS for letter in letters)


@lru_cache(maxsize=256)
def has_time(pattern: str) -> bool:
    """Whether a date pattern shows hours, minutes, seconds or what belongs to them."""
    return any(found.group(1) in _TIME_LETTERS for found in _DATE_FIELDS.finditer(pattern) if found.group(1))


@lru_cache(maxsize=256)
def excel_pattern(pattern: str, *, is_date: bool = False, locale: str | None = None) -> str:
    """The workbook number format (ECMA-376, 18.8.31) that shows what the CLDR pattern shows.

    Names of months and days are those of `locale`, whatever the language of the program that opens the workbook.
    """
    if not is_date:
        return _QUOTED.sub(
            lambda found: '"' + found[0][1:-1].replace("''", "'").replace('"', "") + '"', pattern.replace("¤", "")
        )
    named = any(found[0].startswith(("MMM", "LLL", "E")) for found in _DATE_FIELDS.finditer(pattern))
    language = windows_language(locale) if named and locale else None
    return (f"[$-{language:X}]" if language else "") + _DATE_FIELDS.sub(_excel_date_field, pattern)


def _excel_date_field(found: re.Match[str]) -> str:
    field, letter = found.group(0), found.group(1)
    match letter:
        case None:
            return '"' + field[1:-1] + '"'
        case "y":
            return "yy" if len(field) == 2 else "yyyy"
        case "M" | "L":
            return "m" * len(field)
        case "E":
            return "dddd" if len(field) == 4 else "ddd"
        case "a":
            return "AM/PM"
        case "H" | "h":
            return "h" * len(field)
        case _:
            return field
