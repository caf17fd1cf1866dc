"""Column widths, found once for the run from the widest values in it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from reportlab.lib.pagesizes import A3, A4, A5, LEGAL, LETTER
from reportlab.lib.pagesizes import landscape as turned
from reportlab.lib.units import mm

from gonnet.jobs.reports import Report
from gonnet.jobs.style import Paper, Style
from gonnet.reports.fonts import BOLD, REGULAR, Family, family
from gonnet.reports.plans.columns import ColumnPlan, ValueKind
from gonnet.reports.plans.models import Look, PageForm

_PAPERS = {"A3": A3, "A4": A4, "A5": A5, "Letter": LETTER, "Legal": LEGAL}
POINTS = mm
"""Points of a millimetre."""
PADDING = 4.5  # points, left and right of a cell's text
SIZE = 8.5
SMALLEST = 6.0
_NARROWEST_TEXT = 20 * mm


def page_form(report: Report, style: Style) -> PageForm:
    """The form of a report's pages: what it says itself, else the house style."""
    paper = report.paper or style.paper
    width, height = paper_size(paper, landscape=report.landscape)
    top, right, bottom, left = (part * mm for part in report.margins or style.margins)
    return PageForm(
        paper=paper,
        landscape=report.landscape,
        width=width,
        height=height,
        margins=(top, right, bottom, left),
        watermark=report.watermark or style.watermark,
    )


def paper_size(paper: Paper, *, landscape: bool) -> tuple[float, float]:
    """Width and height of a page, in points."""
    return turned(_PAPERS[paper]) if landscape else _PAPERS[paper]


def fit_widths(
    columns: Sequence[ColumnPlan], samples: Sequence[Sequence[str]], room: float, look: Look, keep: int = 1
) -> tuple[ColumnPlan, ...]:
    """Give every column its width on the page (`room` points wide) and in a workbook.

    What is too wide for the page first takes room from text columns, which wrap; then the text gets smaller, down to
    6 points. What is too wide even then goes on beside itself, on other pages, where the first `keep` columns are
    repeated, in letters as large as so many pages allow. Nothing is cut off, and no word of a heading while there is
    room.
    """
    faces, usual = family(look.fonts), SIZE * look.scale
    size, widths = usual, _natural(columns, samples, usual, room, faces, whole_headings=True)
    if sum(widths) > room:
        size, widths = _fitted(columns, samples, room, faces, usual) or _beside(
            columns, samples, room, faces, usual, keep
        )
    if sum(widths) <= room and all(column.fixed == "auto" for column in columns):
        widths = [width * min(room / sum(widths), 2.2) for width in widths]
    _widen(columns, widths, size, room, faces)
    return tuple(
        replace(column, width=width, font_size=size, characters=_characters(column, texts))
        for column, width, texts in zip(columns, widths, samples, strict=True)
    )


Sized = tuple[float, list[float]]
"""The size of the text in points, and the width of each column."""


def _fitted(
    columns: Sequence[ColumnPlan], samples: Sequence[Sequence[str]], room: float, faces: Family, usual: float
) -> Sized | None:
    """The largest text with which the columns fit the page, texts wrapped; None where none does."""
    for size in _sizes(usual):
        widths = _natural(columns, samples, size, room, faces, whole_headings=False)
        _squeeze(columns, widths, size, room, faces)
        if sum(widths) <= room:
            return size, widths
    return None


def _beside(
    columns: Sequence[ColumnPlan], samples: Sequence[Sequence[str]], room: float, faces: Family, usual: float, keep: int
) -> Sized:
    """The largest text with which the columns need no more blocks than with the smallest one."""
    found = []
    for size in _sizes(usual):
        widths = _natural(columns, samples, size, room, faces, whole_headings=False)
        most = [max(room / 3, _longest_word(column, size, faces) + 2 * PADDING) for column in columns]
        found.append(
            (
                size,
                [
                    min(width, top) if _wraps(column) else width
                    for column, width, top in zip(columns, widths, most, strict=True)
                ],
            )
        )
    least = len(_blocks(found[-1][1], keep, room))
    return next(sized for sized in found if len(_blocks(sized[1], keep, room)) <= least)


def _sizes(usual: float) -> list[float]:
    """Sizes of text to try, the largest first."""
    steps = int((usual - SMALLEST) / 0.5) if usual > SMALLEST else 0
    return [*(usual - 0.5 * step for step in range(steps + 1)), *([SMALLEST] if usual > SMALLEST else [])]


def panels(columns: Sequence[ColumnPlan], keep: int, room: float) -> list[tuple[int, ...]]:
    """The columns of a table in sets that fit the page and are about as wide, each with the first `keep` columns."""
    return _blocks([column.width for column in columns], keep, room)


def _blocks(widths: Sequence[float], keep: int, room: float) -> list[tuple[int, ...]]:
    if sum(widths) <= room + 0.01:
        return [tuple(range(len(widths)))]
    kept, taken = keep, sum(widths[:keep])
    if taken > room / 2:
        kept, taken = 0, 0.0
    low, high = 0.0, room - taken + 0.01
    count = len(_filled(widths, kept, high))
    for _ in range(20):  # the narrowest blocks of which there are no more
        middle = (low + high) / 2
        low, high = (low, middle) if len(_filled(widths, kept, middle)) <= count else (middle, high)
    return [(*range(kept), *block) for block in _filled(widths, kept, high)]


def _filled(widths: Sequence[float], begin: int, most: float) -> list[list[int]]:
    """The columns from `begin` on in blocks that are no wider than `most`, unless one column alone is."""
    found: list[list[int]] = [[]]
    used = 0.0
    for at in range(begin, len(widths)):
        if found[-1] and used + widths[at] > most:
            found.append([])
            used = 0.0
        found[-1].append(at)
        used += widths[at]
    return found


def _natural(
    columns: Sequence[ColumnPlan],
    samples: Sequence[Sequence[str]],
    size: float,
    room: float,
    faces: Family,
    *,
    whole_headings: bool,
) -> list[float]:
    found = []
    for column, texts in zip(columns, samples, strict=True):
        if isinstance(column.fixed, float):
            found.append(min(column.fixed * mm, room))
            continue
        if column.fixed != "auto":
            found.append(room * int(column.fixed.removesuffix("%")) / 100)
            continue
        body = max((faces.width(text, REGULAR, size) for text in texts), default=0.0)
        if column.total is not None:
            body = max((faces.width(text, BOLD, size) for text in texts), default=0.0)
        heading = faces.width(column.label, BOLD, size) if whole_headings else _longest_word(column, size, faces)
        found.append(min(max(body, heading) + 2 * PADDING, room))
    return found


def _longest_word(column: ColumnPlan, size: float, faces: Family) -> float:
    """The width of the longest word of a heading."""
    return max(faces.width(word, BOLD, size) for word in column.label.split() or [""])


def _wraps(column: ColumnPlan) -> bool:
    """Whether a column may be narrower than its longest value."""
    return column.kind is ValueKind.TEXT and column.fixed == "auto"


def _squeeze(columns: Sequence[ColumnPlan], widths: list[float], size: float, room: float, faces: Family) -> None:
    """Take what is too much from the widest text columns, none below a readable width or a word of its heading."""
    soft = {
        at: min(widths[at], max(_NARROWEST_TEXT, _longest_word(column, size, faces) + 2 * PADDING))
        for at, column in enumerate(columns)
        if _wraps(column)
    }
    for _ in range(len(soft)):
        excess = sum(widths) - room
        wide = [at for at, narrowest in soft.items() if widths[at] > narrowest]
        if excess <= 0 or not wide:
            return
        share = sum(widths[at] for at in wide)
        for at in wide:
            widths[at] = max(soft[at], widths[at] - excess * widths[at] / share)


def _widen(columns: Sequence[ColumnPlan], widths: list[float], size: float, room: float, faces: Family) -> None:
    """Give columns whose width the job says what a word of their heading lacks, while there is room."""
    for at, column in enumerate(columns):
        lacks = _longest_word(column, size, faces) + 2 * PADDING - widths[at]
        if column.fixed != "auto" and 0 < lacks <= room - sum(widths):
            widths[at] += lacks


def _characters(column: ColumnPlan, texts: Sequence[str]) -> int:
    longest = max([len(column.label), *(len(text) for text in texts)])
    return min(max(longest + 2, 8), 50)
