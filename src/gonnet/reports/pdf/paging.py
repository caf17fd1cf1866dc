"""Laying blocks on pages from top to bottom."""

from __future__ import annotations

from collections.abc import Sequence

from gonnet.reports.pdf.blocks import Block, SpaceFlow
from gonnet.reports.pdf.texts import TextFlow

Placed = tuple[Block, float]
"""A block and the height of its upper edge above the page's lower edge."""


def paginated(blocks: Sequence[Block], top: float, bottom: float) -> list[list[Placed]]:
    """Lay blocks between two heights, splitting what does not fit; what cannot be split begins a page.

    Raises:
        ValueError: a block is taller than a page, and cannot be split.
    """
    pages: list[list[Placed]] = [[]]
    y, gap, page = top, 0.0, top - bottom
    waiting = list(reversed(blocks))
    while waiting:
        block = waiting.pop()
        if isinstance(block, SpaceFlow) and (block.ends_page or not pages[-1]):
            if pages[-1]:
                pages.append([])
                y, gap = top, 0.0
            continue
        gap = max(gap, block.before) if pages[-1] else 0.0
        room = y - gap - bottom
        stays_alone = waiting and not _begins(waiting[-1], room - block.height, page)
        if isinstance(block, TextFlow) and block.outline and pages[-1] and stays_alone:
            waiting.append(block)
        elif block.height <= room + 0.01:
            pages[-1].append((block, y - gap))
            y, gap = y - gap - block.height, block.after
            continue
        elif parts := block.split(room, page):
            first, *rest = parts
            pages[-1].append((first, y - gap))
            waiting += reversed(rest)
        elif pages[-1]:
            waiting.append(block)
        else:  # taller than a page and not to be split: never cut off silently
            raise ValueError(f"a block of {block.height:.0f} points does not fit a page")
        pages.append([])
        y, gap = top, 0.0
    if len(pages) > 1 and not pages[-1]:
        pages.pop()
    return pages


def _begins(block: Block, room: float, page: float) -> bool:
    """Whether the beginning of a block finds room."""
    return block.height <= room or bool(room > 0 and block.split(room, page))
