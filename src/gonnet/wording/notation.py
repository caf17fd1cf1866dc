"""Numbers as Babel writes them, without asking it for each: a sample says what stands around them."""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import Decimal
from typing import NamedTuple

_QUOTED = re.compile(r"'(?:[^']|'')*'")
_DIGITS = re.compile(r"[#0,.@]+")
_PLAIN = re.compile(r"(#,##)?0(?:\.(0*)#*)?")
_OTHER = re.compile(r"[%‰E*+]")
_LARGE = Decimal("1234567.125")
_SAMPLES = ("0", "0.5", "-0.5", "5", "-12.345", "120.1", "1234.5", "-9999.995", "123456789012.25")


class Notation(NamedTuple):
    """How a number is written.

    Attributes:
        around: What stands before and after a number that is not negative.
        negative: The same of a negative one.
        group: What stands between groups of three digits.
        point: What stands before decimals.
        least: How many decimals are written though they are zeros.
    """

    around: tuple[str, str]
    negative: tuple[str, str]
    group: str
    point: str
    least: int

    def written(self, value: Decimal) -> str:
        """A number that is rounded to the decimals of its pattern."""
        before, after = self.negative if value < 0 else self.around
        return before + _digits(abs(value), self.group, self.point, self.least) + after


def notation_of(
    pattern: str, group: str, point: str, rounded: Callable[[Decimal], Decimal], write: Callable[[Decimal], str]
) -> Notation | None:
    """The notation in which `write` writes rounded numbers; None where it is not of digits in groups of three.

    Args:
        pattern: The CLDR pattern (Unicode Technical Standard 35, part 3).
        group: What the locale has between groups.
        point: What the locale has before decimals.
        rounded: Rounds to the decimals of the pattern.
        write: Writes a rounded number.
    """
    digits = _DIGITS.findall(_QUOTED.sub("", pattern).partition(";")[0])
    found = _PLAIN.fullmatch(digits[0]) if len(digits) == 1 and not _OTHER.search(_QUOTED.sub("", pattern)) else None
    if found is None:
        return None
    group, least = group if found[1] else "", len(found[2] or "")
    large = rounded(_LARGE)
    middle = _digits(large, group, point, least)
    around, negative = write(large).split(middle), write(-large).split(middle)
    if not len(around) == len(negative) == 2:
        return None
    notation = Notation((around[0], around[1]), (negative[0], negative[1]), group, point, least)
    samples = map(rounded, map(Decimal, _SAMPLES))
    return notation if all(notation.written(sample) == write(sample) for sample in samples) else None


def _digits(value: Decimal, group: str, point: str, least: int) -> str:
    whole, _, decimals = f"{value:,f}".partition(".")
    shown = decimals[:least] + decimals[least:].rstrip("0")
    return whole.replace(",", group) + (point + shown if shown else "")
