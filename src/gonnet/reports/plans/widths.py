"""Column widths, found once for the run from the widest values in it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from reportlab.lib.pagesizes import A3, A4, A5, LEGAL, LETTER
from reportlab.lib.pagesizes import landscape as turned
from reportlab.lib.units import mm

from gonnet.jobs.models import Report
from gonnet.jobs.style import Style
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
    width, height = turned(_PAPERS[paper]) if report.landscape else _PAPERS[paper]
    top, right, bottom, left = (part * mm for part in report.margins or style.margins)
    return PageForm(
        paper=paper,
        landscape=report.landscape,
        width=width,
        height=height,
        margins=(top, right, bottom, left),
        watermark=report.watermark or style.watermark,
    )


def fit_widths(
    columns: Sequence[ColumnPlan], samples: Sequence[Sequence[str]], room: float, look: Look
) -> tuple[ColumnPlan, ...]:
    """Give every column its width on the page (`room` points wide) and in a workbook.

    What is too wide for the page first takes room from text columns, which wrap; then the text gets smaller, down to
    6 points. What is too wide even then goes on beside itself, on other pages. Nothing is cut off.
    """
    size, faces = SIZE * look.scale, family(look.fonts)
    widths = _natural(columns, samples, size, room, faces, whole_headings=True)
    while sum(widths) > room and size >= SMALLEST:
        widths = _natural(columns, samples, size, room, faces, whole_headings=False)
        _squeeze(columns, widths, room)
        if sum(widths) > room:
            size -= 0.5
    if sum(widths) <= room and all(column.fixed == "auto" for column in columns):
        widths = [width * min(room / sum(widths), 2.2) for width in widths]
    return tuple(
        replace(column, width=width, font_size=max(size, SMALLEST), characters=_characters(column, texts))
        for column, width, texts in zip(columns, widths, samples, strict=True)
    )


def panels(columns: Sequence[ColumnPlan], keep: int, room: float) -> list[tuple[int, ...]]:
    """The columns of a table in sets that fit the page, each beginning with the first `keep` columns."""
    kept = tuple(range(keep))
    taken = sum(column.width for column in columns[:keep])
    if taken > room / 2:
        kept, taken = (), 0.0
    found, used = [list(kept)], taken
    for index in range(len(kept), len(columns)):
        if used + columns[index].width > room + 0.01 and len(found[-1]) > len(kept):
            found.append(list(kept))
            used = taken
        found[-1].append(index)
        used += columns[index].width
    return [tuple(panel) for panel in found]


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
        words = [column.label] if whole_headings else column.label.split() or [""]
        heading = max(faces.width(word, BOLD, size) for word in words)
        found.append(min(max(body, heading) + 2 * PADDING, room))
    return found


def _squeeze(columns: Sequence[ColumnPlan], widths: list[float], room: float) -> None:
    """Take what is too much from the widest text columns, none below a readable width."""
    soft = [i for i, column in enumerate(columns) if column.kind is ValueKind.TEXT and column.fixed == "auto"]
    for _ in range(len(soft)):
        excess = sum(widths) - room
        wide = [i for i in soft if widths[i] > _NARROWEST_TEXT]
        if excess <= 0 or not wide:
            return
        share = sum(widths[i] for i in wide)
        for i in wide:
            widths[i] = max(_NARROWEST_TEXT, widths[i] - excess * widths[i] / share)


def _characters(column: ColumnPlan, texts: Sequence[str]) -> int:
    longest = max([len(column.label), *(len(text) for text in texts)])
    return min(max(longest + 2, 8), 50)
