"""Parts of a folder: its files as they are, or the pages of those that are PDFs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gonnet.arrivals.pages import is_pdf, pictures_of
from gonnet.pipeline.making.parts.kit import ArrivalKit, NoPartError, Part, Rows

if TYPE_CHECKING:
    from gonnet.arrivals.cutting import Cutter
    from gonnet.reports import Look

_NO_PDF = "{} is no PDF, which the job says it is"


class FolderSource:
    """A folder of files; they are open while one package is made."""

    def __init__(self, kit: ArrivalKit) -> None:
        self._kit = kit
        self._open: dict[str, Cutter] = {}

    def part(self, rows: Rows, title: str, form: str, look: Look, *, is_locked: bool) -> Part:
        """One of its files."""
        ((name, *_),) = ((str(row[0]), *row[1:]) for row in rows)  # each is a document of its own
        path = self._kit.path(name)
        data = path.read_bytes()
        if not data:
            raise NoPartError(f"{name} is empty")
        if is_pdf(path):
            pictures, pages = pictures_of(path)
            return Part(data=data, pages=pages, pictures=pictures)
        if form == "pdf":
            raise NoPartError(_NO_PDF.format(name))
        return Part(data=data, pages=None)

    def pages(self, rows: Rows, look: Look) -> list[tuple[Cutter, int]]:
        """The pages of its files."""
        from gonnet.arrivals.cutting import Cutter

        found = []
        for name in (str(row[0]) for row in rows):
            if name not in self._open:
                path = self._kit.path(name)
                if not is_pdf(path):
                    raise NoPartError(_NO_PDF.format(name))
                self._open[name] = Cutter(path)
            cutter = self._open[name]
            found += [(cutter, number) for number in range(1, cutter.pages + 1)]
        return found

    def pictures(self, rows: Rows) -> tuple[int, int]:
        """How many pages of its files are pictures only."""
        found = [pictures_of(self._kit.paths[str(name)]) for name, *_ in rows]
        return sum(pictures for pictures, _ in found), sum(pages for _, pages in found)

    def rest(self) -> None:
        """Close the files of a package."""
        for cutter in self._open.values():
            cutter.close()
        self._open.clear()
