"""Parts of a print file: its pages as text, or drawn as a PDF."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from gonnet.arrivals.typed import FEED, TypedPage, TypedPages
from gonnet.checks import ReadBack
from gonnet.checks.reading import paragraphs
from gonnet.jobs.arrivals import TextRun
from gonnet.pipeline.making.parts.kit import ArrivalKit, Part, Rows
from gonnet.reports import Look, TypedPainter

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter


class TextSource:
    """A print file, read once; its painter is made when something is drawn."""

    def __init__(self, kit: ArrivalKit) -> None:
        assert isinstance(kit.spec, TextRun)
        self._kit, self._spec = kit, kit.spec
        self._drawn: dict[Rows, Cutter] = {}
        self._painters: dict[str, TypedPainter] = {}

    @cached_property
    def _files(self) -> dict[str, TypedPages]:
        paths = {name: self._kit.path(name) for name in self._kit.paths}
        return {name: TypedPages(path, self._spec.encoding, self._spec.lines) for name, path in paths.items()}

    def part(self, rows: Rows, title: str, form: str, look: Look) -> Part:
        """Its pages as text, or as a PDF."""
        pages = self._pages(rows)
        if form == "pdf":
            return Part(data=self._draw(pages, title, look), pages=len(pages))
        data = FEED.join(page.raw for page in pages).encode(self._spec.encoding)
        found = TypedPage(data.decode(self._spec.encoding).replace(FEED, "\n\n"))
        said = paragraphs(found.text())
        return Part(data=data, pages=None, found=ReadBack(parts=(("", said),)))

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """Its pages, drawn."""
        from gonnet.arrivals.cutting import Cutter

        rows = tuple(rows)
        if rows not in self._drawn:
            self._drawn[rows] = Cutter(self._draw(self._pages(rows), "", look))
        return [(self._drawn[rows], number) for number in range(1, len(rows) + 1)]

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """None is a picture."""
        return 0, len(rows)

    def rest(self) -> None:
        """Close what was drawn for a package."""
        for cutter in self._drawn.values():
            cutter.close()
        self._drawn.clear()

    def _pages(self, rows: Rows) -> list[TypedPage]:
        return [self._files[str(name)].page(int(str(number))) for name, number, *_ in rows]

    def _draw(self, pages: list[TypedPage], title: str, look: Look) -> bytes:
        if look.style.paper not in self._painters:
            columns, lines, signs = 0, 0, set[str]()
            for file in self._files.values():
                widest, longest, used = file.extent()
                columns, lines = max(columns, widest), max(lines, longest)
                signs |= used
            self._painters[look.style.paper] = TypedPainter(columns, lines, look.style.paper, signs)
        painter = self._painters[look.style.paper]
        return painter.draw([page.layers() for page in pages], title, look.organisation)
