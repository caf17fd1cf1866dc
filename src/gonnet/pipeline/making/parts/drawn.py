"""Arrivals whose parts become pages only when they are drawn."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING

from gonnet.pipeline.making.parts.kit import Rows

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter
    from gonnet.reports import Look


class DrawnSource(ABC):
    """Keeps what was drawn for a package until it is made."""

    def __init__(self) -> None:
        self._drawn: dict[Rows, Cutter] = {}

    @abstractmethod
    def draw(self, rows: Rows, title: str, look: Look, *, is_locked: bool = False) -> tuple[bytes, int]:
        """The part that some rows are, as a PDF, and how many pages it has."""

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """The same as pages, each with its number there."""
        from gonnet.arrivals.cutting import Cutter

        rows = tuple(rows)
        if rows not in self._drawn:
            self._drawn[rows] = Cutter(self.draw(rows, "", look)[0])
        cutter = self._drawn[rows]
        return [(cutter, number) for number in range(1, cutter.pages + 1)]

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """None of its pages is a picture."""
        return 0, len(rows)

    def rest(self) -> None:
        """Close what was drawn for a package."""
        for cutter in self._drawn.values():
            cutter.close()
        self._drawn.clear()
