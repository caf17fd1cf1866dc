"""Areas of cells such as `B2:D9`, and where they are once rows were left out (ECMA-376, part 1, 18.2.2)."""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence

_AREA = re.compile(r"(\$?[A-Z]{1,3})(\$?)(\d+)(?::(\$?[A-Z]{1,3})(\$?)(\d+))?")
_REFERENCE = re.compile(r"(?<![A-Za-z0-9_.$])(\$?[A-Z]{1,3})(\$?)(\d+)(?![\w(.])")
_TEXT = re.compile(r'"(?:[^"]|"")*"')
_WORD = re.compile(r"[A-Za-z_\\][\w.\\]*(?!\s*[\w(.])")
_CELL = re.compile(r"\$?[A-Za-z]{1,3}\$?\d+|\$?[A-Z]{1,3}")
_ELSEWHERE = re.compile(r"[!\[\]#]|\b(?:INDIRECT|OFFSET|HYPERLINK|WEBSERVICE|RTD|CUBE\w+)\s*\(", re.IGNORECASE)


class RowMap:
    """Where the rows of a sheet are in a part of it.

    Attributes:
        kept: The numbers of the rows that are kept, in order.
        new: Row → its number in the part.
    """

    def __init__(self, kept: Sequence[int], header: int) -> None:
        self.kept = kept
        body = [number for number in kept if number > header]
        self.new: Mapping[int, int] = {
            **{number: number for number in range(1, header + 1)},
            **{number: at for at, number in enumerate(body, header + 1)},
        }
        self._all = sorted(self.new)

    def rows(self, first: int, last: int) -> tuple[int, int] | None:
        """Where rows from `first` to `last` are; None where none of them is kept."""
        there = [self.new[row] for row in self._all[bisect_left(self._all, first) : bisect_right(self._all, last)]]
        return (min(there), max(there)) if there else None

    def area(self, text: str) -> str | None:
        """Where an area is; None where none of its rows is kept."""
        found = _AREA.fullmatch(text)
        if found is None:
            return text if ":" in text else None  # whole columns
        left, fixed, first, right, to_fixed, last = found.groups()
        rows = self.rows(int(first), int(last or first))
        if rows is None:
            return None
        begin = f"{left}{fixed}{rows[0]}"
        return begin if right is None else f"{begin}:{right}{to_fixed}{rows[1]}"

    def areas(self, text: str) -> str:
        """Where several areas are, with blanks between them; empty where none of their rows is kept."""
        return " ".join(found for part in text.split() if (found := self.area(part)) is not None)


def first_row(areas: str) -> int:
    """The first row of areas, from which relative references of their formulas count."""
    found = [int(match[3]) for part in areas.split() if (match := _AREA.fullmatch(part))]
    return min(found, default=1)


def stays_in_sheet(formula: str) -> bool:
    """Whether a formula refers to cells of its own sheet alone, and to no name."""
    plain = _TEXT.sub('""', formula)
    if _ELSEWHERE.search(formula) or _ELSEWHERE.search(plain):
        return False
    words = (word[0] for word in _WORD.finditer(plain))
    return all(_CELL.fullmatch(word) or word.upper() in ("TRUE", "FALSE", "E") for word in words)


def texts_of(formula: str) -> list[str]:
    """The texts that stand in a formula."""
    return [text[1:-1].replace('""', '"') for text in _TEXT.findall(formula)]


def moved(formula: str, was: int, now: int, rows: RowMap) -> str | None:
    """A formula for cells from row `was` on, for cells from row `now` on; None where it needs a row that is gone."""
    lost = False

    def other(match: re.Match[str]) -> str:
        nonlocal lost
        column, fixed, number = match[1], match[2], int(match[3])
        row = rows.new.get(number) if fixed else number - was + now
        lost = lost or row is None or row < 1
        return f"{column}{fixed}{row}"

    parts = _TEXT.split(formula)
    texts = _TEXT.findall(formula)
    plain = [_REFERENCE.sub(other, part) for part in parts]
    if lost:
        return None
    return "".join(part + text for part, text in zip(plain, [*texts, ""], strict=True))
