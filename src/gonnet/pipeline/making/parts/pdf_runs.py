"""Parts of a PDF run: pages that are cut out of it."""

from __future__ import annotations

from dataclasses import replace
from itertools import groupby
from typing import TYPE_CHECKING

from gonnet.arrivals.models import unpacked
from gonnet.checks import ReadBack
from gonnet.pipeline.making.parts.kit import ArrivalKit, Part, Rows

if TYPE_CHECKING:
    from pikepdf import Pdf

    from gonnet.arrivals.cutting import Cutter
    from gonnet.reports import Look


class PdfSource:
    """A PDF run; its files stay open."""

    def __init__(self, kit: ArrivalKit) -> None:
        self._kit = kit
        self._open: dict[str, Cutter] = {}

    def part(self, rows: Rows, title: str, form: str, look: Look, *, is_locked: bool) -> Part:
        """Its pages as a file."""
        pages = self.pages(rows, look)
        part = joined(pages, title, self.pictures(rows)[0])
        return replace(part, found=self._found(part, pages, rows))

    def _found(self, part: Part, pages: list[tuple[Cutter, int]], rows: Rows) -> ReadBack | None:
        """What it says, where its pages are in it as they were read; they need not be read once more."""
        from gonnet.arrivals.showing import Showing
        from gonnet.checks.reading.whole_pdf import known_pages

        texts = [self._kit.texts.get((str(name), int(str(number)))) for name, number, *_ in rows]
        if any(text is None for text in texts) or any(cutter.is_changed for cutter, _ in pages):
            return None

        def are_same(document: Pdf) -> bool:
            there = Showing()
            return [there.of(page) for page in document.pages] == [cutter.shown(number) for cutter, number in pages]

        return known_pages(part.data, [unpacked(text) for text in texts if text is not None], are_same)

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """Its pages."""
        from gonnet.arrivals.cutting import Cutter

        found = []
        for name, number, *_ in rows:
            if str(name) not in self._open:
                self._open[str(name)] = Cutter(self._kit.path(name), self._kit.password)
            found.append((self._open[str(name)], int(str(number))))
        return found

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """How many of its pages are pictures only, as they were read."""
        return sum((str(row[0]), int(str(row[1]))) in self._kit.pictures for row in rows), len(rows)

    def rest(self) -> None:
        """Nothing is of one package alone."""


def joined(pages: list[tuple[Cutter, int]], title: str, pictures: int = 0) -> Part:
    """Pages as one file."""
    from gonnet.arrivals.cutting import together

    sources = [(cutter, [number for _, number in part]) for cutter, part in groupby(pages, key=lambda one: one[0])]
    return Part(data=together(sources, title), pages=len(pages), pictures=pictures)
