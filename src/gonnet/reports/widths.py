"""Column widths, settled once for the run from the widest values in it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from reportlab.lib.pagesizes import A4, LETTER
from reportlab.lib.pagesizes import landscape as turned
from reportlab.lib.units import mm

from gonnet.reports.columns import Kind, PlannedColumn
from gonnet.reports.fonts import BOLD, REGULAR, family

MARGIN = 18 * mm
PADDING = 4.5  # points, left and right of a cell's text
SIZE = 8.5
SMALLEST = 6.0
_NARROWEST_TEXT = 20 * mm


def page_size(paper: Literal["A4", "Letter"], *, landscape: bool) -> tuple[float, float]:
    """Width and height of a page in points."""
    size = A4 if paper == "A4" else LETTER
    return turned(size) if landscape else size


def settle_widths(
    columns: Sequence[PlannedColumn],
    samples: Sequence[Sequence[str]],
    paper: Literal["A4", "Letter"],
    *,
    landscape: bool,
) -> tuple[PlannedColumn, ...]:
    """Give every column its width on the page and in a workbook.

    What is too wide for the page first takes room from text columns, which wrap; then the text gets smaller, down to
    6 points; then numbers wrap too. Nothing is cut off.
    """
    room = page_size(paper, landscape=landscape)[0] - 2 * MARGIN
    size = SIZE
    widths = _natural(columns, samples, size, whole_headings=True)
    while sum(widths) > room and size >= SMALLEST:
        widths = _natural(columns, samples, size, whole_headings=False)
        _squeeze(columns, widths, room)
        if sum(widths) > room:
            size -= 0.5
    if sum(widths) > room:
        widths = [width * room / sum(widths) for width in widths]
    elif not any(column.fixed_mm for column in columns):
        widths = [width * min(room / sum(widths), 2.2) for width in widths]
    return tuple(
        replace(column, width=width, font_size=max(size, SMALLEST), characters=_characters(column, texts))
        for column, width, texts in zip(columns, widths, samples, strict=True)
    )


def _natural(
    columns: Sequence[PlannedColumn], samples: Sequence[Sequence[str]], size: float, *, whole_headings: bool
) -> list[float]:
    found = []
    for column, texts in zip(columns, samples, strict=True):
        if column.fixed_mm is not None:
            found.append(column.fixed_mm * mm)
            continue
        body = max((family().width(text, REGULAR, size) for text in texts), default=0.0)
        if column.total is not None:
            body = max((family().width(text, BOLD, size) for text in texts), default=0.0)
        words = [column.label] if whole_headings else column.label.split() or [""]
        heading = max(family().width(word, BOLD, size) for word in words)
        found.append(max(body, heading) + 2 * PADDING)
    return found


def _squeeze(columns: Sequence[PlannedColumn], widths: list[float], room: float) -> None:
    """Take what is too much from the widest text columns, none below a readable width."""
    soft = [i for i, column in enumerate(columns) if column.kind is Kind.TEXT and column.fixed_mm is None]
    for _ in range(len(soft)):
        excess = sum(widths) - room
        wide = [i for i in soft if widths[i] > _NARROWEST_TEXT]
        if excess <= 0 or not wide:
            return
        share = sum(widths[i] for i in wide)
        for i in wide:
            widths[i] = max(_NARROWEST_TEXT, widths[i] - excess * widths[i] / share)


def _characters(column: PlannedColumn, texts: Sequence[str]) -> int:
    longest = max([len(column.label), *(len(text) for text in texts)])
    return min(max(longest + 2, 8), 50)
