"""Parts of a print file: its pages as text, or drawn as a PDF."""

from __future__ import annotations

from functools import cached_property

from gonnet.arrivals.typed import FEED, TypedPage, TypedPages
from gonnet.checks import ReadBack
from gonnet.checks.reading import paragraphs
from gonnet.jobs.arrivals import TextRun
from gonnet.pipeline.making.parts.drawn import DrawnSource
from gonnet.pipeline.making.parts.kit import ArrivalKit, Part, Rows
from gonnet.reports import Look, TypedPainter


class TextSource(DrawnSource):
    """A print file, read once; its painter is made when something is drawn."""

    def __init__(self, kit: ArrivalKit) -> None:
        super().__init__()
        assert isinstance(kit.spec, TextRun)
        self._kit, self._spec = kit, kit.spec
        self._painters: dict[str, TypedPainter] = {}

    @cached_property
    def _files(self) -> dict[str, TypedPages]:
        paths = {name: self._kit.path(name) for name in self._kit.paths}
        return {name: TypedPages(path, self._spec.encoding, self._spec.lines) for name, path in paths.items()}

    def part(self, rows: Rows, title: str, form: str, look: Look, *, is_locked: bool) -> Part:
        """Its pages as text, or as a PDF."""
        if form == "pdf":
            data, pages = self.draw(rows, title, look, is_locked=is_locked)
            return Part(data=data, pages=pages)
        data = FEED.join(page.raw for page in self._pages(rows)).encode(self._spec.encoding)
        return Part(data=data, pages=None, found=_said(data.decode(self._spec.encoding)))

    def draw(self, rows: Rows, title: str, look: Look, *, is_locked: bool = False) -> tuple[bytes, int]:
        """Its pages in a face whose signs are all as wide."""
        if look.style.paper not in self._painters:
            columns, lines, signs = 0, 0, set[str]()
            for file in self._files.values():
                widest, longest, used = file.extent()
                columns, lines = max(columns, widest), max(lines, longest)
                signs |= used
            self._painters[look.style.paper] = TypedPainter(columns, lines, look.style.paper, signs)
        pages = [page.layers() for page in self._pages(rows)]
        return self._painters[look.style.paper].draw(pages, title, look, is_locked=is_locked), len(pages)

    def _pages(self, rows: Rows) -> list[TypedPage]:
        return [self._files[str(name)].page(int(str(number))) for name, number, *_ in rows]


def _said(text: str) -> ReadBack:
    """What a text says as it is read, and what lies under other signs."""
    page = TypedPage(text.replace(FEED, "\n\n"))
    under = tuple(text for layers in page.layers() if len(layers) > 1 for text in layers)
    return ReadBack(parts=(("", paragraphs(page.text())), ("one over another", under)))
